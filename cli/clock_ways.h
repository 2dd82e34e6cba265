// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "cli/commands.h"
#include "core/clocks/reach.h"

/// What `reach` and `repair` have in common: ways in print, and taking one.
namespace bindrel::cli {

void printWay(const Snapshot& s, int number, const ClockSolution& way);
nlohmann::ordered_json wayJson(const Snapshot& s, const std::vector<ReachTarget>& targets, const ClockSolution& way);

/// Takes the way of this number, from 1, and saves the plan; 0 takes none. Gives the exit code.
int takeWay(const OpenPlan& opened, const std::vector<ClockSolution>& ways, size_t number);

} // namespace bindrel::cli
