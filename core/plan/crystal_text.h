// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/board.h"

#include <optional>
#include <string>
#include <string_view>

namespace bindrel {

/// What a plan says of the crystal or the clock at an oscillator: its facts, or (empty) that none is fitted.
using FittedCrystal = std::optional<CrystalFact>;

/// Reads "12 MHz, 20 ppm, load 10 pF, stray 3 pF", "external 8 MHz 50 ppm" (a clock that is fed in), "not fitted"; in
/// any order, with or without commas. The rate must be there; a tolerance that is not said is not known. The message
/// says what is missing or not understood.
Expected<FittedCrystal> parseCrystal(std::string_view text);
/// Whether a text speaks of a crystal and not of whether its oscillator runs: it begins with a number, "external" or
/// "not fitted".
bool looksLikeCrystal(std::string_view text);
/// The same back, exactly; parseCrystal(crystalText(c)) gives c.
std::string crystalText(const FittedCrystal& crystal);

} // namespace bindrel
