// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/rehearsal/simulated_chip.h"

namespace bindrel {

/// What a plan demands of the pads from reset on.
Demand demandOf(const Facts& facts);
/// Clocks of needs that run at the same rate in two sets of clocks, with that rate: they must not stop on the way.
std::map<ClockIndex, Rational> steadyClocks(const Facts& facts, const Rates& from, const Rates& to);

/// Compares what the chip's registers mean with what was planned, and reports each difference: rates, wait states,
/// operating range, pads, roles of each need. `rates`: those that are to run. `without`: needs that were left out since
/// their clock is dead. `dead`: clocks that never start; what comes from them is not compared.
void judgeOutcome(SimulatedChip& chip, const Facts& facts, const Rates& rates, const std::set<NeedIndex>& without,
                  const std::set<ClockIndex>& dead);

/// The fall back that follows when this flag is awaited in vain; null when the bring-up ends.
const FallBack* fallBackAfter(const Facts& facts, const FieldRef& awaited);
/// "goes on at the slow clocks, without Uplink and Drive"
std::string wentOnText(const Facts& facts, const FallBack& fallBack);

} // namespace bindrel
