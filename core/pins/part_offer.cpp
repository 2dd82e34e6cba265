// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/part_offer.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/plan_file.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// What a part is called beside those that are there: "modem", "modem-2".
Part renamed(Part part, const Board& board)
{
    const std::string id = part.id;
    const std::string title = part.title;
    const auto titled = [&board](const std::string& text) {
        return std::any_of(board.parts.begin(), board.parts.end(), [&text](const Part& p) { return p.title == text; });
    };
    for (int n = 2; board.part(part.id); ++n)
        part.id = fmt::format("{}-{}", id, n);
    for (int n = 2; titled(part.title); ++n)
        part.title = fmt::format("{} {}", title, n);
    for (PartNeed& need : part.needs)
        if (need.title == title)
            need.title = part.title;
    return part;
}

} // namespace

Expected<PartOffer> offerPart(const Device& device, const Board& board, const Plan& plan, const Part& given,
                              const std::function<bool()>& cancelled)
{
    PartOffer out;
    out.part = renamed(given, board);
    Plan next = plan;
    Part own = out.part;
    own.needs.clear();
    next.parts.push_back(own);
    const NeedIndex first = int(next.needs.size());
    if (const Outcome stated = stateNeeds(next, out.part); !stated)
        return stated.problem();
    PlacementRequest request;
    for (NeedIndex n = first; n < int(next.needs.size()); ++n) {
        request.needs.push_back(static_cast<int>(n));
        const std::string wanted = std::exchange(next.needs[n].title, {});
        next.needs[n].title = freeNeedTitle(next, wanted);
    }
    const std::string title = say("Add {}", out.part.title);
    const auto editTo = [&](const Plan& after) {
        // One change a thing, so that a preview reads well.
        Edit edit{title, {InsertPart{plan.parts.size(), own}}};
        for (NeedIndex n = first; n < int(after.needs.size()); ++n)
            edit.changes.push_back(InsertNeed{std::size_t(int(n)), after.needs[n]});
        for (NeedIndex n = 0; n < first; ++n)
            if (after.needs[n].binding != plan.needs[n].binding)
                edit.changes.push_back(SetBinding{after.needs[n].id, after.needs[n].binding});
        return edit;
    };
    out.stated = out.bound = editTo(next);
    request.cancelled = cancelled;
    PlacementResult found = place(device, board, next, request);
    if (found.ways.empty()) {
        request.mayMove = true;
        request.leaveContests = true;
        found = place(device, board, next, request);
    }
    if (found.ways.empty()) {
        std::vector<std::string> names;
        for (const NeedIndex need : found.culprits)
            names.push_back(next.needs[need].title);
        out.why = found.cancelled     ? say("the search was stopped")
                  : names.empty()     ? say("it cannot be placed")
                  : names.size() == 1 ? say("{} has no instance for {}", device.name, names[0])
                                      : say("{} cannot all be placed", listed(names));
        return out;
    }
    out.fits = true;
    out.cost = found.ways.front().cost;
    out.cost.moved = 0;
    for (const auto& [need, binding] : found.ways.front().bindings) {
        next.needs[need].binding = binding;
        out.cost.moved += need < first;
    }
    for (NeedIndex n = first; n < int(next.needs.size()); ++n) {
        const Binding& binding = next.needs[n].binding;
        std::vector<std::string> parts;
        if (!binding.instance.empty())
            parts.push_back(binding.instance);
        for (const auto& [signal, pad] : binding.pads)
            parts.push_back(binding.pads.size() > 1 ? signal + " " + pad : pad);
        out.where.push_back(fmt::format("{}: {}", next.needs[n].title, joined(parts, ", ")));
    }
    for (NeedIndex n = 0; n < first; ++n)
        if (next.needs[n].binding != plan.needs[n].binding)
            out.where.push_back(say("makes room: ") +
                                describe(plan, SetBinding{next.needs[n].id, next.needs[n].binding}));
    out.bound = editTo(next);
    return out;
}

} // namespace bindrel
