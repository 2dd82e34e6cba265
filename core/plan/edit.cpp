// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/edit.h"

#include "core/base/overloaded.h"
#include "core/plan/changes/lookup.h"
#include "core/plan/kind.h"

#include <algorithm>

namespace bindrel {

namespace {

Outcome makeChange(Plan& plan, const Change& change)
{
    return std::visit([&plan](const auto& one) { return one.apply(plan); }, change);
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
        std::erase_if(plan.holds, [&plan](const Hold& hold) { return !isThere(plan, hold); });
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
        if (Outcome outcome = makeChange(next, change); !outcome)
            return outcome.problem();
    dropWhatIsGone(next, edit);
    return next;
}

Edit inverse(const Plan& plan, const Edit& edit)
{
    Edit back{edit.title, {}};
    Plan step = plan;
    for (const Change& change : edit.changes) {
        back.changes.insert(back.changes.begin(),
                            std::visit([&step](const auto& one) { return one.undo(step); }, change));
        if (!makeChange(step, change))
            break;
    }
    // Restore holds that were removed together with their need or signal.
    const Expected<Plan> after = applied(plan, edit);
    const Expected<Plan> again = after ? applied(*after, back) : after;
    if (again)
        for (const Hold& hold : plan.holds)
            if (!again->holds.contains(hold))
                back.changes.push_back(SetHold{hold, true});
    return back;
}

namespace {

/// What two maps of the plan say differently: a change by key, with nothing for what is missing afterwards.
template <typename ChangeOf, typename Value>
void differencesOf(const std::map<std::string, Value, std::less<>>& before,
                   const std::map<std::string, Value, std::less<>>& after, std::vector<Change>& out)
{
    for (const auto& [key, value] : before)
        if (!after.contains(key))
            out.push_back(ChangeOf{key, std::nullopt});
    for (const auto& [key, value] : after)
        if (const auto was = before.find(key); was == before.end() || !(was->second == value))
            out.push_back(ChangeOf{key, value});
}

/// Likewise for members of two sets, which a change takes in or out.
template <typename ChangeOf, typename Key, typename Less>
void differencesOf(const std::set<Key, Less>& before, const std::set<Key, Less>& after, std::vector<Change>& out)
{
    for (const Key& key : before)
        if (!after.contains(key))
            out.push_back(ChangeOf{key, false});
    for (const Key& key : after)
        if (!before.contains(key))
            out.push_back(ChangeOf{key, true});
}

/// Of needs with the same ids the bindings where that is all; of others all anew.
void differencesOfNeeds(const Plan& before, const Plan& after, std::vector<Change>& out)
{
    const bool sameIds = std::equal(before.needs.begin(), before.needs.end(), after.needs.begin(), after.needs.end(),
                                    [](const Need& a, const Need& b) { return a.id == b.id; });
    if (!sameIds) {
        for (const Need& need : before.needs)
            out.push_back(RemoveNeed{need.id});
        for (const NeedIndex n : after.needs.indices())
            out.push_back(InsertNeed{std::size_t(int(n)), after.needs[n]});
        return;
    }
    for (const NeedIndex n : after.needs.indices()) {
        if (before.needs[n] == after.needs[n])
            continue;
        Need rewired = before.needs[n];
        rewired.binding = after.needs[n].binding;
        rewired.terminals = after.needs[n].terminals;
        // The smaller change says more in a preview.
        if (rewired != after.needs[n]) {
            out.push_back(ReplaceNeed{rewired.id, after.needs[n]});
            continue;
        }
        if (before.needs[n].binding != rewired.binding)
            out.push_back(SetBinding{rewired.id, rewired.binding});
        if (before.needs[n].terminals != rewired.terminals)
            out.push_back(SetTerminals{rewired.id, rewired.terminals});
    }
}

} // namespace

Edit difference(const Plan& before, const Plan& after, std::string title)
{
    Edit edit{std::move(title), {}};
    std::vector<Change>& out = edit.changes;
    using What = SetText::What;
    for (const What what : {What::Name, What::Device, What::Board, What::Supply, What::Temperature, What::Outline,
                            What::ChipPlace, What::Stack, What::Heap, What::Range, What::Regulator, What::Prefix})
        if (textOf(before, what) != textOf(after, what))
            out.push_back(SetText{what, textOf(after, what)});
    differencesOf<SetClock>(before.clocks, after.clocks, out);
    if (before.onFailure != after.onFailure)
        out.push_back(SetOnFailure{after.onFailure});
    if (before.leftOut != after.leftOut || before.leftOutKinds != after.leftOutKinds)
        out.push_back(SetLeftOut{after.leftOut, after.leftOutKinds});
    if (before.project != after.project)
        out.push_back(SetProject{after.project});
    differencesOf<SetStored>(before.stored, after.stored, out);
    if (before.slow != after.slow)
        out.push_back(SetSlow{after.slow});
    differencesOf<SetMode>(before.modes, after.modes, out);
    differencesOf<SetNet>(before.nets, after.nets, out);
    differencesOf<SetResistors>(before.resistors, after.resistors, out);
    differencesOf<SetCrystal>(before.crystals, after.crystals, out);
    differencesOf<SetPlace>(before.places, after.places, out);
    differencesOf<SetWish>(before.wishes, after.wishes, out);
    if (before.parts != after.parts) {
        for (const Part& part : before.parts)
            out.push_back(RemovePart{part.id});
        for (std::size_t p = 0; p < after.parts.size(); ++p)
            out.push_back(InsertPart{p, after.parts[p]});
    }
    differencesOfNeeds(before, after, out);
    differencesOf<SetHold>(before.holds, after.holds, out);
    return edit;
}

std::string describe(const Plan& before, const Change& change)
{
    return std::visit([&before](const auto& one) { return one.words(before); }, change);
}

} // namespace bindrel
