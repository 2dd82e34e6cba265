// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <compare>
#include <cstdint>
#include <stdexcept>
#include <string>

namespace bindrel {

/// An undefined number was rounded or taken apart. This is a mistake of the program. What computes for a need catches
/// it and reports that the need could not be computed, so that no wrong value is ever written instead.
class UndefinedNumber : public std::domain_error {
public:
    UndefinedNumber() : std::domain_error("a number that is not defined was used") {}
};

/// An exact ratio of two integers of up to 127 bits, always reduced, denominator positive.
///
/// Sums and products are reduced before they are multiplied out, so whatever fits is found; that leaves room for every
/// product of rates, times, tolerances, ohms and farads that a plan can state. What does not fit, and a division by
/// zero, give the *undefined* value, which every further operation keeps and which compares false with everything,
/// itself included. It cannot become an integer: rounding it throws UndefinedNumber.
class Rational {
public:
    constexpr Rational() = default;
    constexpr Rational(std::int64_t integer) : num_(integer) {}
    Rational(std::int64_t num, std::int64_t den);

    static Rational undefined();
    /// num/den of 128-bit integers; undefined when den is zero. The lowest 128-bit integer is no number here.
    static Rational of(__int128 num, __int128 den);

    bool defined() const { return den_ != 0; }
    bool isInteger() const { return den_ == 1; }
    bool isZero() const { return num_ == 0 && den_ != 0; }
    bool fits64() const { return small(); } ///< num() and den() can be asked for
    /// The number where it fits, else undefined: for rates and tolerances of clocks, which searches remember by their
    /// machine integers.
    Rational within64() const { return small() ? *this : undefined(); }
    /// Numerator and denominator, for whoever needs them as machine integers. REQUIRES: they fit 64 bits, else
    /// UndefinedNumber.
    std::int64_t num() const { return narrow(num_); }
    std::int64_t den() const { return narrow(den_); }

    /// For display and drawing only; NaN when undefined.
    double toDouble() const;
    /// "3", "2/7", or "undefined".
    std::string text() const;

    /// What floor(), round() and ceil() give for a number beyond it: still larger than any register, and one may add to
    /// it.
    static constexpr std::int64_t kLargest = INT64_C(1) << 62;
    /// Largest integer not above, nearest (halves away from zero), smallest not below, within -kLargest to kLargest.
    /// REQUIRES: defined(), else UndefinedNumber.
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
    Rational operator-() const;

    friend bool operator==(const Rational& a, const Rational& b)
    {
        return a.defined() && b.defined() && a.num_ == b.num_ && a.den_ == b.den_;
    }
    friend std::partial_ordering operator<=>(const Rational& a, const Rational& b);

private:
    static constexpr bool small(__int128 value) { return value == static_cast<std::int64_t>(value); }
    bool small() const { return small(num_) && small(den_); }
    static std::int64_t narrow(__int128 value);
    static Rational raw(__int128 num, __int128 den);
    static Rational sum(const Rational& a, const Rational& b, bool minus);
    static Rational product(__int128 a, __int128 b, __int128 c, __int128 d);

    __int128 num_ = 0;
    __int128 den_ = 1; ///< 0 marks the undefined value
};

} // namespace bindrel
