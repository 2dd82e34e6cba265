// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

#include <vector>

namespace bindrel {

/// One write on the bus.
struct BusAccess {
    std::uint32_t address = 0;
    std::uint32_t value = 0;
    int bytes = 4;
};

/// What it takes to give a register a value, in order: its guard's key, then the register as a whole or part by part.
std::vector<BusAccess> accessesOf(const Device& device, InstanceIndex instance, RegisterIndex reg, std::uint32_t value);

} // namespace bindrel
