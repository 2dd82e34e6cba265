// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can_timing.h"

#include <algorithm>
#include <tuple>
#include <vector>

namespace bindrel {

Ppm CanTiming::tolerance() const
{
    const Rational afterError(std::min(segment1, segment2), 2 * (13 * quanta() - segment2));
    const Rational byJumps(jump, 20 * quanta());
    return Ppm((afterError < byJumps ? afterError : byJumps) * 1'000'000);
}

Ppm FlexibleTiming::tolerance() const
{
    const CanTiming &n = nominal, &d = data;
    const Rational byJumps(d.jump, 20 * d.quanta());
    const Rational scale(n.prescaler, d.prescaler); // BRP_N / BRP_D
    const Rational afterError = Rational(std::min(n.segment1, n.segment2)) /
                                ((Rational(6 * d.quanta() - d.segment2) / scale + Rational(7 * n.quanta())) * 2);
    const Rational late = scale > Rational(1) ? scale - Rational(1) : Rational(0);
    const Rational overChange =
        (Rational(d.jump) - late) /
        ((Rational(2 * n.quanta() - n.segment2) * scale + Rational(d.segment2 + 4 * d.quanta())) * 2);
    Rational least = std::min({byJumps, afterError, overChange}) * 1'000'000;
    if (least < Rational(0))
        least = Rational(0);
    return std::min(Ppm(least), n.tolerance());
}

namespace {

constexpr std::int64_t kLeastQuanta = 8;
constexpr std::int64_t kLeastDataQuanta = 5;
constexpr std::int64_t kLeastSegment2 = 2;

/// A bit of so many quanta with so many in segment 2; empty when the fields cannot hold it.
std::optional<CanTiming> split(std::int64_t quanta, std::int64_t segment2, std::int64_t jump, const CanFields& fields)
{
    const std::int64_t before = quanta - 1 - segment2; // propagation and segment 1
    const std::int64_t holds = fields.propagation + fields.segment1;
    if (segment2 < std::max(kLeastSegment2, jump) || segment2 > fields.segment2 ||
        before < 1 + std::max<std::int64_t>(jump, 1) || before > holds)
        return std::nullopt;
    CanTiming out;
    out.segment2 = segment2;
    // As long as segment 2, which is all that the tolerance asks of it; the rest is left for delays on the bus.
    const std::int64_t leastOfSegment1 =
        fields.propagation > 0 ? std::max<std::int64_t>(1, before - fields.propagation) : 1;
    const std::int64_t mostOfSegment1 = std::min(before - 1, fields.segment1);
    if (mostOfSegment1 < leastOfSegment1)
        return std::nullopt;
    const CanFields::Only& only = fields.only;
    out.segment1 = std::clamp(segment2, leastOfSegment1, mostOfSegment1);
    if (only.propagation)
        out.segment1 = before - *only.propagation;
    else if (only.segment1 && fields.propagation > 0)
        out.segment1 = *only.segment1;
    out.propagation = before - out.segment1;
    if (out.segment1 < leastOfSegment1 || out.segment1 > mostOfSegment1 ||
        (only.segment1 && *only.segment1 != (fields.propagation > 0 ? out.segment1 : before)) ||
        (only.segment2 && *only.segment2 != segment2))
        return std::nullopt;
    out.jump = jump > 0 ? jump : only.jump ? *only.jump : std::min({out.segment1, out.segment2, fields.jump});
    if (out.jump < 1 || out.jump > std::min(out.segment1, out.segment2) || (only.jump && *only.jump != out.jump))
        return std::nullopt;
    return out;
}

/// Every split that may be the best: at each, the nearest rates and sample points that a prescaler gives, and the ends
/// of what the fields and the jump allow.
/// With `worse`, also those whose rate is further off than that of one before.
template <typename Consider>
void forEachTiming(const Frequency& kernel, const CanWish& wish, const CanFields& fields, std::int64_t leastQuanta,
                   bool worse, const Consider& consider)
{
    if (!(kernel.value > Rational(0)) || !(wish.rate.value > Rational(0)) || wish.jump < 0 || wish.jump > fields.jump ||
        fields.jump < 1)
        return;
    const std::int64_t mostQuanta = 1 + fields.propagation + fields.segment1 + fields.segment2;
    std::optional<Rational> nearest;
    for (std::int64_t prescaler = 1; prescaler <= fields.prescaler; ++prescaler) {
        if (fields.only.prescaler && *fields.only.prescaler != prescaler)
            continue;
        const Rational ideal = kernel.value / Rational(prescaler) / wish.rate.value;
        if (!ideal.defined() || ideal.ceil() < leastQuanta)
            break;
        if (ideal.floor() > mostQuanta)
            continue;
        for (std::int64_t quanta = std::max(leastQuanta, ideal.floor()); quanta <= std::min(mostQuanta, ideal.ceil());
             ++quanta) {
            // The rate weighs most, and does not depend on how the bit is split.
            const Frequency rate(kernel.value.times(1, prescaler * quanta));
            const Ppm error = errorOf(rate, wish.rate);
            if (!worse && nearest && error.value.abs() > *nearest)
                continue;
            const Rational segment2 = (Rational(1) - wish.samplePoint.value) * quanta;
            const CanFields::Only& only = fields.only;
            const std::int64_t jump = std::max(wish.jump, only.jump.value_or(0));
            const std::int64_t least = std::max(kLeastSegment2, jump), most = fields.segment2;
            // Where a part before the sample point is given, the ends of what is left for the other one.
            const std::int64_t given = only.segment1.value_or(0) + only.propagation.value_or(0);
            const std::int64_t other = only.segment1 && (only.propagation || fields.propagation == 0) ? 0
                                       : only.segment1 ? fields.propagation
                                                       : fields.segment1;
            for (const std::int64_t choice :
                 {segment2.floor(), segment2.ceil(), only.segment2.value_or(least), least, most,
                  quanta - 1 - fields.propagation - fields.segment1, quanta - 2 - std::max<std::int64_t>(jump, 1),
                  quanta - 1 - given, quanta - 2 - given, quanta - 1 - given - other})
                if (std::optional<CanTiming> timing = split(quanta, choice, wish.jump, fields)) {
                    timing->prescaler = prescaler;
                    timing->rate = rate;
                    timing->error = error;
                    nearest = error.value.abs();
                    consider(*timing);
                }
        }
    }
}

bool sameFields(const CanTiming& a, const CanTiming& b)
{
    return std::tuple(a.prescaler, a.propagation, a.segment1, a.segment2, a.jump) ==
           std::tuple(b.prescaler, b.propagation, b.segment1, b.segment2, b.jump);
}

/// Those that are best by rate and sample point, which leaves the tolerance to choose by.
std::vector<CanTiming> nearestTimings(const Frequency& kernel, const CanWish& wish, const CanFields& fields,
                                      std::int64_t leastQuanta)
{
    std::vector<CanTiming> out;
    const auto rank = [&wish](const CanTiming& timing) {
        return std::pair(timing.error.value.abs(), (timing.samplePoint().value - wish.samplePoint.value).abs());
    };
    forEachTiming(kernel, wish, fields, leastQuanta, false, [&](const CanTiming& timing) {
        if (!out.empty() && rank(timing) > rank(out.front()))
            return;
        if (!out.empty() && rank(timing) < rank(out.front()))
            out.clear();
        out.push_back(timing);
    });
    return out;
}

} // namespace

std::optional<CanTiming> bestCanTiming(const Frequency& kernel, const Frequency& wanted, const Ratio& samplePoint,
                                       std::int64_t jump, const CanFields& fields)
{
    std::optional<CanTiming> best;
    const auto rank = [](const CanTiming& timing) { return std::pair(-timing.tolerance().value, -timing.quanta()); };
    for (const CanTiming& timing : nearestTimings(kernel, {wanted, samplePoint, jump}, fields, kLeastQuanta))
        if (!best || rank(timing) < rank(*best))
            best = timing;
    return best;
}

std::vector<FlexibleTiming> flexibleTimings(const Frequency& kernel, const CanWish& nominal, const CanWish& data,
                                            const CanFields& nominalFields, const CanFields& dataFields,
                                            std::size_t most)
{
    using Rank = std::tuple<Rational, std::int64_t, std::int64_t>;
    std::vector<std::pair<Rank, FlexibleTiming>> found;
    const std::vector<CanTiming> datas = nearestTimings(kernel, data, dataFields, kLeastDataQuanta);
    for (const CanTiming& n : nearestTimings(kernel, nominal, nominalFields, kLeastQuanta))
        for (const CanTiming& d : datas) {
            const FlexibleTiming both{n, d};
            const Rank rank{-both.tolerance().value, -n.quanta(), -d.quanta()};
            // The first of equals stays first.
            const auto at = std::upper_bound(found.begin(), found.end(), rank,
                                             [](const Rank& a, const auto& b) { return a < b.first; });
            const bool known = std::any_of(found.begin(), found.end(), [&both](const auto& other) {
                return sameFields(other.second.nominal, both.nominal) && sameFields(other.second.data, both.data);
            });
            if (known || std::size_t(at - found.begin()) >= most)
                continue;
            found.insert(at, {rank, both});
            if (found.size() > most)
                found.pop_back();
        }
    std::vector<FlexibleTiming> out;
    for (const auto& [rank, both] : found)
        out.push_back(both);
    return out;
}

std::optional<FlexibleTiming> bestFlexibleTiming(const Frequency& kernel, const CanWish& nominal, const CanWish& data,
                                                 const CanFields& nominalFields, const CanFields& dataFields)
{
    const std::vector<FlexibleTiming> best = flexibleTimings(kernel, nominal, data, nominalFields, dataFields, 1);
    return best.empty() ? std::nullopt : std::optional(best.front());
}

std::vector<CanTiming> canTimings(const Frequency& kernel, const CanWish& wish, const CanFields& fields,
                                  std::size_t most)
{
    std::vector<CanTiming> out;
    const auto rank = [&wish](const CanTiming& t) {
        return std::tuple(t.error.value.abs(), (t.samplePoint().value - wish.samplePoint.value).abs(),
                          -t.tolerance().value, -t.quanta());
    };
    forEachTiming(kernel, wish, fields, kLeastQuanta, true, [&](const CanTiming& timing) {
        const auto at = std::upper_bound(out.begin(), out.end(), timing,
                                         [&rank](const CanTiming& a, const CanTiming& b) { return rank(a) < rank(b); });
        if (std::size_t(at - out.begin()) >= most ||
            std::any_of(out.begin(), out.end(), [&](const CanTiming& other) { return sameFields(other, timing); }))
            return;
        out.insert(at, timing);
        if (out.size() > most)
            out.pop_back();
    });
    return out;
}

} // namespace bindrel
