// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/bindings.h"

#include <functional>

namespace bindrel {

/// What a placement costs, the first difference deciding.
struct PlacementCost {
    int moved = 0;  ///< needs that were bound and stand elsewhere
    int pads = 0;   ///< signals that leave their pad
    int sides = 0;  ///< sides of the package that parts use beyond one each
    int crossings = 0; ///< pads that lie between the pads of another part on its side: each makes wires cross
    int scarce = 0; ///< pads that other open needs could use, weak pads that drive, instances richer than asked for
    int debug = 0;  ///< pads that the chip uses for its debug port after reset
    friend auto operator<=>(const PlacementCost&, const PlacementCost&) = default;
};

struct Placement {
    std::vector<std::pair<int, Binding>> bindings; ///< by need; only what differs from the plan
    PlacementCost cost;
};

struct PlacementRequest {
    std::vector<int> needs;        ///< that must be placed: what they have now is a preference, not a fact
    bool mayMove = false;          ///< whether bound needs that nobody holds may move, as few as possible
    std::size_t count = 1;         ///< best ways wanted
    long maxSteps = 200'000;       ///< of one search; beyond it the answer is not proven
    std::function<bool()> cancelled; ///< asked now and then; may be empty
    bool leaveContests = false;      ///< with mayMove: contention among the others is not to be cleared, only room to be made
};

struct PlacementResult {
    std::vector<Placement> ways; ///< best first
    bool proven = false;    ///< nothing better is missed; or, without ways, there is none
    bool cancelled = false;
    /// Without ways: needs that cannot stand together, so that leaving out any one of them makes room for the others.
    std::vector<int> culprits;
    /// Whether the culprits were made as few as they can be; else some of them may be spared.
    bool minimal = false;
};

/// Finds where needs can stand: instance, pads, DMA channels. Hard rules are those of contention; what the board has routed
/// and what is held is left alone. Deterministic. When needs may move, the fewest do: sets of them are tried in the order of
/// their size, and each failure teaches which of them cannot all stay.
PlacementResult place(const Device& device, const Board& board, const Plan& plan, const PlacementRequest& request);

} // namespace bindrel
