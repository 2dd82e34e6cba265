// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of needs: goals, places, pads, and the needs themselves.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/changes/lookup.h"
#include "core/plan/kind.h"
#include "core/plan/pin_property.h"
#include "core/plan/plain_fields.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

Problem noNeed(const std::string& id)
{
    return problemOf(say("the plan has no need \"{}\".", id));
}

std::size_t positionOf(const Plan& plan, std::string_view id)
{
    return static_cast<std::size_t>(
        std::find_if(plan.needs.begin(), plan.needs.end(), [&](const Need& n) { return n.id == id; }) -
        plan.needs.begin());
}

bool hasSignal(const Need& need, std::string_view id)
{
    const std::vector<SignalSpec> signals = signalsOf(need);
    return std::any_of(signals.begin(), signals.end(), [id](const SignalSpec& signal) { return signal.id == id; });
}

/// What a file could not be read with again.
Outcome checkTexts(const Need& need)
{
    for (const auto& [field, text] : need.overrides)
        if (Outcome readable = checkPlainField(field, text); !readable)
            return readable;
    return checkGoals(need);
}

} // namespace

bool isThere(const Plan& plan, const Hold& hold)
{
    if (hold.of == Hold::Of::Clock)
        return true;
    const Need* need = plan.need(hold.id);
    return need && (hold.signal.empty() || hasSignal(*need, hold.signal));
}

Outcome SetGoal::apply(Plan& plan) const
{
    Need* owner = plan.need(need);
    if (!owner)
        return noNeed(need);
    const KindSpec* kind = findKind(owner->kind);
    const GoalSpec* spec = kind ? kind->goal(goal) : nullptr;
    if (!spec)
        return problemOf(say("{} has no goal \"{}\".", owner->title, goal));
    if (!value) {
        owner->goals.erase(goal);
    } else {
        Expected<std::string> text = checkGoal(*spec, *value);
        if (!text)
            return text.problem();
        owner->goals.state(goal, *text);
    }
    return {};
}

Change SetGoal::undo(const Plan& before) const
{
    // A goal can do away with signals, and with what was said of them.
    return ReplaceNeed{need, *before.need(need)};
}

std::string SetGoal::words(const Plan& before) const
{
    const Need* owner = before.need(need);
    const KindSpec* kind = owner ? findKind(owner->kind) : nullptr;
    const GoalSpec* spec = kind ? kind->goal(goal) : nullptr;
    return fmt::format("{}, {}: {} \u2192 {}", titleIn(before, need), spec ? lowered(say(spec->title)) : goal,
                       owner ? goalText(*owner, goal) : "",
                       value  ? *value
                       : spec ? spec->fallback
                              : "");
}

Outcome SetBinding::apply(Plan& plan) const
{
    Need* owner = plan.need(need);
    if (!owner)
        return noNeed(need);
    owner->binding = binding;
    return {};
}

Change SetBinding::undo(const Plan& before) const
{
    return SetBinding{need, before.need(need)->binding};
}

std::string SetBinding::words(const Plan& before) const
{
    if (binding.empty())
        return say("{}: unbound", titleIn(before, need));
    const Need* owner = before.need(need);
    const Binding old = owner ? owner->binding : Binding();
    std::vector<std::string> parts;
    if (!binding.instance.empty())
        parts.push_back(old.instance.empty() || old.instance == binding.instance
                            ? binding.instance
                            : old.instance + " \u2192 " + binding.instance);
    for (const auto& [signal, pad] : binding.pads) {
        const auto was = old.pads.find(signal);
        const auto via = binding.via.find(signal);
        const auto viaWas = old.via.find(signal);
        const std::string by = via == binding.via.end() ? "" : say(" by {}", via->second);
        const bool otherWay = by != (viaWas == old.via.end() ? "" : say(" by {}", viaWas->second));
        if (was == old.pads.end())
            parts.push_back(signal + " " + pad + by);
        else if (was->second != pad)
            parts.push_back(signal + " " + was->second + " \u2192 " + pad + by);
        else if (otherWay)
            parts.push_back(signal + " " + pad + (by.empty() ? say(" on the first route") : by));
    }
    return fmt::format("{}: {}", titleIn(before, need), parts.empty() ? say("as it is") : joined(parts, ", "));
}

Outcome SetHold::apply(Plan& plan) const
{
    if (held && !isThere(plan, target))
        return problemOf(say("the plan has nothing that \"{}\" could hold.", holdText(target)));
    if (held)
        plan.holds.insert(target);
    else
        plan.holds.erase(target);
    return {};
}

Change SetHold::undo(const Plan& before) const
{
    return SetHold{target, before.held(target)};
}

std::string SetHold::words(const Plan&) const
{
    return fmt::format("{} {}", held ? "hold" : "release", holdText(target));
}

Outcome InsertNeed::apply(Plan& plan) const
{
    if (need.id.empty() || plan.need(need.id))
        return problemOf(say("the plan has a need \"{}\" already.", need.id));
    if (Outcome readable = checkTexts(need); !readable)
        return readable;
    plan.needs.insert(plan.needs.begin() + static_cast<std::ptrdiff_t>(std::min(at, plan.needs.size())), need);
    return {};
}

Change InsertNeed::undo(const Plan&) const
{
    return RemoveNeed{need.id};
}

std::string InsertNeed::words(const Plan&) const
{
    return say("{}: added", need.title);
}

Outcome RemoveNeed::apply(Plan& plan) const
{
    const std::size_t at = positionOf(plan, need);
    if (at == plan.needs.size())
        return noNeed(need);
    plan.needs.erase(plan.needs.begin() + static_cast<std::ptrdiff_t>(at));
    return {};
}

Change RemoveNeed::undo(const Plan& before) const
{
    return InsertNeed{positionOf(before, need), *before.need(need)};
}

std::string RemoveNeed::words(const Plan& before) const
{
    return say("{}: removed", titleIn(before, need));
}

Outcome ReplaceNeed::apply(Plan& plan) const
{
    Need* owner = plan.need(need);
    if (!owner)
        return noNeed(need);
    if (with.id.empty() || (with.id != need && plan.need(with.id)))
        return problemOf(say("the plan has a need \"{}\" already.", with.id));
    if (Outcome readable = checkTexts(with); !readable)
        return readable;
    *owner = with;
    return {};
}

Change ReplaceNeed::undo(const Plan& before) const
{
    return ReplaceNeed{with.id, *before.need(need)};
}

std::string ReplaceNeed::words(const Plan& before) const
{
    const std::string was = titleIn(before, need);
    return was == with.title ? say("{}: changed", was) : say("{} becomes {}", was, with.title);
}

Outcome SetTerminals::apply(Plan& plan) const
{
    Need* owner = plan.need(need);
    if (!owner)
        return noNeed(need);
    // What leads nowhere while a goal leaves its signal out comes back with the goal.
    owner->terminals = terminals;
    return {};
}

Change SetTerminals::undo(const Plan& before) const
{
    return SetTerminals{need, before.need(need)->terminals};
}

std::string SetTerminals::words(const Plan& before) const
{
    const Need* owner = before.need(need);
    const auto leadsTo = [](const auto& map, const std::string& signal) {
        const auto known = map.find(signal);
        return known == map.end() ? signal : known->second;
    };
    std::vector<std::string> out;
    if (owner)
        for (const SignalSpec& signal : signalsOf(*owner))
            if (const std::string was = leadsTo(owner->terminals, signal.id), is = leadsTo(terminals, signal.id);
                was != is)
                out.push_back(say("{} to {} \u2192 {}", lowered(say(signal.title)), was, is));
    return say("terminals of {}: {}", titleIn(before, need),
               out.empty() ? std::string(say("as they are")) : joined(out, ", "));
}

Outcome SetPin::apply(Plan& plan) const
{
    Need* owner = plan.need(need);
    if (!owner)
        return noNeed(need);
    const std::vector<SignalSpec> signals = signalsOf(*owner);
    if (std::none_of(signals.begin(), signals.end(), [this](const SignalSpec& s) { return s.id == signal; }))
        return problemOf(say("{} has no signal \"{}\".", owner->title, signal));
    if (value && isPinGoal(*owner, property))
        return problemOf(say("{} of {} is a goal of the need.", property, owner->title));
    if (!value) {
        if (const auto said = owner->pins.find(signal); said != owner->pins.end()) {
            said->second.erase(property);
            if (said->second.empty())
                owner->pins.erase(said);
        }
        return {};
    }
    Expected<std::string> text = checkPinProperty(property, *value);
    if (!text)
        return text.problem();
    owner->pins[signal][property] = *text;
    return {};
}

Change SetPin::undo(const Plan& before) const
{
    const auto& pins = before.need(need)->pins;
    const auto said = pins.find(signal);
    return SetPin{need, signal, property, said == pins.end() ? std::nullopt : found(said->second, property)};
}

std::string SetPin::words(const Plan& before) const
{
    const Need* owner = before.need(need);
    const PinProperty* known = findPinProperty(property);
    const std::optional<std::string> was = owner ? pinProperty(*owner, signal, property) : std::nullopt;
    return fmt::format("{} {}, {}: {} \u2192 {}", titleIn(before, need), signal,
                       known ? lowered(known->title) : property, was.value_or("automatic"),
                       value.value_or("automatic"));
}

Outcome SetOverride::apply(Plan& plan) const
{
    Need* owner = plan.need(need);
    if (!owner)
        return noNeed(need);
    if (Outcome readable = value ? checkPlainField(field, *value) : Outcome(); !readable)
        return readable;
    setOrErase(owner->overrides, field, value);
    return {};
}

Change SetOverride::undo(const Plan& before) const
{
    return SetOverride{need, field, found(before.need(need)->overrides, field)};
}

std::string SetOverride::words(const Plan& before) const
{
    const Need* owner = before.need(need);
    return fmt::format("{}, {}: {} \u2192 {}", titleIn(before, need), field,
                       owner ? found(owner->overrides, field).value_or(say("as the goals ask")) : "",
                       value ? *value + say(", set by hand") : say("as the goals ask"));
}

} // namespace bindrel
