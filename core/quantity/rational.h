// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <compare>
#include <cstdint>
#include <string>

namespace bindrel {

/// An exact ratio of two 64-bit integers, always reduced, denominator positive.
///
/// Arithmetic runs in 128 bits. A result that does not fit, and a division by zero, give the *undefined* value, which
/// every further operation keeps and which compares false with everything, itself included. So no input can overflow
/// silently, and a computation needs one check at its end.
class Rational {
public:
    constexpr Rational() = default;
    constexpr Rational(std::int64_t integer) : num_(integer) {}
    Rational(std::int64_t num, std::int64_t den);

    static Rational undefined();
    /// num/den of 128-bit integers; undefined when the reduced ratio does not fit.
    static Rational of(__int128 num, __int128 den);

    bool defined() const { return den_ != 0; }
    bool isInteger() const { return den_ == 1; }
    bool isZero() const { return num_ == 0 && den_ != 0; }
    std::int64_t num() const { return num_; }
    std::int64_t den() const { return den_; }

    /// For display and drawing only; NaN when undefined.
    double toDouble() const;
    /// "3", "2/7", or "undefined".
    std::string text() const;

    /// Largest integer not above, nearest (halves away from zero), smallest not below; 0 when undefined.
    std::int64_t floor() const;
    std::int64_t round() const;
    std::int64_t ceil() const;
    Rational abs() const;
    /// This times num/den in one step; den must not be zero.
    Rational times(std::int64_t num, std::int64_t den) const;

    friend Rational operator+(const Rational& a, const Rational& b);
    friend Rational operator-(const Rational& a, const Rational& b);
    friend Rational operator*(const Rational& a, const Rational& b);
    friend Rational operator/(const Rational& a, const Rational& b);
    Rational operator-() const { return Rational(0) - *this; }

    friend bool operator==(const Rational& a, const Rational& b)
    {
        return a.defined() && b.defined() && a.num_ == b.num_ && a.den_ == b.den_;
    }
    friend std::partial_ordering operator<=>(const Rational& a, const Rational& b);

private:
    std::int64_t num_ = 0;
    std::int64_t den_ = 1; ///< 0 marks the undefined value
};

} // namespace bindrel
