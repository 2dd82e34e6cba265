// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/rates.h"
#include "core/plan/edit.h"
#include "core/quantity/parse.h"

namespace bindrel {

/// One decision about the tree that changes a clock's rate, and what it does.
struct RateChange {
    SetClock change;
    Frequency achieved;
    Ppm error;            ///< against the wanted rate
    int brokenLimits = 0; ///< running clocks outside their limits afterwards
    int othersChanged = 0; ///< other running clocks whose rate is another
};

/// Every single decision on the clock or on its path to the source, ranked by error, broken limits, other clocks changed,
/// at most `most`. Complete for single decisions; held clocks are left alone.
std::vector<RateChange> singleChanges(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings, int clock,
                                      const Frequency& wanted, std::size_t most);

/// What a text typed on a clock means: empty takes the decision back; a setting ("3", "÷3", "HFX", "off") is set; a rate
/// ("48 MHz ±0.25 %") is reached by the best single decision. Fails with the nearest rate when none is near enough;
/// without a tolerance only the exact rate will do.
Expected<Edit> editFromText(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings, int clock, std::string_view text);

} // namespace bindrel
