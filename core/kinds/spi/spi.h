// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/kind.h"

namespace bindrel {

/// The goals of a need as values. REQUIRES: they were checked.
struct SpiGoals {
    Frequency most;         ///< SCK is never faster; of a peripheral: what the other end's controller may give
    bool controller = true; ///< it makes SCK; else it follows
    bool idleHigh = false;  ///< modes 2 and 3
    bool late = false;      ///< modes 1 and 3: data is taken on the second edge of SCK
    int bits = 8;           ///< of a word
    bool leastFirst = false;
    bool sends = true, receives = true; ///< has a line for it, as the chip sees it
    bool hardwareSelect = true;
    Duration valid; ///< the part's data is there at the latest this long after the edge that shifts

    static SpiGoals of(const Need& need);
};

/// How the kernel clock is divided down to SCK.
struct SpiRate {
    std::int64_t prescaler = 1; ///< 1 where the block has none
    std::int64_t divider = 1;   ///< of the prescaled clock; where the block counts half periods, always even
    Frequency sck;
};

/// The fastest SCK that is not above `most` even when the kernel clock runs fast within its tolerance; nothing when the
/// block cannot divide so far. Numbers only, for searches.
std::optional<SpiRate> bestSpiRate(const TuningContext& context, const Frequency& most);

Setting solveSpi(const TuningContext& context);
void declareSpi(Writer& header, NeedIndex need);
void defineSpi(Writer& source, NeedIndex need);

} // namespace bindrel
