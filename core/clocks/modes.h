// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/rates.h"

#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// What is left of a plan's clocks in a low-power mode of the chip.
struct ModeState {
    std::vector<bool> alive;        ///< by clock: runs on
    std::vector<NeedIndex> working; ///< needs whose instance keeps its clock
    std::vector<NeedIndex>
        dropped; ///< needs whose instance loses its power: they are as after reset when the chip wakes
    std::vector<NeedIndex> wakers; ///< needs that can wake the chip
    Duration wakeTime;             ///< until the core runs again, from the source that the mode wakes on
    Duration fullTime; ///< until all of the plan's clocks run again: oscillators start together, multipliers after them
    Current current;   ///< of the clocks that run on, as far as the device says what they draw
    std::vector<ClockIndex> restarted; ///< sources and multipliers that must start again
};
/// REQUIRES: mode is one of the device's.
ModeState modeState(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                    const LowPowerMode& mode);

/// How the clocks stand at the moment when the chip wakes from a mode after which the system clock comes from a source
/// of the mode's own: the selects that the mode names (else the one next to the first core that has this source as an
/// input) take it, sources and multipliers that did not run on are off, everything else is as the plan has it.
struct Waking {
    std::vector<std::pair<ClockIndex, std::int64_t>>
        selects;                    ///< clocks whose select is turned, each with its setting then
    Rates rates;                    ///< only what comes from the waking source is worth looking at
    std::vector<ClockIndex> broken; ///< clocks that come from it and are then above their limits
    bool flashTooSlow = false;      ///< the plan's wait states are too few for it
};
/// Empty for a mode that leaves everything as before.
std::optional<Waking> wakingOf(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                               const Rates& rates, const LowPowerMode& mode);

} // namespace bindrel
