// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/snapshot.h"

namespace bindrel {

/// Needs that work in step with one: the timer that starts it first, then what a timer starts, in the order of the
/// plan. Without the need itself; empty when it works alone.
/// `look`: what Snapshot::lookAt() gives for it.
std::vector<NeedIndex> inStepWith(const Snapshot& s, NeedIndex need, const Look& look);
inline std::vector<NeedIndex> inStepWith(const Snapshot& s, NeedIndex need)
{
    return inStepWith(s, need, s.lookAt(need));
}

/// The picture of a need with those of the needs in step on the same axis of time, each at the instant at which it is
/// started. Lines of other needs carry
/// their titles, parted by a line feed. Only what the need itself states can be dragged, where its picture
/// begins at the axis' beginning.
std::optional<Waveform> stackedPicture(const Snapshot& s, NeedIndex need);

} // namespace bindrel
