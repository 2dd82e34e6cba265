// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/rates.h"

namespace bindrel {

/// Whether clocks stand as the data sheet forbids together: all of them run, with settings that the combination names.
/// A peripheral's clock counts when something uses it.
bool holds(const Device& device, const ClockCombination& combination, const Rates& rates);

/// "SYS from PLL A main and Bus 1 ÷2": how the clocks of a combination stand.
std::string combinationText(const Device& device, const Rates& rates, const ClockCombination& combination);

} // namespace bindrel
