// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/reach.h"

namespace bindrel {

/// What a text typed on a clock means: a decision about it, or a rate that is wanted.
struct ClockEntry {
    Edit edit;
    std::optional<ReachTarget> wish; ///< then there is no edit
};

/// Empty takes the decision back; a setting ("3", "÷3", "HFX", "off") is set; a rate ("48 MHz ±0.25 %", ">= 100 MHz",
/// "max") is wished for. A bare number is a setting. Of an oscillator that takes a crystal or a clock, "12 MHz, 20 ppm"
/// says what is fitted there.
Expected<ClockEntry> readClockEntry(const Device& device, ClockIndex clock, std::string_view text);

} // namespace bindrel
