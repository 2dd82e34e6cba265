// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/reach.h"

namespace bindrel {

struct RepairRequest {
    std::size_t most = 5;    ///< ways wanted
    bool changeRange = true; ///< the operating range may be changed too
    /// Needs whose goals are missed at these rates, by index, rising; empty function: none ever.
    std::function<std::vector<NeedIndex>(const Rates& rates)> missedGoals;
    std::function<bool()> stopped;
    std::function<void(long looked)> progress;
};

struct RepairResult {
    std::vector<std::string>
        wrong; ///< limits broken, a supply that does not suit the range, and goals missed now, in words
    /// Ways that mend everything in `wrong` but `left`, all with equally few changes; those that change fewer clocks
    /// first, then those that leave the core's rate nearest to what it is, then those that draw less. Empty when
    /// nothing is wrong, or nothing can be mended.
    std::vector<ClockSolution> ways;
    std::vector<std::string> left; ///< goals that no few changes of clocks would meet
    bool inTurn =
        false; ///< all at once took more than a few changes: there is one way, which mends one thing after the other
    bool fewest = true;   ///< no way with fewer changes exists
    bool complete = true; ///< not stopped or given up
};

/// All broken limits and missed goals at once, with the fewest decisions changed. Any way must change something on the
/// path of each clock that is wrong, so the search changes, one after the other, what is on the path of the first one
/// still wrong; up to four changes deep, besides a range that the supply forces. Where that finds nothing, the limits
/// alone are mended; where that finds nothing either, one thing after the other, each with the fewest changes: then one
/// way, not proven to be the shortest, and what is left. Held clocks stay.
RepairResult repairClocks(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                          const RepairRequest& request);

/// The operating range with the lowest fastest flash clock in which, with all else as it is, no limit breaks and the
/// supply fits; the plan's own when that is it; -1 when there is none.
int lowestRange(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings);

} // namespace bindrel
