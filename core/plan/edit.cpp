// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/edit.h"

#include "core/base/text.h"
#include "core/device/net_resistors.h"
#include "core/plan/board_entry.h"
#include "core/plan/board_facts.h"
#include "core/plan/change_lookup.h"
#include "core/plan/kind.h"
#include "core/plan/memory_size.h"
#include "core/plan/pin_property.h"
#include "core/plan/plain_fields.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

void setOrErase(Texts& texts, const std::string& key, const std::optional<std::string>& value)
{
    if (value)
        texts[key] = *value;
    else
        texts.erase(key);
}

Problem noNeed(const std::string& id)
{
    return problemOf(fmt::format("the plan has no need \"{}\".", id));
}

std::size_t positionOf(const Plan& plan, std::string_view id)
{
    return static_cast<std::size_t>(
        std::find_if(plan.needs.begin(), plan.needs.end(), [&](const Need& n) { return n.id == id; }) -
        plan.needs.begin());
}

std::size_t partPosition(const Plan& plan, std::string_view id)
{
    return static_cast<std::size_t>(
        std::find_if(plan.parts.begin(), plan.parts.end(), [&](const Part& p) { return p.id == id; }) -
        plan.parts.begin());
}

bool hasSignal(const Need& need, std::string_view id)
{
    const std::vector<SignalSpec> signals = signalsOf(need);
    return std::any_of(signals.begin(), signals.end(), [id](const SignalSpec& signal) { return signal.id == id; });
}

/// Whether the plan has what a hold names; clocks are the device's business.
bool isThere(const Plan& plan, std::string_view target)
{
    const std::vector<std::string> words = splitted(target, ' ');
    if (words.size() < 2 || words[0] != "need")
        return true;
    const Need* need = plan.need(words[1]);
    return need && (words.size() == 2 || hasSignal(*need, words[2]));
}

/// A goal can remove signals and DMA requests (flow control off), and an edit whole needs. Their pads, properties,
/// channels and holds are removed too; otherwise the plan could be saved but not opened again.
void dropWhatIsGone(Plan& plan, const Edit& edit)
{
    bool any = false;
    for (const Change& change : edit.changes) {
        const std::string id = std::visit(
            Overloaded{[](const SetGoal& c) { return c.need; }, [](const SetBinding& c) { return c.need; },
                       [](const InsertNeed& c) { return c.need.id; }, [](const ReplaceNeed& c) { return c.with.id; },
                       [](const RemoveNeed& c) { return c.need; }, [](const auto&) { return std::string(); }},
            change);
        any = any || !id.empty();
        Need* need = id.empty() ? nullptr : plan.need(id);
        if (!need)
            continue;
        const std::vector<SignalSpec> signals = signalsOf(*need);
        const auto gone = [&signals](const auto& entry) {
            return std::none_of(signals.begin(), signals.end(),
                                [&](const SignalSpec& signal) { return signal.id == entry.first; });
        };
        Binding& binding = need->binding;
        std::erase_if(binding.pads, gone);
        std::erase_if(binding.via, [&](const auto& entry) { return !binding.pads.contains(entry.first); });
        std::erase_if(need->pins, gone);
        if (!binding.dma.empty()) {
            const std::vector<std::string> requests = requestsOf(*need);
            std::erase_if(binding.dma, [&requests](const auto& entry) {
                return std::find(requests.begin(), requests.end(), entry.first) == requests.end();
            });
        }
    }
    if (any)
        std::erase_if(plan.holds, [&plan](const std::string& hold) { return !isThere(plan, hold); });
}

/// What a file could not be read with again.
Outcome checkTexts(const Need& need)
{
    for (const auto& [field, text] : need.overrides)
        if (Outcome readable = checkPlainField(field, text); !readable)
            return readable;
    return checkGoals(need);
}

Outcome applyChange(Plan& plan, const Change& change)
{
    return std::visit(
        Overloaded{
            [&](const SetText& c) -> Outcome {
                if (c.what == SetText::What::Supply && !c.value.empty())
                    if (const Expected<Voltage> supply = parseVoltage(c.value); !supply)
                        return supply.problem();
                if (c.what == SetText::What::Temperature && !c.value.empty())
                    if (const Expected<TemperatureRange> range = parseTemperatures(c.value); !range)
                        return range.problem();
                if (c.what == SetText::What::Outline && !c.value.empty())
                    if (const Expected<BoardOutline> outline = parseOutline(c.value); !outline)
                        return outline.problem();
                if (c.what == SetText::What::ChipPlace && !c.value.empty())
                    if (const Expected<BoardPlace> place = parsePlace(c.value); !place)
                        return place.problem();
                if ((c.what == SetText::What::Stack || c.what == SetText::What::Heap) && !c.value.empty())
                    if (const Expected<std::uint32_t> size = parseMemorySize(c.value); !size)
                        return size.problem();
                textOf(plan, c.what) = c.value;
                return {};
            },
            [&](const SetClock& c) -> Outcome {
                setOrErase(plan.clocks, c.node, c.value);
                return {};
            },
            [&](const SetSlow& c) -> Outcome {
                plan.slow = c.set;
                return {};
            },
            [&](const SetOnFailure& c) -> Outcome {
                plan.onFailure = c.policy;
                return {};
            },
            [&](const SetLeftOut& c) -> Outcome {
                plan.leftOut = c.parts;
                return {};
            },
            [&](const SetStored& c) -> Outcome {
                setOrErase(plan.stored, c.setting, c.value);
                return {};
            },
            [&](const SetMode& c) -> Outcome {
                if (c.entered)
                    plan.modes.insert(c.mode);
                else
                    plan.modes.erase(c.mode);
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
                    need->goals.state(c.goal, *text);
                }
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
                if (c.held && !isThere(plan, c.target))
                    return problemOf(fmt::format("the plan has nothing that \"{}\" could hold.", c.target));
                if (c.held)
                    plan.holds.insert(c.target);
                else
                    plan.holds.erase(c.target);
                return {};
            },
            [&](const InsertNeed& c) -> Outcome {
                if (c.need.id.empty() || plan.need(c.need.id))
                    return problemOf(fmt::format("the plan has a need \"{}\" already.", c.need.id));
                if (Outcome readable = checkTexts(c.need); !readable)
                    return readable;
                plan.needs.insert(plan.needs.begin() + static_cast<std::ptrdiff_t>(std::min(c.at, plan.needs.size())),
                                  c.need);
                return {};
            },
            [&](const RemoveNeed& c) -> Outcome {
                const std::size_t at = positionOf(plan, c.need);
                if (at == plan.needs.size())
                    return noNeed(c.need);
                plan.needs.erase(plan.needs.begin() + static_cast<std::ptrdiff_t>(at));
                return {};
            },
            [&](const SetPin& c) -> Outcome {
                Need* need = plan.need(c.need);
                if (!need)
                    return noNeed(c.need);
                const std::vector<SignalSpec> signals = signalsOf(*need);
                if (std::none_of(signals.begin(), signals.end(),
                                 [&c](const SignalSpec& s) { return s.id == c.signal; }))
                    return problemOf(fmt::format("{} has no signal \"{}\".", need->title, c.signal));
                if (c.value && isPinGoal(*need, c.property))
                    return problemOf(fmt::format("{} of {} is a goal of the need.", c.property, need->title));
                if (!c.value) {
                    if (const auto said = need->pins.find(c.signal); said != need->pins.end()) {
                        said->second.erase(c.property);
                        if (said->second.empty())
                            need->pins.erase(said);
                    }
                    return {};
                }
                Expected<std::string> text = checkPinProperty(c.property, *c.value);
                if (!text)
                    return text.problem();
                need->pins[c.signal][c.property] = *text;
                return {};
            },
            [&](const SetOverride& c) -> Outcome {
                Need* need = plan.need(c.need);
                if (!need)
                    return noNeed(c.need);
                if (Outcome readable = c.value ? checkPlainField(c.field, *c.value) : Outcome(); !readable)
                    return readable;
                setOrErase(need->overrides, c.field, c.value);
                return {};
            },
            [&](const SetNet& c) -> Outcome {
                if (c.net && !c.net->empty())
                    if (const Expected<std::string> net = checkPinProperty("net", *c.net); !net)
                        return net.problem();
                setOrErase(plan.nets, c.pad, c.net);
                return {};
            },
            [&](const SetResistors& c) -> Outcome {
                if (c.resistors) {
                    const Expected<NetResistors> readable = resistorsFrom(resistorsText(*c.resistors));
                    if (!readable)
                        return readable.problem();
                    if (*readable != *c.resistors)
                        return problemOf(fmt::format("\"{}\" is not exactly what was meant; give the resistance with "
                                                     "decimals, and a net without commas.",
                                                     resistorsText(*c.resistors)));
                    plan.resistors[c.pad] = *c.resistors;
                } else {
                    plan.resistors.erase(c.pad);
                }
                return {};
            },
            [&](const SetCrystal& c) -> Outcome {
                if (c.crystal)
                    plan.crystals[c.clock] = *c.crystal;
                else
                    plan.crystals.erase(c.clock);
                return {};
            },
            [&](const SetPlace& c) -> Outcome {
                const Expected<BoardPlace> place = c.place ? parsePlace(*c.place) : BoardPlace();
                if (!place)
                    return place.problem();
                setOrErase(plan.places, c.part, c.place ? std::optional(placeText(*place)) : std::nullopt);
                return {};
            },
            [&](const SetWish& c) -> Outcome {
                const Expected<Wish> wish = parseWish(c.sentence);
                if (!wish)
                    return wish.problem();
                if (wishText(*wish) != c.sentence)
                    return problemOf(fmt::format("a wish is kept as \"{}\".", wishText(*wish)));
                if (c.strength)
                    plan.wishes[c.sentence] = *c.strength;
                else
                    plan.wishes.erase(c.sentence);
                return {};
            },
            [&](const ReplaceNeed& c) -> Outcome {
                Need* need = plan.need(c.need);
                if (!need)
                    return noNeed(c.need);
                if (c.with.id.empty() || (c.with.id != c.need && plan.need(c.with.id)))
                    return problemOf(fmt::format("the plan has a need \"{}\" already.", c.with.id));
                if (Outcome readable = checkTexts(c.with); !readable)
                    return readable;
                *need = c.with;
                return {};
            },
            [&](const InsertPart& c) -> Outcome {
                if (c.part.id.empty() || partPosition(plan, c.part.id) < plan.parts.size())
                    return problemOf(fmt::format("the plan has a part \"{}\" already.", c.part.id));
                plan.parts.insert(plan.parts.begin() + static_cast<std::ptrdiff_t>(std::min(c.at, plan.parts.size())),
                                  c.part);
                return {};
            },
            [&](const RemovePart& c) -> Outcome {
                const std::size_t at = partPosition(plan, c.part);
                if (at == plan.parts.size())
                    return problemOf(fmt::format("the plan has added no part \"{}\".", c.part));
                plan.parts.erase(plan.parts.begin() + static_cast<std::ptrdiff_t>(at));
                return {};
            },
        },
        change);
}

/// The changes that undo one change, given the plan before it.
std::vector<Change> undoOf(const Plan& before, const Change& change)
{
    return std::visit(Overloaded{
                          [&](const SetText& c) -> std::vector<Change> {
                              return {SetText{c.what, textOf(before, c.what)}};
                          },
                          [&](const SetClock& c) -> std::vector<Change> {
                              return {SetClock{c.node, found(before.clocks, c.node)}};
                          },
                          [&](const SetSlow&) -> std::vector<Change> { return {SetSlow{before.slow}}; },
                          [&](const SetOnFailure&) -> std::vector<Change> { return {SetOnFailure{before.onFailure}}; },
                          [&](const SetLeftOut&) -> std::vector<Change> { return {SetLeftOut{before.leftOut}}; },
                          [&](const SetStored& c) -> std::vector<Change> {
                              return {SetStored{c.setting, found(before.stored, c.setting)}};
                          },
                          [&](const SetMode& c) -> std::vector<Change> {
                              return {SetMode{c.mode, before.modes.contains(c.mode)}};
                          },
                          [&](const SetGoal& c) -> std::vector<Change> {
                              // A goal can do away with signals, and with what was said of them.
                              return {ReplaceNeed{c.need, *before.need(c.need)}};
                          },
                          [&](const SetBinding& c) -> std::vector<Change> {
                              return {SetBinding{c.need, before.need(c.need)->binding}};
                          },
                          [&](const SetHold& c) -> std::vector<Change> {
                              return {SetHold{c.target, before.held(c.target)}};
                          },
                          [&](const InsertNeed& c) -> std::vector<Change> { return {RemoveNeed{c.need.id}}; },
                          [&](const RemoveNeed& c) -> std::vector<Change> {
                              return {InsertNeed{positionOf(before, c.need), *before.need(c.need)}};
                          },
                          [&](const SetPin& c) -> std::vector<Change> {
                              const auto& pins = before.need(c.need)->pins;
                              const auto said = pins.find(c.signal);
                              return {SetPin{c.need, c.signal, c.property,
                                             said == pins.end() ? std::nullopt : found(said->second, c.property)}};
                          },
                          [&](const SetOverride& c) -> std::vector<Change> {
                              return {SetOverride{c.need, c.field, found(before.need(c.need)->overrides, c.field)}};
                          },
                          [&](const SetNet& c) -> std::vector<Change> {
                              return {SetNet{c.pad, found(before.nets, c.pad)}};
                          },
                          [&](const SetResistors& c) -> std::vector<Change> {
                              return {SetResistors{c.pad, resistorsIn(before, c.pad)}};
                          },
                          [&](const SetCrystal& c) -> std::vector<Change> {
                              return {SetCrystal{c.clock, fittedIn(before, c.clock)}};
                          },
                          [&](const SetPlace& c) -> std::vector<Change> {
                              return {SetPlace{c.part, found(before.places, c.part)}};
                          },
                          [&](const SetWish& c) -> std::vector<Change> {
                              return {SetWish{c.sentence, wishIn(before, c.sentence)}};
                          },
                          [&](const ReplaceNeed& c) -> std::vector<Change> {
                              return {ReplaceNeed{c.with.id, *before.need(c.need)}};
                          },
                          [&](const InsertPart& c) -> std::vector<Change> { return {RemovePart{c.part.id}}; },
                          [&](const RemovePart& c) -> std::vector<Change> {
                              const std::size_t at = partPosition(before, c.part);
                              return {InsertPart{at, before.parts[at]}};
                          },
                      },
                      change);
}

} // namespace

Edit editOf(std::string title, Change change)
{
    return {std::move(title), {std::move(change)}};
}

Expected<Plan> applied(const Plan& plan, const Edit& edit)
{
    Plan next = plan;
    for (const Change& change : edit.changes)
        if (Outcome outcome = applyChange(next, change); !outcome)
            return outcome.problem();
    dropWhatIsGone(next, edit);
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
    // Restore holds that were removed together with their need or signal.
    const Expected<Plan> after = applied(plan, edit);
    const Expected<Plan> again = after ? applied(*after, back) : after;
    if (again)
        for (const std::string& hold : plan.holds)
            if (!again->holds.contains(hold))
                back.changes.push_back(SetHold{hold, true});
    return back;
}

Edit difference(const Plan& before, const Plan& after, std::string title)
{
    Edit edit{std::move(title), {}};
    using What = SetText::What;
    for (const What what : {What::Name, What::Device, What::Board, What::Supply, What::Temperature, What::Outline,
                            What::ChipPlace, What::Stack, What::Heap, What::Range, What::Regulator, What::Prefix})
        if (textOf(before, what) != textOf(after, what))
            edit.changes.push_back(SetText{what, textOf(after, what)});
    for (const auto& [node, value] : before.clocks)
        if (!after.clocks.contains(node))
            edit.changes.push_back(SetClock{node, std::nullopt});
    for (const auto& [node, value] : after.clocks)
        if (found(before.clocks, node) != value)
            edit.changes.push_back(SetClock{node, value});
    if (before.onFailure != after.onFailure)
        edit.changes.push_back(SetOnFailure{after.onFailure});
    if (before.leftOut != after.leftOut)
        edit.changes.push_back(SetLeftOut{after.leftOut});
    for (const auto& [setting, value] : before.stored)
        if (!after.stored.contains(setting))
            edit.changes.push_back(SetStored{setting, std::nullopt});
    for (const auto& [setting, value] : after.stored)
        if (found(before.stored, setting) != value)
            edit.changes.push_back(SetStored{setting, value});
    if (before.slow != after.slow)
        edit.changes.push_back(SetSlow{after.slow});
    for (const std::string& mode : before.modes)
        if (!after.modes.contains(mode))
            edit.changes.push_back(SetMode{mode, false});
    for (const std::string& mode : after.modes)
        if (!before.modes.contains(mode))
            edit.changes.push_back(SetMode{mode, true});
    for (const auto& [pad, net] : before.nets)
        if (!after.nets.contains(pad))
            edit.changes.push_back(SetNet{pad, std::nullopt});
    for (const auto& [pad, net] : after.nets)
        if (found(before.nets, pad) != net)
            edit.changes.push_back(SetNet{pad, net});
    for (const auto& [pad, resistors] : before.resistors)
        if (!after.resistors.contains(pad))
            edit.changes.push_back(SetResistors{pad, std::nullopt});
    for (const auto& [pad, resistors] : after.resistors)
        if (resistorsIn(before, pad) != resistors)
            edit.changes.push_back(SetResistors{pad, resistors});
    for (const auto& [clock, crystal] : before.crystals)
        if (!after.crystals.contains(clock))
            edit.changes.push_back(SetCrystal{clock, std::nullopt});
    for (const auto& [clock, crystal] : after.crystals)
        if (const auto was = fittedIn(before, clock); !was || *was != crystal)
            edit.changes.push_back(SetCrystal{clock, crystal});
    for (const auto& [part, place] : before.places)
        if (!after.places.contains(part))
            edit.changes.push_back(SetPlace{part, std::nullopt});
    for (const auto& [part, place] : after.places)
        if (found(before.places, part) != place)
            edit.changes.push_back(SetPlace{part, place});
    for (const auto& [sentence, strength] : before.wishes)
        if (!after.wishes.contains(sentence))
            edit.changes.push_back(SetWish{sentence, std::nullopt});
    for (const auto& [sentence, strength] : after.wishes)
        if (wishIn(before, sentence) != strength)
            edit.changes.push_back(SetWish{sentence, strength});
    if (before.parts != after.parts) {
        for (const Part& part : before.parts)
            edit.changes.push_back(RemovePart{part.id});
        for (std::size_t p = 0; p < after.parts.size(); ++p)
            edit.changes.push_back(InsertPart{p, after.parts[p]});
    }
    const auto sameIds = [&] {
        if (before.needs.size() != after.needs.size())
            return false;
        for (std::size_t n = 0; n < after.needs.size(); ++n)
            if (before.needs[n].id != after.needs[n].id)
                return false;
        return true;
    };
    if (sameIds()) {
        for (std::size_t n = 0; n < after.needs.size(); ++n) {
            Need rebound = before.needs[n];
            rebound.binding = after.needs[n].binding;
            if (before.needs[n] == after.needs[n])
                continue;
            // The smaller change says more in a preview.
            if (rebound == after.needs[n])
                edit.changes.push_back(SetBinding{rebound.id, rebound.binding});
            else
                edit.changes.push_back(ReplaceNeed{rebound.id, after.needs[n]});
        }
    } else {
        for (const Need& need : before.needs)
            edit.changes.push_back(RemoveNeed{need.id});
        for (std::size_t n = 0; n < after.needs.size(); ++n)
            edit.changes.push_back(InsertNeed{n, after.needs[n]});
    }
    for (const std::string& hold : before.holds)
        if (!after.holds.contains(hold))
            edit.changes.push_back(SetHold{hold, false});
    for (const std::string& hold : after.holds)
        if (!before.holds.contains(hold))
            edit.changes.push_back(SetHold{hold, true});
    return edit;
}

} // namespace bindrel
