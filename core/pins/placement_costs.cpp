// SPDX-License-Identifier: GPL-3.0-or-later
// What a placement costs: of a way in numbers, of all ways as sums for the solver.
#include "core/pins/placement_model.h"
#include "core/pins/rows.h"

#include <algorithm>
#include <bit>
#include <set>

namespace bindrel {

int PlacementCost::at(PlacementLevel level) const
{
    return std::array{
        moved, pads, unfit, wishes, stands, sides, splits, crossings, scarce, debug, spread}[std::size_t(level)];
}

bool PlacementProof::provenTo(PlacementLevel level, const PlacementCost& cost) const
{
    for (std::size_t l = 0; l <= std::size_t(level); ++l)
        if (!least[l] || *least[l] < cost.at(PlacementLevel(l)))
            return false;
    return true;
}

namespace {

/// A pad in use on a side.
struct OnSide {
    int part, along, pad;
};

/// What lies between the pads of a part on each side.
void addWhatLiesBetween(const PlacementSpace& space, const std::array<std::vector<OnSide>, 4>& sitting,
                        PlacementCost& cost)
{
    for (std::size_t side = 0; side < 4; ++side) {
        std::map<int, std::pair<int, int>> reach;
        for (const OnSide& one : sitting[side])
            if (one.part >= 0) {
                auto& [low, high] = reach.try_emplace(one.part, one.along, one.along).first->second;
                low = std::min(low, one.along);
                high = std::max(high, one.along);
            }
        for (const auto& [part, ends] : reach) {
            const auto inside = [&ends = ends](int along) { return ends.first < along && along < ends.second; };
            std::set<int> own;
            for (const OnSide& one : sitting[side])
                if (inside(one.along)) {
                    if (one.part == part)
                        own.insert(one.pad);
                    else
                        ++cost.crossings;
                }
            int places = 0;
            for (std::size_t pad = 0; pad < space.positionOfPad.size(); ++pad)
                places +=
                    space.positionOfPad[pad] >= 0 && space.sideOfPad[pad] == int(side) && inside(space.alongOfPad[pad]);
            cost.spread += places - int(own.size());
        }
    }
}

} // namespace

PlacementCost PlacementModel::costOf(const Assignment& way) const
{
    PlacementCost cost;
    std::array<std::vector<OnSide>, 4> sitting;
    std::vector<unsigned> sidesOfPart(std::size_t(space_.parts), 0u);
    const auto sit = [&](int part, PadIndex pad, unsigned& sidesOfNeed) {
        if (space_.positionOfPad[std::size_t(pad)] < 0)
            return;
        const int side = space_.sideOfPad[std::size_t(pad)];
        sitting[std::size_t(side)].push_back({part, space_.alongOfPad[std::size_t(pad)], pad});
        sidesOfNeed |= 1u << side;
        if (part >= 0)
            sidesOfPart[std::size_t(part)] |= 1u << side;
    };
    const auto beyondOne = [](unsigned sides) { return std::max(0, std::popcount(sides) - 1); };
    std::vector<std::map<int, std::vector<PadIndex>>> rows(
        std::size_t(space_.parts)); // by part: place in its row, pads
    std::vector<const NeedPlacement*> standing(space_.needs.size(), nullptr);
    for (const NeedPlacement& stand : way)
        standing[std::size_t(stand.need)] = &stand;
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        const NeedPlacement* stand = standing[std::size_t(p.need)];
        unsigned sides = 0;
        if (!stand || stand->site < 0) {
            if (p.mayStay) {
                for (const PadIndex pad : entry.padsNow)
                    sit(entry.part, pad, sides);
                for (std::size_t s = 0; s < entry.signals.size(); ++s)
                    if (const PadIndex pad = padNow(p.need, s); entry.places[s] >= 0 && pad >= 0)
                        rows[std::size_t(entry.part)][entry.places[s]].push_back(pad);
            }
            cost.splits += beyondOne(sides);
            continue;
        }
        const PlacementSpace::Site& site = entry.sites[std::size_t(stand->site)];
        bool moved = site.moves;
        cost.scarce += site.scarce;
        for (std::size_t s = 0; s < entry.signals.size(); ++s) {
            const PlacementSpace::Choice& choice = site.choices[s][std::size_t(stand->choices[s])];
            moved = moved || choice.moves;
            cost.pads += entry.wasBound && choice.moves;
            cost.unfit += choice.unfit;
            cost.wishes += choice.wishes;
            cost.stands += choice.stands;
            cost.scarce += choice.scarce;
            cost.debug += choice.debug;
            sit(entry.part, choice.pad, sides);
            if (entry.places[s] >= 0)
                rows[std::size_t(entry.part)][entry.places[s]].push_back(choice.pad);
        }
        cost.moved += entry.wasBound && moved;
        cost.splits += beyondOne(sides);
    }
    for (const unsigned sides : sidesOfPart)
        cost.sides += beyondOne(sides);
    addWhatLiesBetween(space_, sitting, cost);
    for (const auto& row : rows)
        cost.crossings += rowInversions(space_.sideOfPad, space_.alongOfPad, row);
    cost.wishes += wishesBroken(standing, false);
    cost.stands += wishesBroken(standing, true);
    return cost;
}

/// Where a signal of a need sits as the plan has it; -1 where it does not.
PadIndex PlacementModel::padNow(NeedIndex need, std::size_t signal) const
{
    const auto& pads = space_.plan.needs[need].binding.pads;
    const auto now = pads.find(space_.needs[std::size_t(need)].signals[signal].id);
    const PadIndex pad = now == pads.end() ? PadIndex() : space_.device.findPad(now->second);
    return pad >= 0 && space_.positionOfPad[std::size_t(pad)] >= 0 ? pad : PadIndex();
}

/// Whether it can be placed otherwise than it is without moving.
bool PlacementModel::canBePlacedOnItsOwn(const Participant& p) const
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
    if (!entry.requests.empty())
        return true;
    for (std::size_t s = 0; s < entry.signals.size(); ++s) {
        if (padNow(p.need, s) < 0)
            return true;
        for (const PlacementSpace::Site& site : entry.sites)
            if (!site.moves && std::count_if(site.choices[s].begin(), site.choices[s].end(),
                                             [](const PlacementSpace::Choice& choice) { return !choice.moves; }) > 1)
                return true;
    }
    return false;
}

PlacementModel::Sum PlacementModel::countMoved()
{
    Sum out;
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        if (!p.placed || !entry.wasBound)
            continue;
        // What is placed anew on its own pads has moved nothing: for another DMA channel, for what is not bound of it
        // yet, or by another route.
        if (p.mayStay && !canBePlacedOnItsOwn(p)) {
            out.terms.push_back({~p.stays, 1});
            continue;
        }
        std::vector<Literal> moving;
        for (std::size_t i = 0; i < p.sites.size(); ++i)
            if (entry.sites[i].moves)
                moving.push_back(p.sites[i].site);
        for (std::size_t s = 0; s < entry.signals.size(); ++s)
            if (const Literal leaves = leavesPad(p, s); leaves.exists())
                moving.push_back(leaves);
        if (!moving.empty())
            out.terms.push_back({anyOf(moving), 1});
    }
    return out;
}

PlacementModel::Sum PlacementModel::countPads()
{
    Sum out;
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        for (std::size_t s = 0; s < entry.signals.size() && p.placed && entry.wasBound; ++s)
            if (const Literal leaves = leavesPad(p, s); leaves.exists())
                out.terms.push_back({leaves, 1});
    }
    return out;
}

/// That a signal is taken away from where it is; does not exist where it cannot be.
Literal PlacementModel::leavesPad(const Participant& p, std::size_t signal)
{
    const auto [known, fresh] = leaves_.try_emplace({p.need, signal});
    if (!fresh)
        return known->second;
    std::vector<Literal> keeping;
    bool canLeave = false;
    for (std::size_t i = 0; i < p.sites.size(); ++i) {
        const std::vector<PlacementSpace::Choice>& choices = space_.needs[std::size_t(p.need)].sites[i].choices[signal];
        for (std::size_t c = 0; c < choices.size(); ++c)
            if (choices[c].moves)
                canLeave = true;
            else
                keeping.push_back(both(p.sites[i].choices[signal][c]));
    }
    if (!canLeave)
        return known->second;
    // It need not be so where the signal keeps its pad, or the need is not placed at all.
    if (p.mayStay)
        keeping.push_back(p.stays);
    keeping.push_back(~p.takesPart);
    known->second = solver.fresh();
    derive(~known->second, keeping, 1);
    keeping.push_back(known->second);
    solver.atLeastOne(keeping);
    return known->second;
}

PlacementModel::Sum PlacementModel::countScarce()
{
    Sum out;
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        // Of what it costs at least wherever it stands only the rest is counted; one that may stay need not cost
        // anything.
        std::vector<long> least;
        for (std::size_t i = 0; i < p.sites.size(); ++i) {
            least.push_back(entry.sites[i].scarce);
            for (std::size_t s = 0; s < entry.signals.size(); ++s) {
                const std::vector<PlacementSpace::Choice>& choices = entry.sites[i].choices[s];
                const int cheapest = std::min_element(choices.begin(), choices.end(), [](const auto& a, const auto& b) {
                                         return a.scarce < b.scarce;
                                     })->scarce;
                least.back() += cheapest;
                for (std::size_t c = 0; c < choices.size(); ++c)
                    if (choices[c].scarce > cheapest)
                        out.terms.push_back({both(p.sites[i].choices[s][c]), choices[c].scarce - cheapest});
            }
        }
        const long all =
            p.mayStay || who_.choosable || least.empty() ? 0 : *std::min_element(least.begin(), least.end());
        out.base += all;
        for (std::size_t i = 0; i < p.sites.size(); ++i)
            if (least[i] > all)
                out.terms.push_back({p.sites[i].site, int(least[i] - all)});
    }
    return out;
}

PlacementModel::Sum PlacementModel::countChoices(int PlacementSpace::Choice::*what)
{
    Sum out;
    for (const Participant& p : participants_)
        for (std::size_t i = 0; i < p.sites.size(); ++i) {
            const PlacementSpace::Site& site = space_.needs[std::size_t(p.need)].sites[i];
            for (std::size_t s = 0; s < site.choices.size(); ++s)
                for (std::size_t c = 0; c < site.choices[s].size(); ++c)
                    if (site.choices[s][c].*what > 0)
                        out.terms.push_back({both(p.sites[i].choices[s][c]), site.choices[s][c].*what});
        }
    return out;
}

bool PlacementModel::isHuge(PlacementLevel level) const
{
    constexpr std::size_t kMost = 16'000;
    return (level == PlacementLevel::Crossings || level == PlacementLevel::Spread) &&
           std::size_t(space_.parts) * space_.positionOfPad.size() > kMost;
}

const PlacementModel::Sum& PlacementModel::sumOf(PlacementLevel level)
{
    const auto known = sums_.find(level);
    if (known != sums_.end())
        return known->second;
    Sum sum;
    switch (level) {
    case PlacementLevel::Moved:
        sum = countMoved();
        break;
    case PlacementLevel::Pads:
        sum = countPads();
        break;
    case PlacementLevel::Wishes:
        sum = countWishes(false);
        break;
    case PlacementLevel::Stands:
        sum = countWishes(true);
        break;
    case PlacementLevel::Sides:
        sum = countSides(partOn_);
        break;
    case PlacementLevel::Splits:
        sum = countSides(needOn_);
        break;
    case PlacementLevel::Crossings:
    case PlacementLevel::Spread:
        if (!between_)
            addBetween();
        sum.terms = level == PlacementLevel::Crossings ? between_->crossings : between_->spread;
        if (level == PlacementLevel::Crossings)
            addRows(sum.terms);
        break;
    case PlacementLevel::Scarce:
        sum = countScarce();
        break;
    case PlacementLevel::Debug:
        sum = countChoices(&PlacementSpace::Choice::debug);
        break;
    case PlacementLevel::Unfit:
        sum = countChoices(&PlacementSpace::Choice::unfit);
        break;
    }
    return sums_.emplace(level, std::move(sum)).first->second;
}

} // namespace bindrel
