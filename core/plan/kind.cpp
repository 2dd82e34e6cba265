// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

#include "core/base/text.h"
#include "core/device/device.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cstdlib>

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
template <typename T> Expected<std::string> keepIf(const Expected<T>& parsed, std::string_view text)
{
    if (!parsed)
        return parsed.problem();
    return std::string(text);
}

template <typename T> Expected<std::string> keepIfPositive(const Expected<T>& parsed, std::string_view text)
{
    if (parsed && !(parsed->value > Rational(0)))
        return problemOf(fmt::format("\"{}\" must be above zero.", text));
    return keepIf(parsed, text);
}
} // namespace

bool KindSpec::servedBy(const Device& device, int instance) const
{
    const Block& own = device.blockOf(instance);
    if (!servedBy(own.kind))
        return false;
    const auto has = [this](const Block& block) {
        return std::all_of(demands.begin(), demands.end(), [&block](const std::string& role) {
            return std::any_of(block.roles.begin(), block.roles.end(), [&role](const auto& known) { return isWordOf(known.first, role); });
        });
    };
    return demands.empty() || has(own) || std::none_of(device.blocks.begin(), device.blocks.end(), [&](const Block& block) { return servedBy(block.kind) && has(block); });
}

Expected<std::string> checkGoal(const GoalSpec& goal, std::string_view given)
{
    const std::string_view text = trimmed(given);
    if (goal.orNone && text == "none")
        return std::string(text);
    switch (goal.type) {
    case GoalSpec::Type::Frequency:
    case GoalSpec::Type::Baud:
        return keepIfPositive(parseFrequency(text), text);
    case GoalSpec::Type::Duration:
        return keepIf(parseDuration(text), text);
    case GoalSpec::Type::Ratio:
        if (goal.orTime && (parseDuration(text) || (text.ends_with('V') && parseVoltage(text))))
            return std::string(text);
        if (const Expected<Ratio> ratio = parseRatio(text); ratio && ratio->value > Rational(1))
            return problemOf(fmt::format("\"{}\" is more than the whole; it must be from 0 % to 100 %.", text));
        else
            return keepIf(ratio, text);
    case GoalSpec::Type::Tolerance:
        return keepIf(parsePpm(text), text);
    case GoalSpec::Type::Integer: {
        long value = 0;
        const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
        if (error != std::errc() || end != text.data() + text.size() || value < goal.min || value > goal.max)
            return problemOf(fmt::format("\"{}\" must be a whole number from {} to {}.", text, goal.min, goal.max));
        return std::string(text);
    }
    case GoalSpec::Type::Choice:
        if (std::find(goal.choices.begin(), goal.choices.end(), text) != goal.choices.end())
            return std::string(text);
        return problemOf(fmt::format("\"{}\" is not a choice for {}; use {}.{}", text, lowered(goal.title),
                                     listed(goal.choices), didYouMean(text, goal.choices)));
    case GoalSpec::Type::Name:
        if (text.empty() || text.size() > 64)
            return problemOf(fmt::format("\"{}\" is not a name for {}.", text, lowered(goal.title)));
        return std::string(text);
    case GoalSpec::Type::Text:
        if (text.size() > 1000)
            return problemOf(fmt::format("the text for {} is longer than 1000 characters.", lowered(goal.title)));
        return std::string(text);
    }
    return std::string(text);
}

std::string goalValue(const Need& need, std::string_view goal)
{
    const KindSpec* kind = findKind(need.kind);
    const GoalSpec* spec = kind ? kind->goal(goal) : nullptr;
    const std::string text = goalText(need, goal);
    const auto exact = [&text](const auto& parsed) { return parsed ? parsed->value.text() : text; };
    switch (spec ? spec->type : GoalSpec::Type::Text) {
    case GoalSpec::Type::Frequency:
    case GoalSpec::Type::Baud:
        return exact(parseFrequency(text));
    case GoalSpec::Type::Duration:
        return exact(parseDuration(text));
    case GoalSpec::Type::Ratio:
        if (const Expected<Duration> time = parseDuration(text); time && spec->orTime)
            return time->value.text() + " s";
        if (const Expected<Voltage> level = parseVoltage(text); level && spec->orTime && text.ends_with('V'))
            return level->value.text() + " V";
        return exact(parseRatio(text));
    case GoalSpec::Type::Tolerance:
        return exact(parsePpm(text));
    case GoalSpec::Type::Integer:
    case GoalSpec::Type::Choice:
    case GoalSpec::Type::Name:
    case GoalSpec::Type::Text:
        break;
    }
    return std::string(trimmed(text));
}

Outcome checkGoals(const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    if (!kind)
        return problemOf(fmt::format("\"{}\" is not a kind of need.", need.kind));
    for (const auto& [id, text] : need.goals) {
        const GoalSpec* goal = kind->goal(id);
        if (!goal)
            return problemOf(fmt::format("{}: \"{}\" is not a goal of a {} need.", need.title, id, kind->title));
        if (const Expected<std::string> checked = checkGoal(*goal, text); !checked)
            return problemOf(fmt::format("{}, {}: {}", need.title, goal->title, checked.problem().message));
    }
    return {};
}

GoalSpec priorityGoal() { return {"priority", "Priority", GoalSpec::Type::Integer, "0", {}, "Of its interrupts, in the chip's own levels. Nothing is written when it is not stated.", 0, 255, true}; }

GoalSpec aboveGoal() { return {"above", "More urgent than", GoalSpec::Type::Text, "", {}, "Id of a need whose interrupts may wait for these.", 0, 0, true}; }

namespace {
Urgency urgencyOf(const Device& device, const Plan& plan, const Need& need, std::size_t depth)
{
    Urgency out;
    if (const auto stated = need.goals.find("priority"); stated != need.goals.end())
        out.level = static_cast<std::uint32_t>(std::strtoul(stated->second.c_str(), nullptr, 10));
    const std::string above(trimmed(goalText(need, "above")));
    if (above.empty())
        return out;
    const Need* other = plan.need(above);
    if (!other || other == &need) {
        std::vector<std::string> ids;
        for (const Need& one : plan.needs)
            ids.push_back(one.id);
        out.trouble = other ? fmt::format("{} cannot be more urgent than itself", need.title) : fmt::format("no need is called \"{}\" that {} could be more urgent than.{}", above, need.title, didYouMean(above, ids));
        return out;
    }
    if (depth > plan.needs.size()) {
        out.trouble = fmt::format("{} and {} are each to be more urgent than the other", need.title, other->title);
        return out;
    }
    const Urgency less = urgencyOf(device, plan, *other, depth + 1);
    if (!less.trouble.empty()) {
        out.trouble = less.trouble;
        return out;
    }
    const Core& core = device.cores[static_cast<std::size_t>(std::max(device.findCore(need.core), 0))];
    const bool high = core.interruptController >= 0 && device.ability(core.interruptController, "urgent_is_high", 0) != 0;
    const std::uint32_t below = less.level.value_or(0);
    if (out.level && (high ? *out.level <= below : *out.level >= below))
        out.trouble = fmt::format("{} has priority {} and is to be more urgent than {}, which has {}", need.title, *out.level, other->title, below);
    else if (!out.level && !high && below == 0)
        out.trouble = fmt::format("{} has the most urgent priority, 0; give it another, so that {} can stand above it", other->title, need.title);
    else if (!out.level)
        out.level = high ? below + 1 : below - 1;
    return out;
}
} // namespace

Urgency urgencyOf(const Device& device, const Plan& plan, const Need& need) { return urgencyOf(device, plan, need, 0); }

void addDmaGoals(KindSpec& kind)
{
    using T = GoalSpec::Type;
    kind.goals.push_back({"dma_runs", "DMA runs", T::Choice, "once", {"once", "round"}, "Once: until all is moved. Round: it begins again at the start of the memory.", 0, 0, true});
    kind.goals.push_back({"dma_tells", "DMA tells", T::Choice, "nothing", {"nothing", "end", "half and end"}, "By an interrupt. Half and end: while one half is filled or sent the other is yours.", 0, 0, true});
    kind.goals.push_back({"dma_priority", "DMA priority", T::Integer, "0", {}, "Of its channels, in the controller's own levels.", 0, 255, true});
}

bool matters(const Need& need, std::string_view goal)
{
    const KindSpec* kind = findKind(need.kind);
    if (!kind || (goal != "above" && kind->relevant && !kind->relevant(need, goal)))
        return false;
    if (goal == "above")
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
    const std::string wanted = goalText(need, "dma");
    std::vector<std::string> out;
    if (wanted == "receive" || wanted == "both")
        out.push_back("RX");
    if (wanted == "transmit" || wanted == "both")
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
    const Expected<Frequency> rate = parseFrequency(goalText(need, goal));
    return rate ? *rate : Frequency();
}

Duration goalTime(const Need& need, std::string_view goal)
{
    const Expected<Duration> time = parseDuration(goalText(need, goal));
    return time ? *time : Duration();
}

Frequency fastestOf(const Need& need, std::string_view signal)
{
    const KindSpec* kind = findKind(need.kind);
    return kind && kind->fastest ? kind->fastest(need, signal) : Frequency();
}

} // namespace bindrel
