// SPDX-License-Identifier: GPL-3.0-or-later
// Changes in words, for the history and for what a search proposes.
#include "core/base/text.h"
#include "core/device/net_resistors.h"
#include "core/plan/board_facts.h"
#include "core/plan/change_lookup.h"
#include "core/plan/crystal_text.h"
#include "core/plan/kind.h"
#include "core/plan/pin_property.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

const char* nameOf(SetText::What what)
{
    switch (what) {
    case SetText::What::Name:
        return "name";
    case SetText::What::Device:
        return "device";
    case SetText::What::Board:
        return "board";
    case SetText::What::Supply:
        return "supply";
    case SetText::What::Temperature:
        return "temperature";
    case SetText::What::Outline:
        return "board size";
    case SetText::What::ChipPlace:
        return "chip position";
    case SetText::What::Stack:
        return "stack";
    case SetText::What::Heap:
        return "heap";
    case SetText::What::Range:
        return "operating range";
    case SetText::What::Regulator:
        return "regulator";
    case SetText::What::Prefix:
        break;
    }
    return "prefix";
}

} // namespace

std::string describe(const Plan& before, const Change& change)
{
    const auto arrow = [](const std::string& from, const std::string& to) {
        return fmt::format("{} \u2192 {}", from.empty() ? "reset value" : from, to.empty() ? "reset value" : to);
    };
    const auto title = [&](const std::string& id) {
        const Need* need = before.need(id);
        return need ? need->title : id;
    };
    return std::visit(
        Overloaded{
            [&](const SetText& c) {
                using What = SetText::What;
                if (c.what != What::Supply && c.what != What::Temperature && c.what != What::Outline &&
                    c.what != What::ChipPlace && c.what != What::Stack && c.what != What::Heap)
                    return fmt::format("{}: {}", nameOf(c.what), arrow(textOf(before, c.what), c.value));
                const bool memory = c.what == What::Stack || c.what == What::Heap;
                const auto said = [memory](const std::string& text) {
                    return !text.empty() ? text : memory ? "not stated" : "as the board says";
                };
                return fmt::format("{}: {} \u2192 {}", nameOf(c.what), said(textOf(before, c.what)), said(c.value));
            },
            [&](const SetClock& c) {
                return fmt::format("{}: {}", c.node,
                                   arrow(found(before.clocks, c.node).value_or(""), c.value.value_or("")));
            },
            [&](const SetSlow& c) {
                return fmt::format("low-speed clock set: {} \u2192 {}",
                                   before.slow ? counted(long(before.slow->clocks.size()), "decision") : "none",
                                   c.set ? counted(long(c.set->clocks.size()), "decision") : "none");
            },
            [&](const SetOnFailure& c) {
                return fmt::format("if a clock fails to start: {} \u2192 {}", nameOf(before.onFailure),
                                   nameOf(c.policy));
            },
            [&](const SetLeftOut& c) {
                const auto words = [](const std::set<OutputPart>& parts) {
                    std::vector<std::string> names;
                    for (const OutputPart part : parts)
                        names.push_back(nameOf(part));
                    return names.empty() ? std::string("nothing") : listed(names);
                };
                return "left out of the project: " + arrow(words(before.leftOut), words(c.parts));
            },
            [&](const SetStored& c) {
                return fmt::format("{} in non-volatile memory: {}", c.setting,
                                   arrow(found(before.stored, c.setting).value_or("factory default"),
                                         c.value.value_or("factory default")));
            },
            [&](const SetMode& c) {
                return fmt::format("low-power mode {}: {}", c.mode,
                                   c.entered ? "the program enters it" : "not entered");
            },
            [&](const SetGoal& c) {
                const Need* need = before.need(c.need);
                const KindSpec* kind = need ? findKind(need->kind) : nullptr;
                const GoalSpec* goal = kind ? kind->goal(c.goal) : nullptr;
                return fmt::format("{}, {}: {} \u2192 {}", title(c.need), goal ? lowered(goal->title) : c.goal,
                                   need ? goalText(*need, c.goal) : "",
                                   c.value ? *c.value
                                   : goal  ? goal->fallback
                                           : "");
            },
            [&](const SetBinding& c) {
                if (c.binding.empty())
                    return fmt::format("{}: unbound", title(c.need));
                const Need* need = before.need(c.need);
                const Binding old = need ? need->binding : Binding();
                std::vector<std::string> parts;
                if (!c.binding.instance.empty())
                    parts.push_back(old.instance.empty() || old.instance == c.binding.instance
                                        ? c.binding.instance
                                        : old.instance + " \u2192 " + c.binding.instance);
                for (const auto& [signal, pad] : c.binding.pads) {
                    const auto was = old.pads.find(signal);
                    const auto via = c.binding.via.find(signal);
                    const auto viaWas = old.via.find(signal);
                    const std::string by = via == c.binding.via.end() ? "" : " by " + via->second;
                    const bool otherWay = by != (viaWas == old.via.end() ? "" : " by " + viaWas->second);
                    if (was == old.pads.end())
                        parts.push_back(signal + " " + pad + by);
                    else if (was->second != pad)
                        parts.push_back(signal + " " + was->second + " \u2192 " + pad + by);
                    else if (otherWay)
                        parts.push_back(signal + " " + pad + (by.empty() ? " on the first route" : by));
                }
                return fmt::format("{}: {}", title(c.need), parts.empty() ? "as it is" : joined(parts, ", "));
            },
            [&](const SetHold& c) { return fmt::format("{} {}", c.held ? "hold" : "let go", c.target); },
            [&](const InsertNeed& c) { return fmt::format("{}: added", c.need.title); },
            [&](const RemoveNeed& c) { return fmt::format("{}: removed", title(c.need)); },
            [&](const SetPin& c) {
                const Need* need = before.need(c.need);
                const PinProperty* property = findPinProperty(c.property);
                const std::optional<std::string> was = need ? pinProperty(*need, c.signal, c.property) : std::nullopt;
                return fmt::format("{} {}, {}: {} \u2192 {}", title(c.need), c.signal,
                                   property ? lowered(property->title) : c.property, was.value_or("automatic"),
                                   c.value.value_or("automatic"));
            },
            [&](const SetOverride& c) {
                const Need* need = before.need(c.need);
                return fmt::format("{}, {}: {} \u2192 {}", title(c.need), c.field,
                                   need ? found(need->overrides, c.field).value_or("as the goals ask") : "",
                                   c.value ? *c.value + ", set by hand" : "as the goals ask");
            },
            [&](const SetNet& c) {
                return fmt::format("net of {}: {} \u2192 {}", c.pad,
                                   found(before.nets, c.pad).value_or("from the board"),
                                   c.net ? (c.net->empty() ? "not routed" : *c.net) : "from the board");
            },
            [&](const SetResistors& c) {
                const auto text = [](const std::optional<NetResistors>& resistors) {
                    return resistors ? resistorsText(*resistors) : std::string("from the board");
                };
                return fmt::format("resistors at {}: {} \u2192 {}", c.pad, text(resistorsIn(before, c.pad)),
                                   text(c.resistors));
            },
            [&](const SetCrystal& c) {
                const auto text = [](const std::optional<std::optional<CrystalFact>>& crystal) {
                    return crystal ? crystalText(*crystal) : std::string("from the board");
                };
                return fmt::format("at {}: {} \u2192 {}", c.clock, text(fittedIn(before, c.clock)), text(c.crystal));
            },
            [&](const SetPlace& c) {
                return fmt::format("place of {}: {} \u2192 {}", c.part,
                                   found(before.places, c.part).value_or("from the board"),
                                   c.place.value_or("from the board"));
            },
            [&](const SetWish& c) {
                const auto text = [](const std::optional<WishStrength>& strength) {
                    return strength ? nameOf(*strength) : "from the board";
                };
                return fmt::format("\"{}\": {} \u2192 {}", c.sentence, text(wishIn(before, c.sentence)),
                                   text(c.strength));
            },
            [&](const ReplaceNeed& c) {
                const std::string was = title(c.need);
                return was == c.with.title ? fmt::format("{}: changed", was)
                                           : fmt::format("{} becomes {}", was, c.with.title);
            },
            [&](const InsertPart& c) { return fmt::format("{}: part added", c.part.title); },
            [&](const RemovePart& c) { return fmt::format("{}: part removed", c.part); },
        },
        change);
}

} // namespace bindrel
