// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/block.h"

#include <vector>

namespace bindrel {

/// What the running program and the hardware do with a register, as the roles of its fields say.
struct RegisterUse {
    std::uint32_t changing = 0;  ///< bits that change after the start: data, flags, levels of outputs
    bool takenByReading = false; ///< it holds data, which reading may take
};
/// By register of the block.
std::vector<RegisterUse> registerUses(const Block& block);

} // namespace bindrel
