// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/wishes.h"

#include <map>
#include <string>
#include <utility>
#include <vector>

namespace bindrel {

/// Signals whose wires may change places at their part: they lead to terminals that stand beside each other in its row
/// and that a wish lets be swapped.
struct SwapRun {
    std::string part;
    std::vector<std::string> terminals;                     ///< those they lead to now, in the order of the row
    std::vector<std::pair<NeedIndex, std::string>> signals; ///< need and signal, in the same order
    friend bool operator==(const SwapRun&, const SwapRun&) = default;
};

/// What may be swapped when these needs are placed. What is held, what has a net, and terminals that another wish names
/// stay as they are, and part a run in two.
std::vector<SwapRun> swapRuns(const Device& device, const Board& board, const Plan& plan,
                              const std::vector<NeedIndex>& placed);

/// Terminals of needs, where others than those of now have their wires cross less often. `plan`: with the pads as they
/// will be.
std::vector<std::pair<NeedIndex, std::map<std::string, std::string, std::less<>>>>
bestTerminals(const Device& device, const Board& board, const Plan& plan, const std::vector<SwapRun>& runs);

} // namespace bindrel
