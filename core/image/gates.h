// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/image/image.h"

namespace bindrel {

/// A gate between a bus and one or more instances, as the bring-up leaves it.
struct Gate {
    FieldCode field;                      ///< and the code with which it is open
    ClockIndex bus = -1;                  ///< clock that it lets through
    std::vector<InstanceIndex> instances; ///< that it clocks
    std::vector<NeedIndex> needs;         ///< that these serve
    bool open = false;
    bool touched = false; ///< the bring-up sets up something behind it: a port, the routing

    bool idle() const { return open && needs.empty() && !touched; }
};
/// In the order of the instances.
std::vector<Gate> gatesOf(const Device& device, const Bindings& bindings, const Image& image);

} // namespace bindrel
