// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <stdexcept>

namespace bindrel {

const KindSpec* findKind(std::string_view id)
{
    for (const KindSpec& kind : kinds())
        if (kind.id == id)
            return &kind;
    return nullptr;
}

const GoalSpec* KindSpec::goal(std::string_view wanted) const
{
    for (const GoalSpec& spec : goals)
        if (spec.id == wanted)
            return &spec;
    return nullptr;
}

std::string goalText(const Need& need, std::string_view goal)
{
    if (const auto said = need.goals.find(goal); said != need.goals.end())
        return said->second;
    const KindSpec* kind = findKind(need.kind);
    const GoalSpec* spec = kind ? kind->goal(goal) : nullptr;
    return spec ? spec->fallback : std::string();
}

namespace {
template <typename T> Expected<GoalValue> valueOf(const Expected<T>& parsed)
{
    if (!parsed)
        return parsed.problem();
    return GoalValue(*parsed);
}
} // namespace

bool KindSpec::servedBy(const Device& device, InstanceIndex instance) const
{
    const Block& own = device.blockOf(instance);
    if (!servedBy(own.kind))
        return false;
    const auto has = [this](const Block& block) {
        return std::all_of(demands.begin(), demands.end(), [&block](const std::string& role) {
            return std::any_of(block.roles.begin(), block.roles.end(),
                               [&role](const auto& known) { return isWordOf(known.first, role); });
        });
    };
    return demands.empty() || has(own) ||
           std::none_of(device.blocks.begin(), device.blocks.end(),
                        [&](const Block& block) { return servedBy(block.kind) && has(block); });
}

Expected<GoalValue> parseGoal(const GoalSpec& goal, std::string_view given)
{
    const std::string_view text = trimmed(given);
    if (goal.orNone && text == "none")
        return GoalValue();
    switch (goal.type) {
    case GoalSpec::Type::Frequency:
    case GoalSpec::Type::Baud:
    case GoalSpec::Type::BitRate: {
        const Expected<Frequency> rate = parseFrequency(text);
        if (rate && !(rate->value > Rational(0)))
            return problemOf(say("\"{}\" must be above zero.", text));
        return valueOf(rate);
    }
    case GoalSpec::Type::Duration:
        return valueOf(parseDuration(text));
    case GoalSpec::Type::Ratio: {
        if (goal.orTime)
            if (const Expected<Duration> time = parseDuration(text))
                return GoalValue(*time);
        if (goal.orTime && text.ends_with('V'))
            if (const Expected<Voltage> level = parseVoltage(text))
                return GoalValue(*level);
        const Expected<Ratio> ratio = parseRatio(text);
        if (ratio && ratio->value > Rational(1))
            return problemOf(say("\"{}\" is out of range; it must be from 0 % to 100 %.", text));
        return valueOf(ratio);
    }
    case GoalSpec::Type::Tolerance:
        return valueOf(parsePpm(text));
    case GoalSpec::Type::Integer: {
        std::int64_t value = 0;
        // "0x42" as addresses are written.
        const bool hex = text.size() > 2 && text[0] == '0' && (text[1] == 'x' || text[1] == 'X');
        const auto [end, error] =
            std::from_chars(text.data() + (hex ? 2 : 0), text.data() + text.size(), value, hex ? 16 : 10);
        if (hex && value < 0)
            value = goal.min - 1;
        if (error != std::errc() || end != text.data() + text.size() || value < goal.min || value > goal.max)
            return problemOf(say("\"{}\" must be a whole number from {} to {}.", text, goal.min, goal.max));
        return GoalValue(value);
    }
    case GoalSpec::Type::Choice: {
        const auto at = std::find(goal.choices.begin(), goal.choices.end(), text);
        if (at == goal.choices.end())
            return problemOf(say("\"{}\" is not possible for {}; use {}.{}", text, lowered(say(goal.title)),
                                 listed(goal.choices), didYouMean(text, goal.choices)));
        Chosen chosen{std::size_t(at - goal.choices.begin()), 0};
        std::from_chars(text.data(), text.data() + text.size(), chosen.number);
        return GoalValue(chosen);
    }
    case GoalSpec::Type::Name:
        if (text.empty() || text.size() > 64)
            return problemOf(say("\"{}\" is not a name for {}.", text, lowered(say(goal.title))));
        return GoalValue(std::string(text));
    case GoalSpec::Type::Text:
        if (text.size() > 1000)
            return problemOf(say("the text for {} is longer than 1000 characters.", lowered(say(goal.title))));
        return GoalValue(std::string(text));
    }
    return GoalValue(std::string(text));
}

Expected<std::string> checkGoal(const GoalSpec& goal, std::string_view given)
{
    if (const Expected<GoalValue> value = parseGoal(goal, given); !value)
        return value.problem();
    return std::string(trimmed(given));
}

std::string shortGoal(const Need& need, std::string_view goal, std::string_view unit)
{
    const GoalValue value = goalValue(need, goal);
    if (const auto* rate = std::get_if<Frequency>(&value)) {
        std::string text = format(*rate);
        if (unit != "Hz" && text.ends_with("Hz"))
            text.replace(text.size() - 2, 2, unit);
        return text;
    }
    if (const auto* time = std::get_if<Duration>(&value))
        return format(*time);
    return goalText(need, goal);
}

GoalValue goalValue(const Need& need, std::string_view goal)
{
    const KindSpec* kind = findKind(need.kind);
    if (!kind)
        return {};
    for (std::size_t i = 0; i < kind->goals.size(); ++i)
        if (kind->goals[i].id == goal)
            return need.goals.valuesFor(*kind)->values[i];
    return {};
}

std::string sameText(const GoalValue& value)
{
    struct Spell {
        std::string operator()(std::monostate) const { return "none"; }
        std::string operator()(const Frequency& rate) const { return rate.value.text() + " Hz"; }
        std::string operator()(const Duration& time) const { return time.value.text() + " s"; }
        std::string operator()(const Voltage& level) const { return level.value.text() + " V"; }
        std::string operator()(const Ratio& ratio) const { return ratio.value.text(); }
        std::string operator()(const Ppm& off) const { return off.value.text() + " ppm"; }
        std::string operator()(std::int64_t number) const { return std::to_string(number); }
        std::string operator()(const Chosen& chosen) const { return "#" + std::to_string(chosen.index); }
        std::string operator()(const std::string& text) const { return text; }
    };
    return std::visit(Spell{}, value);
}

Outcome checkGoals(const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    if (!kind)
        return problemOf(say("\"{}\" is not a kind of need.", need.kind));
    for (const auto& [id, text] : need.goals) {
        const GoalSpec* goal = kind->goal(id);
        if (!goal)
            return problemOf(say("{}: \"{}\" is not a goal of a {} need.", need.title, id, say(kind->title)));
        if (const Expected<std::string> checked = checkGoal(*goal, text); !checked)
            return problemOf(fmt::format("{}, {}: {}", need.title, say(goal->title), checked.problem().message));
    }
    return {};
}

GoalSpec priorityGoal()
{
    return {"priority", "Priority", GoalSpec::Type::Integer,
            "0",        {},         "Interrupt priority in the chip's own levels. Left at its reset value when empty.",
            0,          255,        true};
}

GoalSpec takesGoal()
{
    GoalSpec out{"takes",
                 "Handler runs for",
                 GoalSpec::Type::Duration,
                 "none",
                 {},
                 "Longest time that your function of its interrupt runs, for the worst-case "
                 "delays of all interrupts. none: not stated; 100 core cycles are taken.",
                 0,
                 0,
                 true};
    out.orNone = true;
    return out;
}

GoalSpec togglesGoal()
{
    return {"toggles", "Toggles", GoalSpec::Type::Text,
            "",        {},        "Id of a need with a single output, which the interrupt inverts each time.",
            0,         0,         true};
}

GoalSpec aboveGoal()
{
    return {"above",
            "More urgent than",
            GoalSpec::Type::Text,
            "",
            {},
            "Id of the need that these interrupts may pre-empt.",
            0,
            0,
            true};
}

namespace {
Urgency urgencyOf(const Device& device, const Plan& plan, const Need& need, std::size_t depth)
{
    Urgency out;
    if (need.goals.contains("priority"))
        out.level = static_cast<std::uint32_t>(goalNumber(need, "priority"));
    const std::string above = goalName(need, "above");
    if (above.empty())
        return out;
    const Need* other = plan.need(above);
    if (!other || other == &need) {
        std::vector<std::string> ids;
        for (const Need& one : plan.needs)
            ids.push_back(one.id);
        out.trouble = other ? say("{} cannot be more urgent than itself", need.title)
                            : say("there is no need \"{}\" for {} to be more urgent than.{}", above, need.title,
                                  didYouMean(above, ids));
        return out;
    }
    if (depth > plan.needs.size()) {
        out.trouble = say("{} and {} are each to be more urgent than the other", need.title, other->title);
        return out;
    }
    const Urgency less = urgencyOf(device, plan, *other, depth + 1);
    if (!less.trouble.empty()) {
        out.trouble = less.trouble;
        return out;
    }
    const Core& core = device.cores[device.ownerCore(need.core)];
    const bool high =
        core.interruptController >= 0 && device.ability(core.interruptController, "urgent_is_high", 0) != 0;
    const std::uint32_t below = less.level.value_or(0);
    if (out.level && (high ? *out.level <= below : *out.level >= below))
        out.trouble = say("{} has priority {} and is to be more urgent than {}, which has {}", need.title, *out.level,
                          other->title, below);
    else if (!out.level && !high && below == 0)
        out.trouble = say("{} has the most urgent priority, 0; give it another, so that {} can stand above it",
                          other->title, need.title);
    else if (!out.level)
        out.level = high ? below + 1 : below - 1;
    return out;
}
} // namespace

Urgency urgencyOf(const Device& device, const Plan& plan, const Need& need)
{
    return urgencyOf(device, plan, need, 0);
}

void addDmaGoals(KindSpec& kind)
{
    using T = GoalSpec::Type;
    kind.goals.push_back(
        {"dma_runs",
         "DMA mode",
         T::Choice,
         "once",
         {"once", "round"},
         "one-shot: stops when the transfer is complete. circular: starts again at the beginning of the buffer.",
         0,
         0,
         true});
    kind.goals.push_back(
        {"dma_tells",
         "DMA interrupt",
         T::Choice,
         "nothing",
         {"nothing", "end", "half and end"},
         "none, complete, or half and complete (the other half of the buffer is free for the program).",
         0,
         0,
         true});
    kind.goals.push_back({"dma_priority",
                          "DMA priority",
                          T::Integer,
                          "0",
                          {},
                          "Priority of its DMA channels, in the controller's own levels.",
                          0,
                          255,
                          true});
}

bool matters(const Need& need, std::string_view goal)
{
    const KindSpec* kind = findKind(need.kind);
    if (!kind || (goal != "above" && goal != "takes" && kind->relevant && !kind->relevant(need, goal)))
        return false;
    if (goal == "above" || goal == "takes")
        return matters(need, "priority");
    return !goal.starts_with("dma_") || !requestsOf(need).empty();
}

std::vector<SignalSpec> signalsOf(const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    return kind ? kind->signals(need) : std::vector<SignalSpec>();
}

std::vector<std::string> dmaBothWays(const Need& need)
{
    const bool both = goalIs(need, "dma", "both");
    std::vector<std::string> out;
    if (both || goalIs(need, "dma", "receive"))
        out.push_back("RX");
    if (both || goalIs(need, "dma", "transmit"))
        out.push_back("TX");
    return out;
}

std::vector<std::string> requestsOf(const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    return kind && kind->requests ? kind->requests(need) : std::vector<std::string>();
}

Frequency goalRate(const Need& need, std::string_view goal)
{
    return goalAs<Frequency>(need, goal).value_or(Frequency());
}

Duration goalTime(const Need& need, std::string_view goal)
{
    return goalAs<Duration>(need, goal).value_or(Duration());
}

std::int64_t goalNumber(const Need& need, std::string_view goal)
{
    const GoalValue value = goalValue(need, goal);
    if (const Chosen* chosen = std::get_if<Chosen>(&value))
        return chosen->number;
    const std::int64_t* number = std::get_if<std::int64_t>(&value);
    return number ? *number : 0;
}

std::string goalName(const Need& need, std::string_view goal)
{
    return goalAs<std::string>(need, goal).value_or(std::string());
}

bool goalIs(const Need& need, std::string_view goal, std::string_view word)
{
    const KindSpec* kind = findKind(need.kind);
    const GoalSpec* spec = kind ? kind->goal(goal) : nullptr;
    if (!spec)
        return false;
    const auto at = std::find(spec->choices.begin(), spec->choices.end(), word);
    if (at == spec->choices.end())
        throw std::logic_error(fmt::format("\"{}\" is not a choice for the goal \"{}\" of {}", word, goal, kind->id));
    const std::optional<Chosen> chosen = goalAs<Chosen>(need, goal);
    return chosen && chosen->index == std::size_t(at - spec->choices.begin());
}

Frequency fastestOf(const Need& need, std::string_view signal)
{
    const KindSpec* kind = findKind(need.kind);
    return kind && kind->fastest ? kind->fastest(need, signal) : Frequency();
}

} // namespace bindrel
