// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// What a row of a table of values says of the chip: "limit of CPU", "start-up time of QUARTZ", "supply".
struct TableFact {
    enum class What {
        Limit,       ///< lowest and highest rate of a clock, also by operating range
        Rate,        ///< of an oscillator: its typical value
        Tolerance,   ///< of a source: how far below and above, in % or ppm
        StartUp,     ///< of a clock, at most
        Crystal,     ///< lowest and highest rate that may be fitted, or fed in
        Supply,      ///< of the chip, or of an operating range
        Temperature, ///< in degrees Celsius
        Bank,        ///< voltage of a supply that is not the chip's
        Toggle,      ///< fastest change of the pads
        SlowToggle,  ///< the same with slow edges
        Drive,       ///< current that the pads can drive; a row for each strength, the weakest first
        Load,        ///< capacitance that an output is taken to drive
        ModeCurrent, ///< supply current in a low-power mode
        WakeTime,    ///< from a low-power mode, at most
        Range,       ///< not a value: a condition that is an operating range
    };
    What what = What::Limit;
    std::string of; ///< clock, operating range, bank or mode; empty where the chip has one

    bool operator==(const TableFact&) const = default;
};

/// The words of a fact: what stands before "of", and whether something must stand behind it.
struct TableFactSpec {
    TableFact::What what;
    const char* words;
    enum class Of { Never, Possible, Needed } of;
};
const std::vector<TableFactSpec>& tableFactSpecs();

std::string textOf(const TableFact& fact);
/// Empty where the text is none of the specs'.
std::optional<TableFact> tableFactFrom(const std::string& text);

} // namespace bindrel
