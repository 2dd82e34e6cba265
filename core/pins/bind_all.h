// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/placement.h"
#include "core/plan/edit.h"

namespace bindrel {

/// Every open need with a place, or all but a few that cannot have one.
struct BoundAll {
    Edit edit;
    Placement way;
    /// Needs that stay open, each with what it would take; empty: none.
    std::vector<std::pair<NeedIndex, std::string>> left;
};

/// How long a search goes on, and who is told.
struct SearchOptions {
    long effort = PlacementRequest().effort;
    std::function<bool()> cancelled;               ///< asked now and then; may be empty
    std::function<void(const BoundAll&)> improved; ///< each way that is better than the one before; may be empty
};

/// Places all open needs at once, as one edit; nothing that is bound moves. Of needs that cannot stand together the
/// last in the plan stays open, and is named with the reason; only when none can be placed, or the search cannot tell,
/// that is the problem. What was found before the search was stopped is given.
Expected<BoundAll> bindAll(const Device& device, const Board& board, const Plan& plan, const SearchOptions& options);
Expected<Edit> bindAllOpen(const Device& device, const Board& board, const Plan& plan,
                           const std::function<bool()>& cancelled = {});

/// Why the part that is scattered most is not on fewer sides: "Level probes is on 2 sides: on the left alone Lid switch
/// would have to make room." Empty when every part is on one. `plan` is as it was before; bounded by a small part of
/// the effort of a search.
std::string whyScattered(const Device& device, const Board& board, const Plan& plan, const Placement& way);

/// Ways out of all contention, those that move the least first.
struct Untangling {
    struct ConflictSolution {
        Edit edit;
        PlacementCost cost;
        PlacementProof proof;
    };
    std::vector<ConflictSolution> ways;
    bool proven = false; ///< no way with fewer moves is missed
    bool cancelled = false;
    std::string why; ///< without ways: what cannot stand together
};
/// `cancelled` is asked now and then, and may be empty.
Untangling untangle(const Device& device, const Board& board, const Plan& plan, std::size_t count,
                    const std::function<bool()>& cancelled = {});

} // namespace bindrel
