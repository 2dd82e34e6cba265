// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tuning/setting.h"

namespace bindrel {

/// What a timer counts: its own clock, or the periods of another need's timer.
struct Ticks {
    Frequency rate;
    std::string of;                     ///< "TIM1K 75 MHz", "periods of Control tick 4 Hz"
    std::optional<std::uint32_t> chain; ///< code of the role "chain"; empty: nothing is to be set
    NeedIndex need = -1;                ///< whose periods are counted; -1: the clock's cycles
    std::string trouble;                ///< why they cannot be counted; empty when they can
};

/// By the goal "counts", the id of the other need.
Ticks ticksOf(const TuningContext& context);

/// The context of the need whose own clock times this one in the end, for tolerances; its goals are this one's.
TuningContext timedAs(const TuningContext& context);

/// Whether another need of the plan counts this one's periods.
bool isCounted(const TuningContext& context);

/// "chain" where ticks come from another timer, "hands_on" where another counts these periods.
void addChainRoles(const TuningContext& context, const Ticks& ticks, Setting& out);

} // namespace bindrel
