// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/block.h"

#include <string>
#include <vector>

namespace bindrel {

/// Instances that share a supply inside the chip. While it is off, or after it has been, their registers are as after
/// reset.
struct PowerDomain {
    std::string id;
    std::string name;
    std::string about;
    FieldCode on;     ///< switches it; invalid: it is on whenever no mode drops it
    FieldCode ready;  ///< made by hardware when it can be used
    Duration startup; ///< until then, at most
    std::vector<InstanceIndex> instances;
};

/// A way in which the core's voltage is made.
struct Regulator {
    std::string id;
    std::string name;
    std::string about;
    std::uint32_t code = 0;   ///< of Device::regulatorControl
    Ratio share{Rational(1)}; ///< of the core's current that it takes from the supply
};

} // namespace bindrel
