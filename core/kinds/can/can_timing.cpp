// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can_timing.h"

#include <algorithm>
#include <tuple>

namespace bindrel {

Ppm CanTiming::tolerance() const
{
    const Rational afterError(std::min(segment1, segment2), 2 * (13 * quanta() - segment2));
    const Rational byJumps(jump, 20 * quanta());
    return Ppm((afterError < byJumps ? afterError : byJumps) * 1'000'000);
}

namespace {

constexpr std::int64_t kLeastQuanta = 8;
constexpr std::int64_t kLeastSegment2 = 2;

/// A bit of so many quanta with so many in segment 2; empty when the fields cannot hold it.
std::optional<CanTiming> split(std::int64_t quanta, std::int64_t segment2, std::int64_t jump, const CanFields& fields)
{
    const std::int64_t before = quanta - 1 - segment2; // propagation and segment 1
    const std::int64_t holds = fields.propagation + fields.segment1;
    if (segment2 < std::max(kLeastSegment2, jump) || segment2 > fields.segment2 || before < 1 + jump || before > holds)
        return std::nullopt;
    CanTiming out;
    out.segment2 = segment2;
    out.jump = jump;
    // As long as segment 2, which is all that the tolerance asks of it; the rest is left for delays on the bus.
    const std::int64_t leastOfSegment1 = fields.propagation > 0 ? std::max<std::int64_t>(1, before - fields.propagation) : 1;
    const std::int64_t mostOfSegment1 = std::min(before - 1, fields.segment1);
    if (mostOfSegment1 < leastOfSegment1)
        return std::nullopt;
    out.segment1 = std::clamp(segment2, leastOfSegment1, mostOfSegment1);
    out.propagation = before - out.segment1;
    return out;
}

} // namespace

std::optional<CanTiming> bestCanTiming(const Frequency& kernel, const Frequency& wanted, const Ratio& samplePoint, std::int64_t jump, const CanFields& fields)
{
    if (!(kernel.value > Rational(0)) || !(wanted.value > Rational(0)) || jump < 1 || jump > fields.jump)
        return std::nullopt;
    const std::int64_t mostQuanta = 1 + fields.propagation + fields.segment1 + fields.segment2;
    std::optional<CanTiming> best;
    using Rank = std::tuple<Rational, Rational, Rational, std::int64_t>;
    std::optional<Rank> bestRank;
    const auto consider = [&](std::int64_t prescaler, std::int64_t quanta, std::int64_t segment2, const Frequency& rate, const Ppm& error) {
        std::optional<CanTiming> timing = split(quanta, segment2, jump, fields);
        if (!timing)
            return;
        timing->prescaler = prescaler;
        timing->rate = rate;
        timing->error = error;
        const Rank rank{timing->error.value.abs(), (timing->samplePoint().value - samplePoint.value).abs(), -timing->tolerance().value, -quanta};
        if (!bestRank || rank < *bestRank) {
            best = timing;
            bestRank = rank;
        }
    };
    for (std::int64_t prescaler = 1; prescaler <= fields.prescaler; ++prescaler) {
        const Rational ideal = kernel.value / Rational(prescaler) / wanted.value;
        if (!ideal.defined() || ideal.ceil() < kLeastQuanta)
            break;
        if (ideal.floor() > mostQuanta)
            continue;
        for (std::int64_t quanta = std::max(kLeastQuanta, ideal.floor()); quanta <= std::min(mostQuanta, ideal.ceil()); ++quanta) {
            // The rate weighs most, and does not depend on how the bit is split.
            const Frequency rate(kernel.value.times(1, prescaler * quanta));
            const Ppm error = errorOf(rate, wanted);
            if (bestRank && error.value.abs() > std::get<0>(*bestRank))
                continue;
            const Rational segment2 = (Rational(1) - samplePoint.value) * quanta;
            // Beside the nearest: its neighbour, and the ends of what the fields and the jump allow.
            const std::int64_t least = std::max(kLeastSegment2, jump), most = fields.segment2;
            for (const std::int64_t choice : {segment2.floor(), segment2.ceil(), least, most, quanta - 1 - fields.propagation - fields.segment1, quanta - 2 - jump})
                consider(prescaler, quanta, choice, rate, error);
        }
    }
    return best;
}

} // namespace bindrel
