// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity/format.h"

#include "core/base/say.h"

#include <array>

namespace bindrel {

namespace {

struct Prefix {
    int exponent;
    const char* symbol;
};
constexpr std::array<Prefix, 8> kPrefixes{
    {{9, "G"}, {6, "M"}, {3, "k"}, {0, ""}, {-3, "m"}, {-6, "\u00b5"}, {-9, "n"}, {-12, "p"}}};

Rational powerOfTen(int exponent)
{
    std::int64_t power = 1;
    for (int i = 0; i < (exponent < 0 ? -exponent : exponent); ++i)
        power *= 10;
    return exponent < 0 ? Rational(1, power) : Rational(power);
}

/// A non-negative value with up to `digits` significant digits; no exponent.
std::string decimal(const Rational& value, int digits, char mark)
{
    int integerDigits = 1;
    for (Rational bound = 10; value >= bound && integerDigits < 18; bound = bound * 10)
        ++integerDigits;
    int decimals = digits > integerDigits ? digits - integerDigits : 0;
    // Zeros before the first digit of a value below 1 are not significant.
    if (value < Rational(1) && !value.isZero()) {
        decimals = digits;
        for (Rational v = value * 10; v < Rational(1) && decimals < 15; v = v * 10)
            ++decimals;
    }
    const Rational scaled = value * powerOfTen(decimals);
    if (!scaled.defined() || scaled >= Rational(Rational::kLargest))
        return std::to_string(value.round());
    std::string text = std::to_string(scaled.round());
    if (decimals == 0)
        return text;
    while (text.size() <= static_cast<size_t>(decimals))
        text.insert(text.begin(), '0');
    text.insert(text.size() - static_cast<size_t>(decimals), 1, mark);
    while (text.back() == '0')
        text.pop_back();
    if (text.back() == mark)
        text.pop_back();
    return text;
}

/// The same in the reader's notation.
std::string shown(const Rational& value, int digits)
{
    return decimal(value, digits, catalogue().decimalMark());
}

std::string engineering(const Rational& value, const char* unit, int digits, int largest = 9)
{
    if (!value.defined())
        return say("undefined");
    const Rational size = value.abs();
    const std::string sign = value < Rational(0) ? "-" : "";
    if (size.isZero())
        return std::string("0 ") + unit;
    for (const Prefix& prefix : kPrefixes) {
        if (prefix.exponent > largest)
            continue;
        if (size >= powerOfTen(prefix.exponent) || prefix.exponent == kPrefixes.back().exponent)
            return sign + shown(size / powerOfTen(prefix.exponent), digits) + " " + prefix.symbol + unit;
    }
    return {};
}

/// True when the reduced denominator has no other prime factors than 2 and 5.
bool isDecimalFraction(std::int64_t den)
{
    while (den % 2 == 0)
        den /= 2;
    while (den % 5 == 0)
        den /= 5;
    return den == 1;
}

std::string exact(const Rational& value, const char* unit, int largest)
{
    if (!value.defined())
        return "undefined";
    if (value.isZero())
        return std::string("0 ") + unit;
    for (const Prefix& prefix : kPrefixes) {
        if (prefix.exponent > largest || value < powerOfTen(prefix.exponent))
            continue;
        const Rational scaled = value / powerOfTen(prefix.exponent);
        if (scaled.fits64() && scaled.defined() && isDecimalFraction(scaled.den()))
            return decimal(scaled, 18, '.') + " " + prefix.symbol + unit;
        break;
    }
    return value.text() + " " + unit;
}

} // namespace

std::string format(const Frequency& f, int digits)
{
    return engineering(f.value, "Hz", digits);
}
std::string formatBaud(const Frequency& f, int digits)
{
    return engineering(f.value, "Bd", digits);
}
std::string formatBitRate(const Frequency& f, int digits)
{
    return engineering(f.value, "bit/s", digits);
}
std::string format(const Duration& t, int digits)
{
    return engineering(t.value, "s", digits, 0);
}
std::string format(const Voltage& v, int digits)
{
    return engineering(v.value, "V", digits, 0);
}
std::string format(const Capacitance& c, int digits)
{
    return engineering(c.value, "F", digits, 0);
}
std::string format(const Resistance& r, int digits)
{
    return engineering(r.value, "\u03a9", digits);
}
std::string format(const Current& i, int digits)
{
    return engineering(i.value, "A", digits, 0);
}

std::string format(const Ratio& r, int digits)
{
    if (!r.defined())
        return say("undefined");
    return (r.value < Rational(0) ? "-" : "") + shown(r.value.abs() * 100, digits) + " %";
}

std::string format(const Ppm& p, bool plus, int digits)
{
    if (!p.defined())
        return say("undefined");
    const std::string sign = p.value < Rational(0) ? "-" : plus && !p.value.isZero() ? "+" : "";
    const Rational size = p.value.abs();
    if (size >= Rational(1000))
        return sign + shown(size / 10'000, digits) + " %";
    return sign + shown(size, digits) + " ppm";
}

std::string format(const Tolerance& t)
{
    if (t.low.value.isZero() && t.high.value.isZero())
        return say("exact");
    if (-t.low.value == t.high.value)
        return "\u00b1" + format(t.high);
    return format(t.low, true) + " \u2026 " + format(t.high, true);
}

std::string exactText(const Frequency& f)
{
    return exact(f.value, "Hz", 9);
}
std::string exactText(const Duration& t)
{
    return exact(t.value, "s", 0);
}

} // namespace bindrel
