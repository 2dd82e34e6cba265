// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/stated_need.h"

#include "core/base/text.h"
#include "core/pins/options.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

Expected<Edit> addOnPads(const Need& need, const std::vector<std::string>& pads, const Plan& plan, const Device& device,
                         const Board& board)
{
    const Edit plain = editOf("Add " + need.title, InsertNeed{plan.needs.size(), need});
    if (pads.empty())
        return plain;
    std::vector<std::string> signalIds;
    for (const SignalSpec& signal : signalsOf(need))
        signalIds.push_back(signal.id);
    if (pads.size() > signalIds.size())
        return problemOf(fmt::format("{} has {}, so it cannot be on {} pads.", need.title,
                                     counted(long(signalIds.size()), "signal"), pads.size()));
    // Which signal each pad gets; the order of the signals first.
    std::vector<size_t> order(signalIds.size());
    for (size_t i = 0; i < order.size(); ++i)
        order[i] = i;
    constexpr int kMostOrders = 120; // all of five signals
    std::optional<Problem> why;
    std::vector<std::vector<size_t>> tried;
    for (int left = kMostOrders; left > 0; --left) {
        std::vector<size_t> head(order.begin(), order.begin() + long(pads.size()));
        if (std::find(tried.begin(), tried.end(), head) == tried.end()) {
            tried.push_back(head);
            Need placed = need;
            Edit asked{plain.title, {}};
            std::vector<Change> holds;
            for (size_t i = 0; i < pads.size(); ++i) {
                placed.binding.pads[signalIds[head[i]]] = pads[i];
                holds.push_back(SetHold{fmt::format("need {} {}", need.id, signalIds[head[i]]), true});
            }
            asked.changes.push_back(InsertNeed{plan.needs.size(), placed});
            Edit held = asked;
            held.changes.insert(held.changes.end(), holds.begin(), holds.end());
            const Expected<Plan> with = applied(plan, held);
            if (!with)
                return with.problem();
            const Expected<Edit> bound = bindNeed(device, board, *with, need.id);
            if (bound) {
                asked.changes.insert(asked.changes.end(), bound->changes.begin(), bound->changes.end());
                return asked;
            }
            if (!why)
                why = bound.problem();
        }
        if (!std::next_permutation(order.begin(), order.end()))
            break;
    }
    return problemOf(fmt::format("{} cannot be on {}: {}", need.title, joined(pads, "/"), why->message));
}

Expected<Edit> addStated(const StatedNeed& stated, const Plan& plan, const Device& device, const Board& board)
{
    return addOnPads(newNeed(stated, plan, device, board), stated.pads, plan, device, board);
}

} // namespace bindrel
