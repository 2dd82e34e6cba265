// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/layout_change.h"

#include "core/base/say.h"
#include "core/pins/placement_words.h"
#include "core/pins/wishes.h"

#include <fmt/format.h>

namespace bindrel {

std::optional<PlacementCost> costAsBound(const Device& device, const Board& board, const Plan& plan)
{
    Plan held = plan;
    PlacementRequest request;
    for (const NeedIndex n : plan.needs.indices()) {
        if (plan.needs[n].binding.empty())
            continue;
        held.holds.insert(holdOfNeed(plan.needs[n].id));
        request.needs.push_back(int(n));
    }
    const PlacementResult found = place(device, board, held, request);
    return found.ways.empty() ? std::nullopt : std::optional(found.ways.front().cost);
}

std::optional<LayoutChange> layoutChange(const Device& device, const Board& boardBefore, const Plan& before,
                                         const Board& boardAfter, const Plan& after)
{
    LayoutChange out;
    for (const Need& need : after.needs) {
        const Need* was = before.need(need.id);
        out.rewired = out.rewired || (was && was->terminals != need.terminals);
        if (!was || was->binding == need.binding)
            continue;
        out.moves.moved += !was->binding.empty();
        for (const auto& [signal, pad] : was->binding.pads) {
            const auto now = need.binding.pads.find(signal);
            out.moves.pads += now == need.binding.pads.end() || now->second != pad;
        }
    }
    if (out.moves.moved == 0 && !out.rewired)
        return std::nullopt;
    const std::optional<PlacementCost> was = costAsBound(device, boardBefore, before);
    const std::optional<PlacementCost> is = costAsBound(device, boardAfter, after);
    const BrokenWishes then = countBroken(device, boardBefore, before), now = countBroken(device, boardAfter, after);
    out.levels.push_back({say("wishes not kept"), then.stated, now.stated});
    out.levels.push_back({say("signals not as the parts stand"), then.standing, now.standing});
    if (was && is)
        for (const auto& [what, level] : {std::pair{say("extra sides"), PlacementLevel::Sides},
                                          {say("needs on more than one side"), PlacementLevel::Splits},
                                          {"crossings", PlacementLevel::Crossings}})
            out.levels.push_back({what, was->at(level), is->at(level)});
    return out;
}

std::vector<std::string> movesInWords(const LayoutChange& change)
{
    std::vector<std::string> out;
    if (change.moves.moved > 0)
        out.push_back(movesInWords(change.moves));
    if (change.rewired)
        out.push_back(say("terminals are swapped"));
    return out;
}

std::vector<std::string> inWords(const LayoutChange& change)
{
    std::vector<std::string> out = movesInWords(change);
    for (const LayoutChange::Level& level : change.levels) {
        if (level.before != level.after)
            out.push_back(fmt::format("{}: {} \u2192 {}", level.what, level.before, level.after));
        else if (level.after > 0)
            out.push_back(say("{}: {}, as before", level.what, level.after));
    }
    return out;
}

} // namespace bindrel
