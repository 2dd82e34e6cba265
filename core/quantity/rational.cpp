// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity/rational.h"

#include <limits>
#include <numeric>

namespace bindrel {

namespace {

using Wide = __int128;

Wide magnitude(Wide value) { return value < 0 ? -value : value; }

Wide gcd(Wide a, Wide b)
{
    a = magnitude(a);
    b = magnitude(b);
    while (b != 0) {
        const Wide rest = a % b;
        a = b;
        b = rest;
    }
    return a;
}

bool fits(Wide value)
{
    // The lowest value is left out so that negation always works.
    return value <= std::numeric_limits<std::int64_t>::max() && value >= -std::numeric_limits<std::int64_t>::max();
}

} // namespace

Rational::Rational(std::int64_t num, std::int64_t den) { *this = of(num, den); }

Rational Rational::undefined()
{
    Rational value;
    value.num_ = 0;
    value.den_ = 0;
    return value;
}

Rational Rational::of(__int128 num, __int128 den)
{
    if (den == 0)
        return undefined();
    if (den < 0) {
        num = -num;
        den = -den;
    }
    // Most results fit 64 bits already, and 64-bit division is several times faster than 128-bit.
    if (fits(num) && fits(den)) {
        const std::int64_t common = den == 1 ? 1 : std::gcd(static_cast<std::int64_t>(num), static_cast<std::int64_t>(den)); // by shifts, not divisions
        Rational value;
        value.num_ = common == 1 ? static_cast<std::int64_t>(num) : static_cast<std::int64_t>(num) / common;
        value.den_ = common == 1 ? static_cast<std::int64_t>(den) : static_cast<std::int64_t>(den) / common;
        return value;
    }
    const Wide common = gcd(num, den);
    num /= common;
    den /= common;
    if (!fits(num) || !fits(den))
        return undefined();
    Rational value;
    value.num_ = static_cast<std::int64_t>(num);
    value.den_ = static_cast<std::int64_t>(den);
    return value;
}

double Rational::toDouble() const
{
    return defined() ? static_cast<double>(num_) / static_cast<double>(den_)
                     : std::numeric_limits<double>::quiet_NaN();
}

std::string Rational::text() const
{
    if (!defined())
        return "undefined";
    return den_ == 1 ? std::to_string(num_) : std::to_string(num_) + "/" + std::to_string(den_);
}

std::int64_t Rational::floor() const
{
    if (!defined())
        return 0;
    const std::int64_t quotient = num_ / den_;
    return num_ % den_ < 0 ? quotient - 1 : quotient;
}

std::int64_t Rational::round() const
{
    if (!defined())
        return 0;
    const Wide doubled = magnitude(num_) * 2 + den_;
    const auto up = static_cast<std::int64_t>(doubled / (Wide(den_) * 2));
    return num_ < 0 ? -up : up;
}

std::int64_t Rational::ceil() const { return -(-*this).floor(); }

Rational Rational::times(std::int64_t num, std::int64_t den) const
{
    // Clocks are whole numbers of hertz mostly, divided without a rest.
    if (den_ == 1 && den > 0 && num_ % den == 0) {
        const Wide product = Wide(num_ / den) * num;
        if (fits(product)) {
            Rational value;
            value.num_ = static_cast<std::int64_t>(product);
            return value;
        }
    }
    return of(Wide(num_) * num, Wide(den_) * den);
}

Rational Rational::abs() const { return num_ < 0 ? -*this : *this; }

Rational operator+(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined())
        return Rational::undefined();
    return Rational::of(Wide(a.num_) * b.den_ + Wide(b.num_) * a.den_, Wide(a.den_) * b.den_);
}

Rational operator-(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined())
        return Rational::undefined();
    return Rational::of(Wide(a.num_) * b.den_ - Wide(b.num_) * a.den_, Wide(a.den_) * b.den_);
}

Rational operator*(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined())
        return Rational::undefined();
    return Rational::of(Wide(a.num_) * b.num_, Wide(a.den_) * b.den_);
}

Rational operator/(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined())
        return Rational::undefined();
    return Rational::of(Wide(a.num_) * b.den_, Wide(a.den_) * b.num_);
}

std::partial_ordering operator<=>(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined())
        return std::partial_ordering::unordered;
    const Wide left = Wide(a.num_) * b.den_;
    const Wide right = Wide(b.num_) * a.den_;
    return left < right   ? std::partial_ordering::less
           : left > right ? std::partial_ordering::greater
                          : std::partial_ordering::equivalent;
}

} // namespace bindrel
