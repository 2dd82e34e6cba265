// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can.h"
#include "core/kinds/can/can_timing.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// The fields of a phase; their roles begin alike.
CanFields fieldsOf(const TuningContext& c, const std::string& phase)
{
    const auto most = [&](const char* role) {
        return c.has(phase + role) ? c.encoding(phase + role).largest(c.maxCode(phase + role)) : 0;
    };
    const auto only = [&](const char* role) { return c.byHand(phase + role); };
    return {
        most("prescaler"), most("propagation"),
        most("segment1"),  most("segment2"),
        most("jump"),      {only("prescaler"), only("propagation"), only("segment1"), only("segment2"), only("jump")}};
}

CanFields freed(CanFields fields)
{
    fields.only = {};
    return fields;
}

} // namespace

CanFields canFields(const TuningContext& c)
{
    return fieldsOf(c, "");
}

CanFields canDataFields(const TuningContext& c)
{
    return fieldsOf(c, "data_");
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

std::vector<FlexibleTiming> flexibleTimingsFor(const TuningContext& c, std::size_t most)
{
    const std::optional<CanWish> nominal = wishOf(c.need, "rate", "sample", "jump"),
                                 data = wishOf(c.need, "data_rate", "data_sample", "data_jump");
    if (!nominal || !data || !hasFlexible(c.device.blockOf(c.bound.instance)))
        return {};
    return flexibleTimings(c.kernel().rate, *nominal, *data, freed(canFields(c)), freed(canDataFields(c)), most);
}

std::optional<FlexibleTiming> flexibleTiming(const TuningContext& c)
{
    const std::optional<CanWish> nominal = wishOf(c.need, "rate", "sample", "jump"),
                                 data = wishOf(c.need, "data_rate", "data_sample", "data_jump");
    if (!nominal || !data || !hasFlexible(c.device.blockOf(c.bound.instance)))
        return std::nullopt;
    const CanFields fields = canFields(c), dataFields = canDataFields(c);
    if (fields.only.any() || dataFields.only.any())
        if (const auto heeded = bestFlexibleTiming(c.kernel().rate, *nominal, *data, fields, dataFields))
            return heeded;
    return bestFlexibleTiming(c.kernel().rate, *nominal, *data, freed(fields), freed(dataFields));
}

std::vector<CanTiming> canTimingsFor(const TuningContext& c, std::size_t most)
{
    const std::optional<CanWish> wish = wishOf(c.need, "rate", "sample", "jump");
    return wish ? canTimings(c.kernel().rate, *wish, freed(canFields(c)), most) : std::vector<CanTiming>();
}

std::optional<CanTiming> canTiming(const TuningContext& c)
{
    if (wantsFlexible(c.need))
        if (const std::optional<FlexibleTiming> both = flexibleTiming(c))
            return both->nominal;
    const std::optional<CanWish> wish = wishOf(c.need, "rate", "sample", "jump");
    if (!wish)
        return std::nullopt;
    const CanFields fields = canFields(c);
    if (fields.only.any()) {
        // Also one whose rate is further off: the person has chosen it.
        const std::vector<CanTiming> heeded = canTimings(c.kernel().rate, *wish, fields, 1);
        if (!heeded.empty())
            return heeded.front();
    }
    return bestCanTiming(c.kernel().rate, wish->rate, wish->samplePoint, wish->jump, freed(fields));
}

std::optional<CanTiming> canTimingOfAnyJump(const TuningContext& c)
{
    const std::optional<CanWish> wish = wishOf(c.need, "rate", "sample", "jump");
    return wish ? bestCanTiming(c.kernel().rate, wish->rate, wish->samplePoint, 0, freed(canFields(c))) : std::nullopt;
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
        out.asks = bitRateIfNeeded(c, *wanted);
        // That there is none is said of the goal.
        return out;
    }
    out.given = Ppm(timing->error.value.abs() + worstOf(c).value);
    out.allowed = timing->tolerance();
    out.asks = formatIfNeeded(c, "{} with {} quanta per bit, SJW {}: {}", bitRateIfNeeded(c, *wanted), timing->quanta(),
                              timing->jump, plusMinus(*out.allowed));
    if (const std::optional<FlexibleTiming> both = wantsFlexible(c.need) ? flexibleTiming(c) : std::nullopt) {
        out.given = Ppm(std::max(timing->error.value.abs(), both->data.error.value.abs()) + worstOf(c).value);
        out.allowed = both->tolerance();
        out.asks =
            formatIfNeeded(c, "{} and {} with {} and {} quanta per bit, SJW {} and {}: {}", bitRateIfNeeded(c, *wanted),
                           bitRateIfNeeded(c, goalRate(c.need, "data_rate")), both->nominal.quanta(),
                           both->data.quanta(), both->nominal.jump, both->data.jump, plusMinus(*out.allowed));
    }
    out.effect = formatIfNeeded(c, "{}, sample at {}", bitRateIfNeeded(c, timing->rate),
                                formatIfNeeded(c, timing->samplePoint()));
    return out;
}

} // namespace bindrel
