// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/placement.h"

#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// What the bindings of a plan cost as they are, with nothing moved; empty when they contend with each other.
std::optional<PlacementCost> costAsBound(const Device& device, const Board& board, const Plan& plan);

/// What another plan for the same chip does to the layout.
struct LayoutChange {
    PlacementCost moves;  ///< needs and signals that are elsewhere: `moved` and `pads`
    bool rewired = false; ///< terminals of a part are swapped
    /// A level that people look at, as both plans have it.
    struct Level {
        const char* what; ///< "crossings"
        int before, after;
    };
    std::vector<Level> levels; ///< of wires only where neither plan contends with itself
};
/// Nothing when every need stays where it is. `boardBefore`, `boardAfter`: with what each plan says of the board.
std::optional<LayoutChange> layoutChange(const Device& device, const Board& boardBefore, const Plan& before,
                                         const Board& boardAfter, const Plan& after);
/// What is elsewhere: "2 needs move, 3 signals change pads", "terminals are swapped".
std::vector<std::string> movesInWords(const LayoutChange& change);
/// With what that does to each level, a line each: "2 needs move, 3 signals change pads", "wishes not kept: 1 → 0",
/// "crossings: 2, as before".
std::vector<std::string> inWords(const LayoutChange& change);

} // namespace bindrel
