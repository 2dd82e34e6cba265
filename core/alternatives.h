// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/edit.h"
#include "core/snapshot.h"

namespace bindrel {

/// What the arithmetic chooses among for a need.
struct Alternatives {
    std::vector<Alternative> all; ///< best first, as they are with nothing set by hand
    int used = -1;                ///< the one that the plan has now; -1: another one
    std::string ranking;          ///< what the first is the best by
};

/// `look`: what Snapshot::lookAt() gives for it.
Alternatives alternativesOf(const Snapshot& s, NeedIndex need, Look look);
inline Alternatives alternativesOf(const Snapshot& s, NeedIndex need)
{
    return alternativesOf(s, need, s.lookAt(need));
}

/// Makes the need use one of them, as one undo step: the first follows from the goals alone, any other has its fields
/// set by hand. Without changes where it is used already. REQUIRES: `chosen` is an index of Alternatives::all.
Edit applyAlternative(const Snapshot& s, NeedIndex need, const Alternatives& alternatives, std::size_t chosen);

} // namespace bindrel
