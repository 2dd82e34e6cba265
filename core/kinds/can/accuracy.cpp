// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can.h"
#include "core/kinds/can/can_timing.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <charconv>

namespace bindrel {

CanFields canFields(const TuningContext& c)
{
    const auto most = [&c](std::string_view role) { return c.has(role) ? c.encoding(role).largest(c.maxCode(role)) : 0; };
    return {most("prescaler"), most("propagation"), most("segment1"), most("segment2"), most("jump")};
}

std::optional<CanTiming> canTiming(const TuningContext& c)
{
    const Expected<Ratio> sample = parseRatio(goalText(c.need, "sample"));
    std::int64_t jump = 1;
    const std::string jumpText = goalText(c.need, "jump");
    std::from_chars(jumpText.data(), jumpText.data() + jumpText.size(), jump);
    return sample ? bestCanTiming(c.kernel().rate, goalRate(c.need, "rate"), *sample, jump, canFields(c)) : std::nullopt;
}

Accuracy canAccuracy(const TuningContext& c)
{
    const Expected<Frequency> wanted = parseFrequency(goalText(c.need, "rate"));
    Accuracy out;
    out.given = worstOf(c);
    if (!wanted)
        return out;
    const std::optional<CanTiming> timing = canTiming(c);
    if (!timing) {
        out.asks = formatBaud(*wanted);
        // That there is none is said of the goal.
        return out;
    }
    out.given = Ppm(timing->error.value.abs() + worstOf(c).value);
    out.allowed = timing->tolerance();
    out.asks = fmt::format("{} with {} quanta a bit, jump {}: {}", formatBaud(*wanted), timing->quanta(), timing->jump, plusMinus(*out.allowed));
    out.effect = fmt::format("{}, sample at {}", formatBaud(timing->rate), format(timing->samplePoint()));
    return out;
}

} // namespace bindrel
