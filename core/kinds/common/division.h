// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tuning/setting.h"

#include <vector>

namespace bindrel {

/// A clock divided by a prescaler and by a counter behind it, as far as a block has them: kernel cycles = prescaler ×
/// count.
struct Division {
    std::int64_t prescaler = 1;
    std::int64_t count = 1;

    Rational cycles() const { return Rational(prescaler) * count; }
};

/// What is divided, and by which roles.
struct DividedBy {
    std::string_view prescaler = "prescaler";
    std::string_view count = "period";
    std::int64_t leastCount = 2;
    /// Whether the error is that of the rate (1 / cycles) or of the time (cycles).
    enum class Error { OfTime, OfRate } error = Error::OfTime;
    /// Where other registers have to hold the count as well, the most that they can.
    std::int64_t mostCount = INT64_MAX;
};

/// The divisions that come nearest to so many kernel cycles, best first, at most `most`; of two as near the one with
/// the finer ticks. Nothing nearer is missed (of a role with gaps the first 131 072 prescalers are looked at). Empty:
/// not even the smallest fits.
std::vector<Division> divisionsNear(const TuningContext& context, const Rational& cycles, const DividedBy& divider,
                                    std::size_t most);

/// The division with the fewest cycles that has at least so many; of two the one with the finer ticks. Empty: none is
/// as long.
std::optional<Division> divisionAtLeast(const TuningContext& context, const Rational& cycles, const DividedBy& divider);

/// The longest that the block can count.
Division longestDivision(const TuningContext& context, const DividedBy& divider);

} // namespace bindrel
