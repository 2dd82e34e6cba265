// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/stated_need.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/bindings.h"
#include "core/pins/options.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <set>

namespace bindrel {

Expected<Edit> addOnPads(const Need& need, const std::vector<std::string>& pads, const Plan& plan, const Device& device,
                         const Board& board)
{
    const Edit plain = editOf(say("Add {}", need.title), InsertNeed{plan.needs.size(), need});
    if (pads.empty())
        return plain;
    std::vector<std::string> signalIds;
    for (const SignalSpec& signal : signalsOf(need))
        signalIds.push_back(signal.id);
    if (pads.size() > signalIds.size())
        return problemOf(say("{} has {}, so it cannot be on {} pads.", need.title,
                             sayCount(long(signalIds.size()), "{} signal", "{} signals"), pads.size()));
    // What the chip can lead where; a search for what it cannot would take its time.
    const Expected<Plan> open = applied(plan, plain);
    if (!open)
        return open.problem();
    const Bindings bindings = bind(device, *open);
    const NeedIndex index = static_cast<int>(open->needs.size()) - 1;
    std::vector<std::set<std::string>> padsOf;
    for (const std::string& signal : signalIds) {
        padsOf.emplace_back();
        for (const Option& option : optionsFor(device, board, *open, bindings, index, signal))
            if (option.cost != Option::Cost::Impossible)
                padsOf.back().insert(device.pads[option.pad].name);
    }
    for (const std::string& pad : pads)
        if (std::none_of(padsOf.begin(), padsOf.end(), [&pad](const auto& some) { return some.contains(pad); }))
            return problemOf(say("{} cannot carry {} of {}.", pad,
                                 signalIds.size() == 1 ? say("the signal") : say("any signal"), need.title));
    std::optional<Problem> why;
    const auto tryOut = [&](const std::vector<size_t>& signalOf) -> std::optional<Edit> {
        Need placed = need;
        Edit asked{plain.title, {}};
        std::vector<Change> holds;
        for (size_t i = 0; i < pads.size(); ++i) {
            placed.binding.pads[signalIds[signalOf[i]]] = pads[i];
            holds.push_back(SetHold{holdOfSignal(need.id, signalIds[signalOf[i]]), true});
        }
        asked.changes.push_back(InsertNeed{plan.needs.size(), placed});
        Edit held = asked;
        held.changes.insert(held.changes.end(), holds.begin(), holds.end());
        const Expected<Plan> with = applied(plan, held);
        const Expected<Edit> bound = with ? bindNeed(device, board, *with, need.id) : Expected<Edit>(with.problem());
        if (!bound) {
            if (!why)
                why = bound.problem();
            return std::nullopt;
        }
        asked.changes.insert(asked.changes.end(), bound->changes.begin(), bound->changes.end());
        return asked;
    };
    // Which signal each pad gets: the order of the signals first, then others that the chip can lead so.
    constexpr int kMostTries = 24, kMostSteps = 20'000;
    int tries = kMostTries, steps = kMostSteps;
    std::vector<size_t> signalOf;
    const std::function<std::optional<Edit>()> shareOut = [&]() -> std::optional<Edit> {
        if (signalOf.size() == pads.size())
            return --tries < 0 ? std::nullopt : tryOut(signalOf);
        for (size_t signal = 0; signal < signalIds.size() && tries > 0 && --steps > 0; ++signal) {
            if (!padsOf[signal].contains(pads[signalOf.size()]) ||
                std::find(signalOf.begin(), signalOf.end(), signal) != signalOf.end())
                continue;
            signalOf.push_back(signal);
            if (std::optional<Edit> found = shareOut())
                return found;
            signalOf.pop_back();
        }
        return std::nullopt;
    };
    if (std::optional<Edit> found = shareOut())
        return *found;
    return problemOf(say("{} cannot be on {}: {}", need.title, joined(pads, "/"),
                         why ? why->message : say("its signals cannot be shared out so that each reaches its pad.")));
}

Expected<Edit> addStated(const StatedNeed& stated, const Plan& plan, const Device& device, const Board& board)
{
    return addOnPads(newNeed(stated, plan, device, board), stated.pads, plan, device, board);
}

} // namespace bindrel
