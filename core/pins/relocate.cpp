// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/relocate.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/bindings.h"
#include "core/pins/transplant.h"
#include "core/plan/board_facts.h"
#include "core/plan/kind.h"
#include "core/plan/plan_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <utility>

namespace bindrel {

namespace {

/// Parts that needs speak of and the new board does not have go into the plan; those that it has are the board's again.
void keepParts(Plan& plan, const Board& board, const Board& boardNow)
{
    std::erase_if(plan.parts, [&board](const Part& part) { return board.part(part.id) != nullptr; });
    for (const Need& need : plan.needs) {
        const auto kept = [&need](const Part& part) { return part.id == need.part; };
        if (need.part.empty() || board.part(need.part) || std::any_of(plan.parts.begin(), plan.parts.end(), kept))
            continue;
        if (const Part* part = boardNow.part(need.part)) {
            plan.parts.push_back(*part);
            plan.parts.back().needs.clear();
        }
    }
}

/// Terminals that the part on the new board does not have cannot be named.
void dropTerminals(Plan& plan, const Board& board)
{
    for (Need& need : plan.needs)
        if (const Part* part = board.part(need.part))
            std::erase_if(need.terminals, [part](const auto& entry) {
                return std::find(part->terminals.begin(), part->terminals.end(), entry.second) == part->terminals.end();
            });
}

std::string placeText(const Binding& was, const Binding& is)
{
    std::vector<std::string> parts;
    if (was.instance != is.instance)
        parts.push_back(was.instance + " \u2192 " + is.instance);
    for (const auto& [signal, pad] : is.pads) {
        const auto old = was.pads.find(signal);
        if (old != was.pads.end() && old->second != pad)
            parts.push_back(fmt::format("{} {} \u2192 {}", signal, old->second, pad));
    }
    return joined(parts, ", ");
}

/// Places needs, leaving out those that cannot stand beside the others; why is told for each.
class Settler {
public:
    Settler(const Device& device, const Board& board, Plan& plan, const std::function<bool()>& cancelled)
        : device_(device), board_(board), plan_(plan), cancelled_(cancelled)
    {
    }

    void settle(std::vector<NeedIndex> needs)
    {
        while (!needs.empty() && !stopped) {
            const PlacementResult result = attempt(needs, kEffortForAll);
            if (!result.ways.empty() || stopped)
                return;
            if (!result.proven) {
                // Too hard to decide all at once: one after the other, in the order in which they were stated.
                oneByOne(needs);
                return;
            }
            // Of those that are in each other's way the one that was stated last gives way, but not one that can only
            // be where it is wired.
            const std::vector<NeedIndex> culprits = among(needs, result.culprits);
            const auto movable = std::find_if(culprits.rbegin(), culprits.rend(),
                                              [this](NeedIndex need) { return !wired(plan_.needs[need]); });
            const int last = movable != culprits.rend() ? *movable : culprits.empty() ? needs.back() : culprits.back();
            leaveOut(last, culprits);
            needs.erase(std::find(needs.begin(), needs.end(), last));
        }
    }

    std::map<NeedIndex, std::string> why;
    bool stopped = false;

private:
    static constexpr long kEffortForAll = 20'000'000;
    static constexpr long kEffortForOne = 3'000'000;

    static bool wired(const Need& need)
    {
        const KindSpec* kind = findKind(need.kind);
        return kind && kind->solderedToItsPads;
    }

    PlacementResult attempt(const std::vector<NeedIndex>& needs, long effort)
    {
        PlacementRequest request;
        request.needs = needs;
        request.effort = effort;
        request.cancelled = cancelled_;
        PlacementResult result = place(device_, board_, plan_, request);
        stopped = result.cancelled;
        if (!result.ways.empty())
            plan_ = withPlacement(std::move(plan_), result.ways.front());
        return result;
    }

    void oneByOne(const std::vector<NeedIndex>& needs)
    {
        // What is not asked about must not be in the way with names from elsewhere.
        std::map<NeedIndex, Binding> wanted;
        for (const NeedIndex need : needs)
            wanted[need] = std::exchange(plan_.needs[need].binding, {});
        std::vector<NeedIndex> placed;
        std::vector<NeedIndex> order = needs;
        std::stable_partition(order.begin(), order.end(), [this](NeedIndex need) { return wired(plan_.needs[need]); });
        for (const NeedIndex need : order) {
            if (stopped)
                return;
            plan_.needs[need].binding = wanted[need];
            placed.push_back(need);
            const PlacementResult result = attempt(placed, kEffortForOne);
            if (!result.ways.empty())
                continue;
            placed.pop_back();
            std::vector<NeedIndex> culprits = among(placed, result.culprits);
            if (result.proven)
                culprits.push_back(need);
            leaveOut(need, culprits);
        }
    }

    static std::vector<NeedIndex> among(const std::vector<NeedIndex>& needs, const std::vector<NeedIndex>& culprits)
    {
        std::vector<NeedIndex> out;
        for (const NeedIndex need : culprits)
            if (std::find(needs.begin(), needs.end(), need) != needs.end())
                out.push_back(need);
        return out;
    }

    void leaveOut(NeedIndex need, const std::vector<NeedIndex>& culprits)
    {
        std::vector<std::string> others;
        for (const NeedIndex other : culprits)
            if (other != need)
                others.push_back(plan_.needs[other].title);
        // More than a few names say no more than their number.
        constexpr std::size_t kNamed = 4;
        why[need] = others.size() > kNamed ? say("{} others leave no place for it", others.size())
                    : !others.empty()      ? say("it conflicts with {}", listed(others))
                    : culprits.empty()     ? say("it cannot be placed beside the others")
                                           : say("{} has no place for it", device_.name);
        plan_.needs[need].binding = {};
    }

    const Device& device_;
    const Board& board_;
    Plan& plan_;
    const std::function<bool()>& cancelled_;
};

} // namespace

int Relocation::count(Fate fate) const
{
    return static_cast<int>(
        std::count_if(items.begin(), items.end(), [fate](const Item& item) { return item.fate == fate; }));
}

Relocation relocate(const Device& device, const Board& board, const Board& boardNow, const Plan& plan,
                    const std::function<bool()>& cancelled)
{
    Relocation out;
    // Crystals are looked up by the clocks that they were for, on the board that they were on.
    Transplant moved = transplant(device, boardNow, plan);
    out.lost = std::move(moved.lost);
    Plan& next = out.plan = std::move(moved.plan);
    next.board = board.name;
    const bool otherBoard = plan.board != board.name;
    if (otherBoard) {
        for (const Part& part : plan.parts)
            if (const Part* there = board.part(part.id))
                out.lost.push_back(
                    say("what the plan stated of {} is dropped; the new board has its own", there->title));
        keepParts(next, board, boardNow);
        dropTerminals(next, board);
        if (!next.crystals.empty()) {
            out.lost.push_back(say("what the plan stated of crystals is dropped; the new board's file states its own"));
            next.crystals.clear();
        }
        if (!plan.nets.empty() && plan.device == device.name) {
            out.lost.push_back(say("nets that the plan stated for the old board are dropped"));
            next.nets.clear();
        }
        if (!plan.resistors.empty() && plan.device == device.name) {
            out.lost.push_back(say("resistors that the plan stated for the old board are dropped"));
            next.resistors.clear();
        }
        if (!plan.outline.empty() || !plan.chipPlace.empty() || !plan.places.empty()) {
            out.lost.push_back(say("where parts stand on the old board is dropped"));
            next.outline.clear();
            next.chipPlace.clear();
            next.places.clear();
        }
    }
    std::vector<NeedIndex> bound;
    std::map<NeedIndex, std::string> homeless;
    for (const Transplant::UnplaceableNeed& need : moved.homeless)
        homeless[need.need] = whyHomeless({need});
    for (const NeedIndex n : plan.needs.indices()) {
        const NeedIndex need = static_cast<int>(n);
        if (homeless.contains(need))
            next.needs[n].binding = {};
        else if (!plan.needs[n].binding.empty())
            bound.push_back(need);
    }
    // What is held stays held only where it can stay; the search must not be bound by names that mean something else
    // here.
    const std::set<Hold> holds = std::move(next.holds);
    next.holds.clear();
    Board facts = boardWithPlan(board, device, next);
    Settler settler(device, facts, next, cancelled);
    settler.settle(bound);
    out.cancelled = settler.stopped;
    for (const Hold& hold : plan.holds) {
        const Need* was = hold.of == Hold::Of::Need ? plan.need(hold.id) : nullptr;
        const bool kept = was ? was->binding == next.need(hold.id)->binding : holds.contains(hold);
        if (kept)
            next.holds.insert(hold);
        else
            out.lost.push_back(was ? say("{} is no longer held, because it moves", was->title)
                                   : say("the hold of {} is dropped", hold.id));
    }
    for (const NeedIndex n : plan.needs.indices()) {
        const Binding& was = plan.needs[n].binding;
        const Binding& is = next.needs[n].binding;
        const NeedIndex need = static_cast<int>(n);
        Relocation::Item item{plan.needs[n].id, Relocation::Fate::Stays, {}};
        if (homeless.contains(need)) {
            item.fate = was.empty() ? Relocation::Fate::Open : Relocation::Fate::Opens;
            item.text = homeless[need];
        } else if (settler.why.contains(need)) {
            item.fate = Relocation::Fate::Opens;
            item.text = settler.why[need];
        } else if (was.empty()) {
            item.fate = Relocation::Fate::Open;
        } else if (was != is) {
            item.fate = Relocation::Fate::Moves;
            item.text = placeText(was, is);
        }
        out.items.push_back(std::move(item));
    }
    if (otherBoard)
        for (const Part& part : board.parts) {
            if (std::any_of(next.needs.begin(), next.needs.end(), [&part](const Need& n) { return n.part == part.id; }))
                continue;
            const size_t before = next.needs.size();
            if (const Outcome stated = stateNeeds(next, part); !stated)
                out.lost.push_back(stated.problem().message);
            for (NeedIndex n = before; n < int(next.needs.size()); ++n)
                out.items.push_back({next.needs[n].id, Relocation::Fate::Added, say("a part of {}", board.title)});
        }
    const std::string title = plan.device != device.name ? say("Change the chip to ") + device.name
                              : otherBoard               ? say("Change the board to ") + board.title
                                                         : say("Place again");
    out.edit = difference(plan, next, title);
    return out;
}

} // namespace bindrel
