// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/placement.h"

namespace bindrel {

/// Whether the needs of a plan can stand on another device.
struct Fit {
    bool fits = false;
    bool proven = false; ///< a "no" that holds; a "yes" always does
    PlacementCost cost;  ///< against where they stand now, by names of instances and pads
    Plan plan; ///< on that device, with every need bound, when it fits; the board's routed nets do not count there
    std::string why; ///< it does not fit
};

/// Places every need anew on the device. What has a place of the same name there keeps it where it can. Another device
/// means another board, so the board's nets count only for the plan's own device; needs that name a clock of the old
/// one (crystals) go to the oscillator of the same kind whose range takes their rate.
Fit fitOn(const Device& device, const Board& board, const Plan& plan, const std::function<bool()>& cancelled = {});

} // namespace bindrel
