// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity/parse.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// Reads from the front of what is left; spaces (also the thin and the no-break one) are passed over first.
class Scanner {
public:
    explicit Scanner(std::string_view text) : rest_(text) {}

    void skipSpace()
    {
        for (;;) {
            if (!rest_.empty() && (rest_.front() == ' ' || rest_.front() == '\t'))
                rest_.remove_prefix(1);
            else if (!eatRaw("\u2009") && !eatRaw("\u202f") && !eatRaw("\u00a0"))
                return;
        }
    }
    bool eat(std::string_view token)
    {
        skipSpace();
        return eatRaw(token);
    }
    bool eatRaw(std::string_view token)
    {
        if (!rest_.starts_with(token))
            return false;
        rest_.remove_prefix(token.size());
        return true;
    }
    bool atEnd()
    {
        skipSpace();
        return rest_.empty();
    }
    std::string_view rest() const { return rest_; }

    /// Digits with at most one point. Undefined when there is no digit or there are more than 18.
    Rational number()
    {
        skipSpace();
        std::int64_t mantissa = 0;
        std::int64_t scale = 1;
        int digits = 0;
        bool point = false;
        while (!rest_.empty()) {
            const char c = rest_.front();
            if (c == '.' && !point) {
                point = true;
            } else if (c >= '0' && c <= '9') {
                if (++digits > 18)
                    return Rational::undefined();
                mantissa = mantissa * 10 + (c - '0');
                if (point)
                    scale *= 10;
            } else {
                break;
            }
            rest_.remove_prefix(1);
        }
        return digits == 0 ? Rational::undefined() : Rational(mantissa, scale);
    }

    Rational prefix()
    {
        skipSpace();
        if (eatRaw("p"))
            return Rational(1, 1'000'000'000'000);
        if (eatRaw("n"))
            return Rational(1, 1'000'000'000);
        if (eatRaw("u") || eatRaw("\u00b5") || eatRaw("\u03bc"))
            return Rational(1, 1'000'000);
        if (eatRaw("m"))
            return Rational(1, 1000);
        if (eatRaw("k") || eatRaw("K"))
            return Rational(1000);
        if (eatRaw("M"))
            return Rational(1'000'000);
        if (eatRaw("G"))
            return Rational(1'000'000'000);
        return Rational(1);
    }

private:
    std::string_view rest_;
};

Problem unclear(std::string_view text, std::string_view example)
{
    if (text.find(',') != std::string_view::npos)
        return problemOf(say("\"{}\" has a comma; write a decimal point, as in {}.", text, example));
    return problemOf(say("\"{}\" cannot be read; write it as in {}.", text, example));
}

struct UnitRule {
    std::vector<std::string_view> units; ///< accepted spellings, longest first
    std::string_view example;
    bool needsUnitOrPrefix = false;
};

/// value [ "/" value ] [ prefix ] [ unit ]; the scanner is left behind it.
Expected<Rational> scanQuantity(Scanner& in, std::string_view whole, const UnitRule& rule)
{
    Rational value = in.number();
    if (!value.defined())
        return unclear(whole, rule.example);
    Rational factor = in.prefix();
    bool said = factor != Rational(1);
    if (in.eat("/")) {
        Rational below = in.number();
        below = below * in.prefix();
        if (!below.defined() || below.isZero())
            return unclear(whole, rule.example);
        value = value / below;
        said = true;
    }
    for (std::string_view unit : rule.units) {
        if (in.eat(unit)) {
            said = true;
            break;
        }
    }
    if (rule.needsUnitOrPrefix && !said && !value.isZero())
        return problemOf(say("\"{}\" has no unit; write it as in {}.", whole, rule.example));
    const Rational result = value * factor;
    // What is stated has room to be computed with.
    if (!result.defined() || !result.fits64())
        return problemOf(say("\"{}\" is out of the range that can be computed exactly.", whole));
    return result;
}

template <typename Q> Expected<Q> parseWhole(std::string_view text, const UnitRule& rule)
{
    Scanner in(text);
    Expected<Rational> value = scanQuantity(in, text, rule);
    if (!value)
        return value.problem();
    if (!in.atEnd())
        return unclear(text, rule.example);
    return Q(*value);
}

const UnitRule kHertz{{"Hz", "hz", "Bd", "bd", "baud", "bit/s", "bps"}, "48 MHz, 460.8k or 1/32k"};
const UnitRule kSeconds{{"s"}, "650 ns, 2.5 us or 4 s", true};
const UnitRule kVolts{{"V"}, "3.3 V"};
const UnitRule kFarads{{"F"}, "12 pF"};
const UnitRule kOhms{{"ohms", "ohm", "Ohm", "\u03a9", "\u2126", "R"}, "33 ohm, 4.7k or 4k7"};
const UnitRule kAmperes{{"A"}, "8 mA"};

Expected<Rational> scanPpm(Scanner& in, std::string_view whole)
{
    Rational value = in.number();
    if (!value.defined())
        return unclear(whole, say("20 ppm or 0.25 %"));
    if (in.eat("%"))
        value = value * 10'000;
    else
        in.eat("ppm");
    if (!value.defined() || !value.fits64())
        return unclear(whole, say("20 ppm or 0.25 %"));
    return value;
}

bool eatPlusMinus(Scanner& in)
{
    return in.eat("\u00b1") || in.eat("+-") || in.eat("+/-");
}

} // namespace

Expected<Target<Frequency>> parseFrequencyTarget(std::string_view text)
{
    Scanner in(text);
    Expected<Rational> value = scanQuantity(in, text, kHertz);
    if (!value)
        return value.problem();
    Target<Frequency> target{Frequency(*value), std::nullopt};
    if (eatPlusMinus(in)) {
        Expected<Rational> permitted = scanPpm(in, text);
        if (!permitted)
            return permitted.problem();
        target.permitted = Ppm(*permitted);
    }
    if (!in.atEnd())
        return unclear(text, say("48 MHz or 48 MHz \u00b10.25 %"));
    return target;
}

Expected<Frequency> parseFrequency(std::string_view text)
{
    return parseWhole<Frequency>(text, kHertz);
}
Expected<Duration> parseDuration(std::string_view text)
{
    return parseWhole<Duration>(text, kSeconds);
}
Expected<Capacitance> parseCapacitance(std::string_view text)
{
    return parseWhole<Capacitance>(text, kFarads);
}
Expected<Resistance> parseResistance(std::string_view text)
{
    // The letter stands in the place of the decimal point (IEC 60062, section 7).
    const std::string_view said = text;
    const std::size_t letter = said.find_first_of("RrkKM");
    const bool digitsOnly = std::all_of(said.begin(), said.end(), [](char c) {
        return (c >= '0' && c <= '9') || std::string_view("RrkKM").find(c) != std::string_view::npos;
    });
    if (digitsOnly && said.size() > 1 && letter != std::string_view::npos && letter == said.find_last_of("RrkKM")) {
        std::string number(said.substr(0, letter));
        if (number.empty())
            number = "0";
        if (letter + 1 < said.size())
            number += "." + std::string(said.substr(letter + 1));
        const char unit = said[letter];
        if (unit == 'k' || unit == 'K' || unit == 'M')
            number += unit;
        return parseWhole<Resistance>(number, kOhms);
    }
    return parseWhole<Resistance>(text, kOhms);
}
Expected<Current> parseCurrent(std::string_view text)
{
    return parseWhole<Current>(text, kAmperes);
}

Expected<Voltage> parseVoltage(std::string_view text)
{
    // "3V3", as schematics write it.
    Scanner in(text);
    const Rational whole = in.number();
    if (whole.defined() && whole.isInteger() && in.eatRaw("V") && !in.rest().empty()) {
        const std::string decimals = std::to_string(whole.num()) + "." + std::string(in.rest());
        Scanner again(decimals);
        const Rational value = again.number();
        if (value.defined() && again.atEnd())
            return Voltage(value);
    }
    return parseWhole<Voltage>(text, kVolts);
}

Expected<Ppm> parsePpm(std::string_view text)
{
    Scanner in(text);
    eatPlusMinus(in);
    Expected<Rational> value = scanPpm(in, text);
    if (!value)
        return value.problem();
    if (!in.atEnd())
        return unclear(text, say("20 ppm or 0.25 %"));
    return Ppm(*value);
}

Expected<Ratio> parseRatio(std::string_view text)
{
    Scanner in(text);
    Rational value = in.number();
    const bool percent = value.defined() && in.eat("%");
    if (percent)
        value = value / 100;
    if (!value.defined() || !in.atEnd())
        return unclear(text, say("40 % or 0.4"));
    if (!percent && value > Rational(1))
        return problemOf(say("\"{}\" is unclear: write {} % or a number from 0 to 1.", text, text));
    return Ratio(value);
}

} // namespace bindrel
