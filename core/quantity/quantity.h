// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity/rational.h"

namespace bindrel {

/// An exact physical value. The tag carries the unit, so that a duration cannot be handed in as a frequency.
template <typename Tag> struct Quantity {
    Rational value; ///< in the SI unit of the tag

    constexpr Quantity() = default;
    constexpr explicit Quantity(Rational v) : value(v) {}

    bool defined() const { return value.defined(); }
    double toDouble() const { return value.toDouble(); }

    friend Quantity operator+(const Quantity& a, const Quantity& b) { return Quantity(a.value + b.value); }
    friend Quantity operator-(const Quantity& a, const Quantity& b) { return Quantity(a.value - b.value); }
    friend Quantity operator*(const Quantity& a, const Rational& f) { return Quantity(a.value * f); }
    friend Quantity operator/(const Quantity& a, const Rational& f) { return Quantity(a.value / f); }
    friend Rational operator/(const Quantity& a, const Quantity& b) { return a.value / b.value; }
    friend bool operator==(const Quantity& a, const Quantity& b) { return a.value == b.value; }
    friend std::partial_ordering operator<=>(const Quantity& a, const Quantity& b) { return a.value <=> b.value; }
};

using Frequency = Quantity<struct HertzTag>; ///< hertz; also baud, since one symbol carries one bit here
using Duration = Quantity<struct SecondTag>; ///< seconds
using Voltage = Quantity<struct VoltTag>;    ///< volts
using Capacitance = Quantity<struct FaradTag>;
using Current = Quantity<struct AmpereTag>;
using Resistance = Quantity<struct OhmTag>;
using Ppm = Quantity<struct PpmTag>;     ///< parts per million, signed
using Ratio = Quantity<struct RatioTag>; ///< of one; 0.4 is 40 %

inline Duration period(const Frequency& f)
{
    return Duration(Rational(1) / f.value);
}
inline Frequency frequencyOf(const Duration& t)
{
    return Frequency(Rational(1) / t.value);
}
inline Frequency megahertz(std::int64_t n)
{
    return Frequency(Rational(n) * 1'000'000);
}
inline Duration nanoseconds(std::int64_t n)
{
    return Duration(Rational(n, 1'000'000'000));
}

/// The range in which a value may lie about its nominal, in ppm of the nominal. low <= 0 <= high for a clock.
struct Tolerance {
    Ppm low;
    Ppm high;

    static Tolerance symmetric(const Rational& ppm) { return {Ppm(-ppm), Ppm(ppm)}; }
    /// The larger distance from nominal, as a positive number.
    Ppm worst() const { return -low.value > high.value ? Ppm(-low.value) : high; }
    friend bool operator==(const Tolerance&, const Tolerance&) = default;
};

/// How far `achieved` is from `wanted`, in ppm of `wanted`. Undefined when `wanted` is zero.
template <typename Tag> Ppm errorOf(const Quantity<Tag>& achieved, const Quantity<Tag>& wanted)
{
    return Ppm((achieved.value - wanted.value) / wanted.value * 1'000'000);
}

/// The value at the given distance from nominal.
template <typename Tag> Quantity<Tag> shifted(const Quantity<Tag>& nominal, const Ppm& by)
{
    return Quantity<Tag>(nominal.value * (Rational(1) + by.value / 1'000'000));
}

} // namespace bindrel
