// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/layout_change.h"

#include "core/pins/placement_words.h"

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

std::vector<std::string> layoutChange(const Device& device, const Board& boardBefore, const Plan& before,
                                      const Board& boardAfter, const Plan& after)
{
    PlacementCost moves;
    for (const Need& need : after.needs) {
        const Need* was = before.need(need.id);
        if (!was || was->binding == need.binding)
            continue;
        moves.moved += !was->binding.empty();
        for (const auto& [signal, pad] : was->binding.pads) {
            const auto now = need.binding.pads.find(signal);
            moves.pads += now == need.binding.pads.end() || now->second != pad;
        }
    }
    if (moves.moved == 0)
        return {};
    std::vector<std::string> out{movesInWords(moves)};
    const std::optional<PlacementCost> was = costAsBound(device, boardBefore, before);
    const std::optional<PlacementCost> is = costAsBound(device, boardAfter, after);
    if (!was || !is)
        return out;
    for (const auto& [what, level] : {std::pair{"wishes not kept", PlacementLevel::Wishes},
                                      {"extra sides", PlacementLevel::Sides},
                                      {"needs on more than one side", PlacementLevel::Splits},
                                      {"crossings", PlacementLevel::Crossings}}) {
        const int from = was->at(level), to = is->at(level);
        if (from != to)
            out.push_back(fmt::format("{}: {} \u2192 {}", what, from, to));
        else if (to > 0)
            out.push_back(fmt::format("{}: {}, as before", what, to));
    }
    return out;
}

} // namespace bindrel
