// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity/quantity.h"

#include <optional>
#include <vector>

namespace bindrel {

/// The most that a CAN controller's fields can hold: the prescaler's factor, the others in time quanta.
struct CanFields {
    std::int64_t prescaler = 1;
    std::int64_t propagation = 0; ///< 0: it has none of its own, segment 1 covers it
    std::int64_t segment1 = 1;
    std::int64_t segment2 = 1;
    std::int64_t jump = 1;
    /// What is set by hand; empty: free. Segment 1 is the field's, with the propagation where that has none.
    struct Only {
        std::optional<std::int64_t> prescaler, propagation, segment1, segment2, jump;
        bool any() const { return prescaler || propagation || segment1 || segment2 || jump; }
    } only = {};
};

/// How a bit is split into time quanta: one to synchronise, then propagation, phase segment 1, the sample, phase
/// segment 2.
struct CanTiming {
    std::int64_t prescaler = 1;
    std::int64_t propagation = 0;
    std::int64_t segment1 =
        1; ///< phase segment 1 alone, also where the controller holds it together with the propagation
    std::int64_t segment2 = 1;
    std::int64_t jump = 1;
    Frequency rate;
    Ppm error; ///< of the rate against the wanted one

    std::int64_t quanta() const { return 1 + propagation + segment1 + segment2; }
    Ratio samplePoint() const { return Ratio(Rational(quanta() - segment2, quanta())); }
    /// How far each end's oscillator may be off, ISO 11898-1: the smaller of
    ///     min(PS1, PS2) / (2 (13 NBT - PS2)), what a bit after an error flag, 13 bit times without an edge, allows,
    ///     and SJW / (20 NBT), what resynchronisation over 10 bit times makes up for.
    Ppm tolerance() const;
};

/// What is wanted of a phase of the frame.
struct CanWish {
    Frequency rate;
    Ratio samplePoint;
    std::int64_t jump = 1; ///< 0: as wide as both segments and the field allow
};

/// The two bits of a frame with flexible data rate.
struct FlexibleTiming {
    CanTiming nominal, data;

    /// How far each end's oscillator may be off, ISO 11898-1: the smallest of the two of the nominal bit, of what
    /// resynchronisation makes up for within the data phase, SJW_D / (20 DBT), and of the two for an error flag and for
    /// the change of the rates,
    ///     min(PS1_N, PS2_N) / (2 ((6 DBT - PS2_D) BRP_D / BRP_N + 7 NBT)) and
    ///     (SJW_D - max(0, BRP_N / BRP_D - 1)) / (2 ((2 NBT - PS2_N) BRP_N / BRP_D + PS2_D + 4 DBT)).
    Ppm tolerance() const;
    /// From the beginning of a data bit to its sample point.
    Duration dataSample() const { return Duration(data.samplePoint().value / data.rate.value); }
};

/// The pair whose rates are nearest to the wanted ones, the nominal one first; among those the sample points nearest to
/// the wanted ones, then the widest oscillator tolerance, then the most quanta. A data bit has 5 quanta at least.
std::optional<FlexibleTiming> bestFlexibleTiming(const Frequency& kernel, const CanWish& nominal, const CanWish& data,
                                                 const CanFields& nominalFields, const CanFields& dataFields);

/// The best pairs, as bestFlexibleTiming() ranks them.
std::vector<FlexibleTiming> flexibleTimings(const Frequency& kernel, const CanWish& nominal, const CanWish& data,
                                            const CanFields& nominalFields, const CanFields& dataFields,
                                            std::size_t most);

/// The best splits, as bestCanTiming() ranks them, also those with a worse rate or sample point.
std::vector<CanTiming> canTimings(const Frequency& kernel, const CanWish& wish, const CanFields& fields,
                                  std::size_t most);

/// The split of the bit whose rate is nearest to the wanted one; among those the sample point nearest to the wanted
/// one, then the widest oscillator tolerance, then the most quanta. A bit has 8 quanta at least, phase segment 2 two (a
/// controller may take that long to decide) and no less than the jump. Empty when the kernel clock is too slow or the
/// fields too small.
std::optional<CanTiming> bestCanTiming(const Frequency& kernel, const Frequency& wanted, const Ratio& samplePoint,
                                       std::int64_t jump, const CanFields& fields);

} // namespace bindrel
