// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

#include <map>
#include <string>

namespace bindrel {

/// A device in the few figures by which one is chosen.
struct DeviceDigest {
    std::string cores;                          ///< "Cortex-M7 and Cortex-M4"
    Frequency fastest;                          ///< that the fastest core may run at, in its best range
    std::uint32_t flashBytes = 0, ramBytes = 0; ///< of all cores, counted once where they share it
    int pins = 0;
    int pads = 0; ///< that the package brings out
    std::map<std::string, int>
        instances; ///< by block kind, those of which at least one signal can reach a pad or that need none
};
DeviceDigest digest(const Device& device);

const char* nameOf(Package::Kind kind); ///< "quad flat"

} // namespace bindrel
