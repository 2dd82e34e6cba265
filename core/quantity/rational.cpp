// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/quantity/rational.h"

#include <algorithm>
#include <limits>
#include <numeric>

namespace bindrel {

namespace {

using Wide = __int128;

constexpr Wide kLowest = Wide(1) << 127;

Wide magnitude(Wide value)
{
    return value < 0 ? -value : value;
}

bool isSmall(Wide value)
{
    return value == static_cast<std::int64_t>(value) && value != std::numeric_limits<std::int64_t>::min();
}

Wide gcd(Wide a, Wide b)
{
    a = magnitude(a);
    b = magnitude(b);
    while (b != 0) {
        // 64-bit division is several times faster, and most of the way is short.
        if (isSmall(a) && isSmall(b))
            return std::gcd(static_cast<std::int64_t>(a), static_cast<std::int64_t>(b));
        const Wide rest = a % b;
        a = b;
        b = rest;
    }
    return a;
}

/// Order of a/b and c/d for positive b and d and numerators of any sign, without multiplying out: by their continued
/// fractions.
std::strong_ordering order(Wide a, Wide b, Wide c, Wide d)
{
    for (;;) {
        Wide wholeA = a / b, restA = a % b, wholeC = c / d, restC = c % d;
        if (restA < 0) {
            --wholeA;
            restA += b;
        }
        if (restC < 0) {
            --wholeC;
            restC += d;
        }
        if (wholeA != wholeC)
            return wholeA < wholeC ? std::strong_ordering::less : std::strong_ordering::greater;
        if (restA == 0 || restC == 0)
            return restA == restC ? std::strong_ordering::equal
                   : restA == 0   ? std::strong_ordering::less
                                  : std::strong_ordering::greater;
        // restA/b against restC/d is d/restC against b/restA.
        const Wide nextB = restC, nextD = restA, nextA = d, nextC = b;
        a = nextA;
        b = nextB;
        c = nextC;
        d = nextD;
    }
}

} // namespace

Rational::Rational(std::int64_t num, std::int64_t den)
{
    *this = of(num, den);
}

Rational Rational::raw(__int128 num, __int128 den)
{
    Rational value;
    value.num_ = num;
    value.den_ = den;
    return value;
}

Rational Rational::undefined()
{
    return raw(0, 0);
}

std::int64_t Rational::narrow(__int128 value)
{
    if (!small(value))
        throw UndefinedNumber();
    return static_cast<std::int64_t>(value);
}

Rational Rational::of(__int128 num, __int128 den)
{
    if (den == 0 || num == kLowest || den == kLowest)
        return undefined();
    if (den < 0) {
        num = -num;
        den = -den;
    }
    // Most results fit 64 bits already.
    if (isSmall(num) && isSmall(den)) {
        const auto n = static_cast<std::int64_t>(num), d = static_cast<std::int64_t>(den);
        const std::int64_t common = d == 1 ? 1 : std::gcd(n, d); // by shifts, not divisions
        return common == 1 ? raw(n, d) : raw(n / common, d / common);
    }
    const Wide common = gcd(num, den);
    return raw(num / common, den / common);
}

double Rational::toDouble() const
{
    if (!defined())
        return std::numeric_limits<double>::quiet_NaN();
    // The same value, by one instruction each instead of a call.
    if (isSmall(num_) && isSmall(den_))
        return static_cast<double>(static_cast<std::int64_t>(num_)) /
               static_cast<double>(static_cast<std::int64_t>(den_));
    return static_cast<double>(num_) / static_cast<double>(den_);
}

std::string Rational::text() const
{
    if (!defined())
        return "undefined";
    const auto digits = [](Wide value) {
        std::string out;
        const bool negative = value < 0;
        for (value = magnitude(value); value > 0 || out.empty(); value /= 10)
            out.insert(out.begin(), char('0' + int(value % 10)));
        return (negative ? "-" : "") + out;
    };
    return den_ == 1 ? digits(num_) : digits(num_) + "/" + digits(den_);
}

std::int64_t Rational::floor() const
{
    if (!defined())
        throw UndefinedNumber();
    if (small() && num_ >= 0)
        return std::min(static_cast<std::int64_t>(num_) / static_cast<std::int64_t>(den_), kLargest);
    Wide quotient = num_ / den_;
    if (num_ % den_ < 0)
        --quotient;
    return static_cast<std::int64_t>(std::clamp<Wide>(quotient, -kLargest, kLargest));
}

std::int64_t Rational::round() const
{
    if (!defined())
        throw UndefinedNumber();
    const Wide amount = magnitude(num_), rest = amount % den_;
    const Wide up = amount / den_ + (rest >= den_ - rest ? 1 : 0);
    return static_cast<std::int64_t>(std::clamp<Wide>(num_ < 0 ? -up : up, -kLargest, kLargest));
}

std::int64_t Rational::ceil() const
{
    return -(-*this).floor();
}

Rational Rational::operator-() const
{
    return raw(-num_, den_);
}

Rational Rational::times(std::int64_t num, std::int64_t den) const
{
    // Clocks are whole numbers of hertz mostly, divided without a rest.
    if (den_ == 1 && den > 0 && small(num_) && static_cast<std::int64_t>(num_) % den == 0)
        return raw(Wide(static_cast<std::int64_t>(num_) / den) * num, 1);
    return product(num_, num, den_, den);
}

Rational Rational::abs() const
{
    return num_ < 0 ? -*this : *this;
}

/// (a × b) / (c × d), reduced crosswise where it would not fit else.
Rational Rational::product(__int128 a, __int128 b, __int128 c, __int128 d)
{
    if (isSmall(a) && isSmall(b) && isSmall(c) && isSmall(d))
        return of(a * b, c * d);
    if (c == 0 || d == 0)
        return undefined();
    for (Wide* top : {&a, &b})
        for (Wide* bottom : {&c, &d}) {
            const Wide common = gcd(*top, *bottom);
            if (common > 1) {
                *top /= common;
                *bottom /= common;
            }
        }
    Wide num = 0, den = 0;
    if (__builtin_mul_overflow(a, b, &num) || __builtin_mul_overflow(c, d, &den))
        return undefined();
    return of(num, den);
}

Rational Rational::sum(const Rational& a, const Rational& b, bool minus)
{
    const Wide other = minus ? -b.num_ : b.num_;
    if (a.den_ == b.den_ && isSmall(a.num_) && isSmall(b.num_))
        return of(a.num_ + other, a.den_);
    if (isSmall(a.num_) && isSmall(a.den_) && isSmall(b.num_) && isSmall(b.den_)) {
        // Two products of 126 bits each: their sum fits.
        return of(a.num_ * b.den_ + other * a.den_, a.den_ * b.den_);
    }
    const Wide common = gcd(a.den_, b.den_);
    const Wide shareA = b.den_ / common, shareB = a.den_ / common;
    Wide left = 0, right = 0, num = 0, den = 0;
    if (__builtin_mul_overflow(a.num_, shareA, &left) || __builtin_mul_overflow(other, shareB, &right) ||
        __builtin_add_overflow(left, right, &num) || __builtin_mul_overflow(a.den_, shareA, &den))
        return undefined();
    return of(num, den);
}

Rational operator+(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined())
        return Rational::undefined();
    return Rational::sum(a, b, false);
}

Rational operator-(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined())
        return Rational::undefined();
    return Rational::sum(a, b, true);
}

Rational operator*(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined())
        return Rational::undefined();
    return Rational::product(a.num_, b.num_, a.den_, b.den_);
}

Rational operator/(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined() || b.num_ == 0)
        return Rational::undefined();
    return Rational::product(a.num_, b.den_, a.den_, b.num_);
}

std::partial_ordering operator<=>(const Rational& a, const Rational& b)
{
    if (!a.defined() || !b.defined())
        return std::partial_ordering::unordered;
    if (a.den_ == b.den_)
        return a.num_ <=> b.num_;
    if (isSmall(a.num_) && isSmall(a.den_) && isSmall(b.num_) && isSmall(b.den_))
        return a.num_ * b.den_ <=> b.num_ * a.den_;
    return order(a.num_, a.den_, b.num_, b.den_);
}

} // namespace bindrel
