// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can.h"
#include "core/kinds/can/can_timing.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

CanFields canFields(const TuningContext& c)
{
    const auto most = [&c](std::string_view role) {
        return c.has(role) ? c.encoding(role).largest(c.maxCode(role)) : 0;
    };
    return {most("prescaler"), most("propagation"), most("segment1"), most("segment2"), most("jump")};
}

CanFields canDataFields(const TuningContext& c)
{
    const auto most = [&c](std::string_view role) {
        return c.has(role) ? c.encoding(role).largest(c.maxCode(role)) : 0;
    };
    return {most("data_prescaler"), most("data_propagation"), most("data_segment1"), most("data_segment2"),
            most("data_jump")};
}

bool wantsFlexible(const Need& need)
{
    return goalAs<Frequency>(need, "data_rate").has_value();
}

bool hasFlexible(const Block& block)
{
    for (const char* role : {"flexible", "data_prescaler", "data_segment1", "data_segment2", "data_jump"})
        if (!block.role(role))
            return false;
    return true;
}

int canBytes(const Device& device, InstanceIndex instance, const Need& need)
{
    const Block& block = device.blockOf(instance);
    if (!wantsFlexible(need) || !hasFlexible(block) || !block.role("send_flexible") || !block.role("receive_flexible"))
        return 8;
    for (int word = 2; word < 16; ++word)
        if (!block.role("send_word" + std::to_string(word)) || !block.role("receive_word" + std::to_string(word)))
            return 8;
    return 64;
}

namespace {

std::optional<CanWish> wishOf(const Need& need, const char* rate, const char* sample, const char* jump)
{
    const std::optional<Ratio> point = goalAs<Ratio>(need, sample);
    return point ? std::optional(CanWish{goalRate(need, rate), *point, goalNumber(need, jump)}) : std::nullopt;
}

} // namespace

std::optional<FlexibleTiming> flexibleTiming(const TuningContext& c)
{
    const std::optional<CanWish> nominal = wishOf(c.need, "rate", "sample", "jump"),
                                 data = wishOf(c.need, "data_rate", "data_sample", "data_jump");
    if (!nominal || !data || !hasFlexible(c.device.blockOf(c.bound.instance)))
        return std::nullopt;
    return bestFlexibleTiming(c.kernel().rate, *nominal, *data, canFields(c), canDataFields(c));
}

std::optional<CanTiming> canTiming(const TuningContext& c)
{
    if (wantsFlexible(c.need))
        if (const std::optional<FlexibleTiming> both = flexibleTiming(c))
            return both->nominal;
    const std::optional<CanWish> wish = wishOf(c.need, "rate", "sample", "jump");
    return wish ? bestCanTiming(c.kernel().rate, wish->rate, wish->samplePoint, wish->jump, canFields(c))
                : std::nullopt;
}

std::optional<CanTiming> canTimingOfAnyJump(const TuningContext& c)
{
    const std::optional<CanWish> wish = wishOf(c.need, "rate", "sample", "jump");
    return wish ? bestCanTiming(c.kernel().rate, wish->rate, wish->samplePoint, 0, canFields(c)) : std::nullopt;
}

Accuracy canAccuracy(const TuningContext& c)
{
    const std::optional<Frequency> wanted = goalAs<Frequency>(c.need, "rate");
    Accuracy out;
    out.given = worstOf(c);
    if (!wanted)
        return out;
    const std::optional<CanTiming> timing = canTiming(c);
    if (!timing) {
        out.asks = sayBaud(c, *wanted);
        // That there is none is said of the goal.
        return out;
    }
    out.given = Ppm(timing->error.value.abs() + worstOf(c).value);
    out.allowed = timing->tolerance();
    out.asks = say(c, "{} with {} quanta per bit, SJW {}: {}", sayBaud(c, *wanted), timing->quanta(), timing->jump,
                   plusMinus(*out.allowed));
    if (const std::optional<FlexibleTiming> both = wantsFlexible(c.need) ? flexibleTiming(c) : std::nullopt) {
        out.given = Ppm(std::max(timing->error.value.abs(), both->data.error.value.abs()) + worstOf(c).value);
        out.allowed = both->tolerance();
        out.asks = say(c, "{} and {} with {} and {} quanta per bit, SJW {} and {}: {}", sayBaud(c, *wanted),
                       sayBaud(c, goalRate(c.need, "data_rate")), both->nominal.quanta(), both->data.quanta(),
                       both->nominal.jump, both->data.jump, plusMinus(*out.allowed));
    }
    out.effect = say(c, "{}, sample at {}", sayBaud(c, timing->rate), say(c, timing->samplePoint()));
    return out;
}

} // namespace bindrel
