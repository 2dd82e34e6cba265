// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tables/table_number.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/tables/table_marks.h"

#include <array>

namespace bindrel {

std::optional<TableUnit> tableUnitOf(std::string_view text)
{
    static const std::array<TableUnit, 21> all{{{Measure::Rate, "Hz"},
                                                {Measure::Rate, "kHz"},
                                                {Measure::Rate, "MHz"},
                                                {Measure::Rate, "GHz"},
                                                {Measure::Time, "s"},
                                                {Measure::Time, "ms"},
                                                {Measure::Time, "us"},
                                                {Measure::Time, "ns"},
                                                {Measure::Voltage, "V"},
                                                {Measure::Voltage, "mV"},
                                                {Measure::Current, "A"},
                                                {Measure::Current, "mA"},
                                                {Measure::Current, "uA"},
                                                {Measure::Current, "nA"},
                                                {Measure::Capacitance, "pF"},
                                                {Measure::Capacitance, "nF"},
                                                {Measure::Ratio, "%"},
                                                {Measure::Ratio, "ppm"},
                                                {Measure::Temperature, "\u00b0C"},
                                                {Measure::Temperature, "degC"},
                                                {Measure::Temperature, "C"}}};
    std::string word(trimmed(text));
    for (const char* micro : {"\u00b5", "\u03bc"}) // micro sign, Greek mu
        if (word.starts_with(micro))
            word.replace(0, std::string_view(micro).size(), "u");
    if (const std::size_t ring = word.find("\u02da"); ring == 0) // ring above, as PDF readers give it
        word.replace(0, 2, "\u00b0");
    for (const TableUnit& unit : all)
        if (word == unit.name)
            return unit;
    // "MHZ", "Mhz": what is written in other capitals means nothing else. "mS" and "Ms" might.
    const std::string low = lowered(word);
    for (const TableUnit& unit : all)
        if (unit.measure == Measure::Rate && low == lowered(unit.name))
            return unit;
    return std::nullopt;
}

TableNumber tableNumberIn(std::string text)
{
    takeMarks(text);
    for (const char* minus : {"\u2212", "\u2013"})
        if (const std::size_t at = text.find(minus); at != std::string::npos && at <= 1)
            text.replace(at, std::string_view(minus).size(), "-");
    // "0 < f <= 24": the last bound.
    std::size_t sign = std::string::npos, length = 0;
    for (const char* bound : {"\u2264", "\u2265", "<=", ">=", "<", ">", "\u00b1", "+/-", "="})
        if (const std::size_t at = text.rfind(bound);
            at != std::string::npos &&
            (sign == std::string::npos || at + std::string_view(bound).size() > sign + length)) {
            sign = at;
            length = std::string_view(bound).size();
        }
    if (sign != std::string::npos)
        text = text.substr(sign + length);
    text = std::string(trimmed(text));
    TableNumber out;
    std::size_t i = 0;
    if (i < text.size() && (text[i] == '-' || text[i] == '+')) {
        if (text[i] == '-')
            out.digits = "-";
        ++i;
    }
    std::size_t whole = 0, decimals = 0;
    bool point = false, comma = false;
    for (; i < text.size(); ++i) {
        const char c = text[i];
        if (c >= '0' && c <= '9') {
            out.digits += c;
            ++(point ? decimals : whole);
        } else if ((c == '.' || c == ',') && !point && whole > 0) {
            point = true;
            comma = c == ',';
            out.digits += '.';
        } else {
            break;
        }
    }
    out.unit = std::string(trimmed(text.substr(i)));
    if (whole == 0 || (point && decimals == 0))
        out.trouble = say("is no number");
    else if (comma && decimals == 3)
        out.trouble = say("could be thousands or thousandths; write it without the comma");
    else if (whole + decimals > 15)
        out.trouble = say("has too many digits");
    if (!out.trouble.empty())
        out.digits.clear();
    return out;
}

} // namespace bindrel
