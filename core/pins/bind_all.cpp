// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/bind_all.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/placement_model.h"
#include "core/pins/placement_words.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <set>

namespace bindrel {

namespace {

std::vector<NeedIndex> openNeeds(const Device& device, const Plan& plan)
{
    const Bindings bindings = bind(device, plan);
    std::vector<NeedIndex> out;
    for (const NeedIndex n : plan.needs.indices())
        if (bindings.needs[n].state == BoundNeed::State::Open)
            out.push_back(static_cast<int>(n));
    return out;
}

/// As the chip is drawn, from above with pin 1 at the top of the left side.
std::string sidesInWords(unsigned sides)
{
    constexpr std::array names{"left", "bottom", "right", "top"};
    std::vector<std::string> out;
    for (std::size_t side = 0; side < names.size(); ++side)
        if (sides >> side & 1u)
            out.emplace_back(names[side]);
    return listed(out);
}

} // namespace

Expected<BoundAll> bindAll(const Device& device, const Board& board, const Plan& plan, const SearchOptions& options)
{
    PlacementRequest request;
    request.needs = openNeeds(device, plan);
    if (request.needs.empty())
        return problemOf(say("no need is unbound."));
    const auto title = [&] {
        return request.needs.size() == 1 ? say("Bind ") + plan.needs[request.needs.front()].title
                                         : say("Bind {} unbound needs", request.needs.size());
    };
    std::vector<std::pair<NeedIndex, std::string>> left;
    request.effort = options.effort;
    request.cancelled = options.cancelled;
    if (options.improved)
        request.improved = [&](const Placement& way) {
            options.improved({editOfPlacement(plan, way, title()), way, left});
        };
    // So many may stay open before the plan is not for this chip.
    constexpr size_t kMostLeft = 24;
    std::optional<Problem> first;
    while (true) {
        const PlacementResult result = place(device, board, plan, request);
        if (!result.ways.empty())
            return BoundAll{editOfPlacement(plan, result.ways.front(), title()), result.ways.front(), std::move(left)};
        const Problem why = noRoom(device, plan, result, result.culprits.empty() ? request.needs : result.culprits);
        if (!first)
            first = why;
        // The one that was stated last makes room; what is bound already stays.
        NeedIndex spared = -1;
        for (const NeedIndex culprit : result.culprits)
            if (std::find(request.needs.begin(), request.needs.end(), culprit) != request.needs.end())
                spared = std::max(spared, culprit);
        if (spared < 0 || result.cancelled || request.needs.size() == 1 || left.size() == kMostLeft)
            return *first;
        std::erase(request.needs, spared);
        left.emplace_back(spared, why.message);
    }
}

Expected<Edit> bindAllOpen(const Device& device, const Board& board, const Plan& plan,
                           const std::function<bool()>& cancelled)
{
    SearchOptions options;
    options.cancelled = cancelled;
    Expected<BoundAll> all = bindAll(device, board, plan, options);
    if (!all)
        return all.problem();
    return std::move(all->edit);
}

std::string whyScattered(const Device& device, const Board& board, const Plan& plan, const Placement& way)
{
    // Where the parts stand with the way taken.
    const Plan after = withPlacement(plan, way);
    const std::vector<NeedIndex> placed = openNeeds(device, plan);
    const PlacementSpace space(device, board, plan, placed);
    std::map<std::string, unsigned> sides;
    for (const Need& need : after.needs)
        for (const auto& [signal, name] : need.binding.pads)
            if (const PadIndex pad = device.findPad(name);
                pad >= 0 && space.positionOfPad[size_t(pad)] >= 0 && !need.part.empty())
                sides[need.part] |= 1u << space.sideOfPad[size_t(pad)];
    const auto worst = std::max_element(sides.begin(), sides.end(), [](const auto& a, const auto& b) {
        return std::popcount(a.second) < std::popcount(b.second);
    });
    if (worst == sides.end() || std::popcount(worst->second) < 2)
        return {};
    const auto part =
        std::find_if(board.parts.begin(), board.parts.end(), [&](const auto& p) { return p.id == worst->first; });
    const std::string title = part == board.parts.end() ? worst->first : part->title;

    // Its open needs, beside what is bound: is there room on one side fewer, and if not, who has it?
    PlacementModel::PlacementScope who;
    who.choosable = true;
    std::set<NeedIndex> own;
    for (const NeedIndex n : plan.needs.indices()) {
        const NeedIndex need = static_cast<int>(n);
        const bool ours = plan.needs[n].part == worst->first;
        if (ours)
            own.insert(need);
        if (ours && std::find(placed.begin(), placed.end(), need) != placed.end())
            who.place.push_back(need);
        else if (!space.needs[n].now.empty())
            who.stay.push_back(need);
    }
    if (who.place.empty())
        return {};
    PlacementModel model(space, who);
    std::vector<Literal> all;
    for (const std::vector<NeedIndex>* some : {&who.place, &who.stay})
        for (const NeedIndex need : *some)
            all.push_back(model.takesPart(need));
    const int partNumber = space.needs[who.place.front()].part;
    const int wanted = std::popcount(worst->second) - 1;
    std::optional<std::vector<std::string>> fewest;
    unsigned where = 0;
    constexpr long kEffort = 200'000;
    for (unsigned on = 1; on < 16; ++on) {
        if (std::popcount(on) != wanted)
            continue;
        std::vector<Literal> assumptions = all;
        for (std::size_t side = 0; side < 4; ++side)
            if (const Literal used = model.partOn(partNumber, side); used.exists() && !(on >> side & 1u))
                assumptions.push_back(~used);
        switch (model.solve(assumptions, kEffort)) {
        case Solver::Answer::Unknown:
            continue;
        case Solver::Answer::Yes:
            return say("{}: {} sides, so that the others fit.", title, wanted + 1);
        case Solver::Answer::No:
            break;
        }
        std::vector<std::string> blockers;
        const std::vector<Literal>& core = model.solver.core();
        for (const NeedIndex need : who.stay)
            if (!own.contains(need) && std::find(core.begin(), core.end(), model.takesPart(need)) != core.end())
                blockers.push_back(plan.needs[need].title +
                                   (plan.held(holdOfNeed(plan.needs[need].id)) ? say(" (held)") : ""));
        if (!blockers.empty() && (!fewest || blockers.size() < fewest->size())) {
            fewest = std::move(blockers);
            where = on;
        }
    }
    if (!fewest)
        return say("{}: {} sides. The chip has no {} with pads for all its signals.", title, wanted + 1,
                   wanted == 1 ? "side" : say("{} sides", wanted));
    return say("{}: {} sides. Using only the {} would displace {}.", title, wanted + 1, sidesInWords(where),
               listed(*fewest));
}

Untangling untangle(const Device& device, const Board& board, const Plan& plan, std::size_t count,
                    const std::function<bool()>& cancelled)
{
    Untangling out;
    const Bindings bindings = bind(device, plan);
    if (bindings.contests.empty()) {
        out.why = say("nothing is in conflict.");
        return out;
    }
    PlacementRequest request;
    request.mayMove = true;
    request.count = count;
    request.cancelled = cancelled;
    const PlacementResult result = place(device, board, plan, request);
    out.proven = result.proven;
    out.cancelled = result.cancelled;
    for (const Placement& way : result.ways)
        out.ways.push_back(
            {editOfPlacement(plan, way, say("Untangle: ") + movesInWords(way.cost)), way.cost, way.proof});
    if (out.ways.empty())
        out.why = noRoom(device, plan, result, {}).message;
    return out;
}

} // namespace bindrel
