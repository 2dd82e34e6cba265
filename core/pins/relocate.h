// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/placement.h"
#include "core/plan/edit.h"

namespace bindrel {

/// A plan taken to another device, package or board: what stays, what moves, what cannot be kept.
struct Relocation {
    enum class Fate {
        Stays, ///< the same instance and pads, by name
        Moves,
        Opens, ///< was bound, and cannot be placed
        Open,  ///< was not bound and is not now
        Added, ///< a need of the new board's parts
    };
    struct Item {
        std::string need; ///< id
        Fate fate = Fate::Stays;
        std::string text; ///< from where to where; why it cannot be placed
    };
    std::vector<Item> items;       ///< in the order of the needs
    std::vector<std::string> lost; ///< other decisions that cannot be kept, as sentences
    Plan plan;
    Edit edit; ///< one undo step that makes it so
    bool cancelled = false;

    int count(Fate fate) const;
};

/// Works out how a plan would stand on `device` and `board` (its file as it is). `boardNow` is the board that the plan
/// knows: parts that the new one lacks are kept by the plan, so that no need loses its part. Bound needs are placed
/// anew, where they are when they can be; when they cannot all stand, as few as the search can name are left open.
Relocation relocate(const Device& device, const Board& board, const Board& boardNow, const Plan& plan,
                    const std::function<bool()>& cancelled = {});

} // namespace bindrel
