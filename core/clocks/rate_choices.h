// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/rates.h"

#include <functional>
#include <string>
#include <vector>

namespace bindrel {

/// A setting of a clock and the rate that it gives, all else as the plan has it.
struct RateChoice {
    Frequency rate;
    ClockDecision setting;
};

/// All settings of a clock that make it run, by rising rate; of several with one rate the first. A rate computation
/// each: some thousand for a fine multiplier, so it belongs beside the interface. Empty when `stopped` says so.
std::vector<RateChoice> rateChoices(const Device& device, const Board& board, const Plan& plan,
                                    const Bindings& bindings, ClockIndex clock,
                                    const std::function<bool()>& stopped = {});

} // namespace bindrel
