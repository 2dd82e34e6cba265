// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/quantity/quantity.h"

#include <optional>
#include <string_view>

namespace bindrel {

/// A typed target: a value and, when given, how far off it may be.
template <typename Q> struct Target {
    Q value;
    std::optional<Ppm> permitted; ///< positive; empty when none was typed
};

/// What people type for a quantity: "460.8k", "48 MHz", "48 MHz ±0.25 %", "48M +-20ppm", "1/32k", "650 ns", "3V3".
/// Prefixes n, u or µ, m, k, M, G; the unit may be left out; a comma or an underscore is refused with advice.
/// Exact: decimals become ratios. At most 18 digits. Negative values are refused.
Expected<Target<Frequency>> parseFrequencyTarget(std::string_view text);
Expected<Frequency> parseFrequency(std::string_view text); ///< Hz, also Bd, bit/s
Expected<Duration> parseDuration(std::string_view text);   ///< s; without a unit and prefix it is refused as unclear
Expected<Voltage> parseVoltage(std::string_view text);     ///< V
Expected<Capacitance> parseCapacitance(std::string_view text); ///< F
/// "33 ohm", "4.7 kΩ", "10k", "0"; also as schematics write it (IEC 60062): "4k7", "2R2", "1M".
Expected<Resistance> parseResistance(std::string_view text);
Expected<Current> parseCurrent(std::string_view text); ///< A
Expected<Ppm> parsePpm(std::string_view text);         ///< "20 ppm", "±20 ppm", "0.25 %"; a bare number is ppm
Expected<Ratio> parseRatio(std::string_view text);     ///< "40 %", "0.4"; a bare number above 1 is refused

} // namespace bindrel
