// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/placement.h"
#include "core/plan/edit.h"

#include <string>

namespace bindrel {

/// Bindings of a placement as one undo step.
Edit editOfPlacement(const Plan& plan, const Placement& way, std::string title);

/// Why a search for places for some needs gave none, and what can be done.
Problem noRoom(const Device& device, const Plan& plan, const PlacementResult& result,
               const std::vector<NeedIndex>& wanted);

/// "1 need moves, 2 signals change pads".
std::string movesInWords(const PlacementCost& cost);

/// "1 extra side (the fewest)", "no crossing": a line for each level that people look at.
std::vector<std::string> levelsInWords(const Placement& way);

/// "1 extra side (the fewest), no crossing. No solution is better."
std::string howGood(const Placement& way);

} // namespace bindrel
