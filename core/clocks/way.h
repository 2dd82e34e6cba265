// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/reach.h"
#include "core/clocks/trial.h"

namespace bindrel {

/// The way from one trial to other decisions and an operating range, with what it changes; errors are told for targets.
ClockSolution wayTo(const ClockTrial& now, const Plan& plan, const std::vector<ReachTarget>& targets,
                    const IndexVector<ClockIndex, TrialClock>& then, int range);

/// "SYS and Bus 1 must not stand so together: …".
std::string forbiddenText(const ClockTrial& trial, const ClockCombination& combination);

/// How a clock of a trial stands outside its limits: "SYS is 200 MHz, above its 160 MHz in range 1: …".
std::string limitText(const ClockTrial& trial, ClockIndex clock);

} // namespace bindrel
