// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace bindrel {

/// What a unit measures.
enum class Measure { Rate, Time, Voltage, Current, Capacitance, Ratio, Temperature };

struct TableUnit {
    Measure measure;
    const char* name; ///< as a device file has it
};

/// A unit as tables write it: with a micro sign, a rate also in other capitals. Empty for any other word.
std::optional<TableUnit> tableUnitOf(std::string_view text);

/// The number of a cell: "<= 24", "24.5", "24,5", the last bound of "11 < f <= 24"; none where it could be two
/// things ("24,000").
struct TableNumber {
    std::string digits; ///< as a device file has it; empty: see `trouble`
    std::string unit;   ///< what stood behind it
    std::string trouble;
};
TableNumber tableNumberIn(std::string text);

} // namespace bindrel
