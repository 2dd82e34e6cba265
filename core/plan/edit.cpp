// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/edit.h"

#include "core/base/text.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

template <typename... Ts> struct Overloaded : Ts... {
    using Ts::operator()...;
};
template <typename... Ts> Overloaded(Ts...) -> Overloaded<Ts...>;

template <typename AnyPlan> auto& textOf(AnyPlan& plan, SetText::What what)
{
    switch (what) {
    case SetText::What::Name:
        return plan.name;
    case SetText::What::Supply:
        return plan.supply;
    case SetText::What::Range:
        return plan.range;
    case SetText::What::Prefix:
        break;
    }
    return plan.prefix;
}

const char* nameOf(SetText::What what)
{
    switch (what) {
    case SetText::What::Name:
        return "name";
    case SetText::What::Supply:
        return "supply";
    case SetText::What::Range:
        return "operating range";
    case SetText::What::Prefix:
        break;
    }
    return "prefix";
}

using Texts = std::map<std::string, std::string, std::less<>>;

void setOrErase(Texts& texts, const std::string& key, const std::optional<std::string>& value)
{
    if (value)
        texts[key] = *value;
    else
        texts.erase(key);
}

std::optional<std::string> found(const Texts& texts, std::string_view key)
{
    const auto it = texts.find(key);
    return it == texts.end() ? std::nullopt : std::optional(it->second);
}

Problem noNeed(const std::string& id) { return problemOf(fmt::format("the plan has no need \"{}\".", id)); }

std::size_t positionOf(const Plan& plan, std::string_view id)
{
    return static_cast<std::size_t>(
        std::find_if(plan.needs.begin(), plan.needs.end(), [&](const Need& n) { return n.id == id; }) - plan.needs.begin());
}

Outcome applyChange(Plan& plan, const Change& change)
{
    return std::visit(
        Overloaded{
            [&](const SetText& c) -> Outcome {
                textOf(plan, c.what) = c.value;
                return {};
            },
            [&](const SetClock& c) -> Outcome {
                setOrErase(plan.clocks, c.node, c.value);
                return {};
            },
            [&](const SetGoal& c) -> Outcome {
                Need* need = plan.need(c.need);
                if (!need)
                    return noNeed(c.need);
                const KindSpec* kind = findKind(need->kind);
                const GoalSpec* goal = kind ? kind->goal(c.goal) : nullptr;
                if (!goal)
                    return problemOf(fmt::format("{} has no goal \"{}\".", need->title, c.goal));
                if (!c.value) {
                    need->goals.erase(c.goal);
                } else {
                    Expected<std::string> text = checkGoal(*goal, *c.value);
                    if (!text)
                        return text.problem();
                    need->goals[c.goal] = *text;
                }
                // A goal can do away with signals (flow control off); their pads are then free again.
                const std::vector<SignalSpec> signals = kind->signals(*need);
                std::erase_if(need->binding.pads, [&](const auto& entry) {
                    return std::none_of(signals.begin(), signals.end(), [&](const SignalSpec& s) { return s.id == entry.first; });
                });
                return {};
            },
            [&](const SetBinding& c) -> Outcome {
                Need* need = plan.need(c.need);
                if (!need)
                    return noNeed(c.need);
                need->binding = c.binding;
                return {};
            },
            [&](const SetHold& c) -> Outcome {
                if (c.held)
                    plan.holds.insert(c.target);
                else
                    plan.holds.erase(c.target);
                return {};
            },
            [&](const InsertNeed& c) -> Outcome {
                if (c.need.id.empty() || plan.need(c.need.id))
                    return problemOf(fmt::format("the plan has a need \"{}\" already.", c.need.id));
                plan.needs.insert(plan.needs.begin() + static_cast<std::ptrdiff_t>(std::min(c.at, plan.needs.size())), c.need);
                return {};
            },
            [&](const RemoveNeed& c) -> Outcome {
                const std::size_t at = positionOf(plan, c.need);
                if (at == plan.needs.size())
                    return noNeed(c.need);
                plan.needs.erase(plan.needs.begin() + static_cast<std::ptrdiff_t>(at));
                return {};
            },
        },
        change);
}

/// The changes that undo one change, given the plan before it.
std::vector<Change> undoOf(const Plan& before, const Change& change)
{
    return std::visit(
        Overloaded{
            [&](const SetText& c) -> std::vector<Change> { return {SetText{c.what, textOf(before, c.what)}}; },
            [&](const SetClock& c) -> std::vector<Change> { return {SetClock{c.node, found(before.clocks, c.node)}}; },
            [&](const SetGoal& c) -> std::vector<Change> {
                const Need& need = *before.need(c.need);
                // The goal first: it brings back the signals that the old binding speaks of.
                return {SetGoal{c.need, c.goal, found(need.goals, c.goal)}, SetBinding{c.need, need.binding}};
            },
            [&](const SetBinding& c) -> std::vector<Change> { return {SetBinding{c.need, before.need(c.need)->binding}}; },
            [&](const SetHold& c) -> std::vector<Change> { return {SetHold{c.target, before.held(c.target)}}; },
            [&](const InsertNeed& c) -> std::vector<Change> { return {RemoveNeed{c.need.id}}; },
            [&](const RemoveNeed& c) -> std::vector<Change> {
                return {InsertNeed{positionOf(before, c.need), *before.need(c.need)}};
            },
        },
        change);
}

} // namespace

Edit editOf(std::string title, Change change) { return {std::move(title), {std::move(change)}}; }

Expected<Plan> applied(const Plan& plan, const Edit& edit)
{
    Plan next = plan;
    for (const Change& change : edit.changes)
        if (Outcome outcome = applyChange(next, change); !outcome)
            return outcome.problem();
    return next;
}

Edit inverse(const Plan& plan, const Edit& edit)
{
    Edit back{edit.title, {}};
    Plan step = plan;
    for (const Change& change : edit.changes) {
        const std::vector<Change> undo = undoOf(step, change);
        back.changes.insert(back.changes.begin(), undo.begin(), undo.end());
        if (!applyChange(step, change))
            break;
    }
    return back;
}

std::string describe(const Plan& before, const Change& change)
{
    const auto arrow = [](const std::string& from, const std::string& to) {
        return fmt::format("{} \u2192 {}", from.empty() ? "as it was at reset" : from, to.empty() ? "as at reset" : to);
    };
    const auto title = [&](const std::string& id) {
        const Need* need = before.need(id);
        return need ? need->title : id;
    };
    return std::visit(
        Overloaded{
            [&](const SetText& c) {
                return fmt::format("{}: {}", nameOf(c.what), arrow(textOf(before, c.what), c.value));
            },
            [&](const SetClock& c) {
                return fmt::format("{}: {}", c.node, arrow(found(before.clocks, c.node).value_or(""), c.value.value_or("")));
            },
            [&](const SetGoal& c) {
                const Need* need = before.need(c.need);
                const KindSpec* kind = need ? findKind(need->kind) : nullptr;
                const GoalSpec* goal = kind ? kind->goal(c.goal) : nullptr;
                return fmt::format("{}, {}: {} \u2192 {}", title(c.need), goal ? lowered(goal->title) : c.goal,
                                   need ? goalText(*need, c.goal) : "", c.value ? *c.value : goal ? goal->fallback : "");
            },
            [&](const SetBinding& c) {
                if (c.binding.empty())
                    return fmt::format("{}: unbound", title(c.need));
                const Need* need = before.need(c.need);
                const Binding old = need ? need->binding : Binding();
                std::vector<std::string> parts;
                if (!c.binding.instance.empty())
                    parts.push_back(old.instance.empty() || old.instance == c.binding.instance ? c.binding.instance : old.instance + " \u2192 " + c.binding.instance);
                for (const auto& [signal, pad] : c.binding.pads) {
                    const auto was = old.pads.find(signal);
                    if (was == old.pads.end())
                        parts.push_back(signal + " " + pad);
                    else if (was->second != pad)
                        parts.push_back(signal + " " + was->second + " \u2192 " + pad);
                }
                return fmt::format("{}: {}", title(c.need), parts.empty() ? "as it is" : joined(parts, ", "));
            },
            [&](const SetHold& c) { return fmt::format("{} {}", c.held ? "hold" : "let go", c.target); },
            [&](const InsertNeed& c) { return fmt::format("{}: added", c.need.title); },
            [&](const RemoveNeed& c) { return fmt::format("{}: removed", title(c.need)); },
        },
        change);
}

} // namespace bindrel
