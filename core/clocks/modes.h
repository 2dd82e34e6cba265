// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/rates.h"

#include <string>
#include <vector>

namespace bindrel {

/// What is left of a plan's clocks in a low-power mode of the chip.
struct ModeState {
    std::vector<bool> alive;    ///< by clock: runs on
    std::vector<int> working;   ///< needs whose instance keeps its clock
    std::vector<int> wakers;    ///< needs that can wake the chip
    Duration wakeTime;          ///< until the core runs again, from the source that the mode wakes on
    Duration fullTime;          ///< until all of the plan's clocks run again: oscillators start together, multipliers after them
    std::vector<int> restarted; ///< sources and multipliers that must start again
};
/// REQUIRES: mode is one of the device's.
ModeState modeState(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, const LowPowerMode& mode);

} // namespace bindrel
