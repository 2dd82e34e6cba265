// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/image/clock_steps.h"

#include <set>

namespace bindrel {

/// What an order of changes has to put up with beside the two stands.
struct MoveOptions {
    std::vector<ClockIndex> startOnly; ///< sources that are switched on without waiting for them
    /// The gates of instances are still as the chip's reset leaves them, but for these: they are opened before
    /// something is written there. Empty: all are open.
    std::optional<std::vector<InstanceIndex>> opened;
    std::vector<ClockIndex> awaitFirst; ///< sources that were started before
};

/// See clockSteps(). `awaited`: takes how the clocks stood at each wait for one; may be null. `spoiled`: as there.
std::vector<Step> clockMoves(const Device& device, const Rates& rates, const ClockSnapshot& from,
                             const ClockSnapshot& to, const MoveOptions& options, std::vector<AwaitedClock>* awaited,
                             std::set<ClockIndex>* spoiled = nullptr);

} // namespace bindrel
