// SPDX-License-Identifier: GPL-3.0-or-later
// How the optimiser finds better ways: step by step from the best one, the whole anew, or a part of it.
#include "core/pins/placement_optimiser.h"

#include <algorithm>

namespace bindrel {

namespace {

constexpr long kConflicts =
    40;                      ///< about so many may be met on the way to avoiding a statement that costs, the first time
constexpr int kPatience = 6; ///< how often what was not enough is doubled
constexpr long kNeighbourhood = 15'000; ///< for one neighbourhood
constexpr std::size_t kTogether = 12;   ///< needs of a wish that are moved at once, at most

} // namespace

/// Goes on from the best way, as it is, with all that costs nothing there kept free of cost and one thing more. Mostly
/// only little must change for that.
void PlacementOptimiser::tryEach(Level& level, long effort)
{
    const long end = model_.solver.spent() + effort;
    const long each = effortOfSame() + kConflicts * (model_.solver.spent() / std::max(1L, model_.solver.conflicts()));
    std::size_t inVain = 0;
    while (model_.solver.spent() < end && !model_.solver.wasCancelled() &&
           level.cores.lower < best_->cost.at(level.which)) {
        model_.deriveValues(valuesOfBest_);
        std::vector<Literal> assumptions{gate_}, costly;
        for (const auto& [literal, weight] : level.sum->terms) {
            const bool costs = valuesOfBest_[std::size_t(literal.variable())] != literal.negated();
            if (!costs)
                assumptions.push_back(~literal);
            else if (model_.solver.valueOf(literal) == 0)
                costly.push_back(literal);
        }
        if (inVain >= costly.size())
            return;
        // Those that were tried least come first; several at once as long as that succeeds.
        std::stable_sort(costly.begin(), costly.end(),
                         [&level](Literal a, Literal b) { return level.inVain[a] < level.inVain[b]; });
        level.together = std::min(level.together, costly.size());
        for (std::size_t i = 0; i < level.together; ++i)
            assumptions.push_back(~costly[i]);
        int& tried = level.inVain[costly.front()];
        model_.solver.goOnFrom(valuesOfBest_);
        if (model_.solve(assumptions, std::min(each << std::min(tried, kPatience), end - model_.solver.spent()),
                         Solver::Manner::Plain) == Solver::Answer::Yes &&
            take(level)) {
            inVain = 0;
            level.together *= 2;
        } else if (level.together > 1) {
            level.together /= 2;
        } else {
            ++inVain;
            ++tried;
        }
    }
}

/// What it takes to go through all decisions once, without a conflict.
long PlacementOptimiser::effortOfSame()
{
    if (effortOfSame_ == 0) {
        model_.deriveValues(valuesOfBest_);
        const long before = model_.solver.spent();
        model_.solver.goOnFrom(valuesOfBest_);
        model_.solve({{gate_}}, firstSlice(), Solver::Manner::Plain);
        effortOfSame_ = model_.solver.spent() - before;
    }
    return effortOfSame_;
}

void PlacementOptimiser::tryAll(Level& level, long effort)
{
    const long end = model_.solver.spent() + effort;
    while (model_.solver.spent() < end) {
        const Solver::Answer answer = model_.solve({{gate_, level.better}}, end - model_.solver.spent());
        if (answer == Solver::Answer::No)
            level.settled = true;
        if (answer != Solver::Answer::Yes || !take(level) || level.cores.lower >= best_->cost.at(level.which))
            return;
    }
}

std::vector<bool> PlacementOptimiser::neighbourhood(const Level& level, std::size_t size)
{
    const PlacementSpace& space = model_.space();
    const PlacementModel::Assignment& way = best_->way;
    // Begin with whoever costs something here, if that can be said.
    std::vector<std::size_t> costly;
    std::map<int, unsigned> sidesOfPart;
    std::vector<unsigned> sidesOfStand(way.size(), 0u);
    std::vector<int> sitting(space.positionOfPad.size(), -1);
    std::map<int, std::vector<std::size_t>> onInstance;
    const auto padsOf = [&space](const PlacementModel::NeedPlacement& stand) {
        const PlacementSpace::Entry& entry = space.needs[std::size_t(stand.need)];
        if (stand.site < 0)
            return entry.padsNow;
        std::vector<PadIndex> out;
        for (std::size_t s = 0; s < stand.choices.size(); ++s)
            out.push_back(entry.sites[std::size_t(stand.site)].choices[s][std::size_t(stand.choices[s])].pad);
        return out;
    };
    for (std::size_t w = 0; w < way.size(); ++w) {
        const PlacementSpace::Entry& entry = space.needs[std::size_t(way[w].need)];
        for (const PadIndex pad : padsOf(way[w])) {
            sidesOfStand[w] |= 1u << space.sideOfPad[std::size_t(pad)];
            sitting[std::size_t(pad)] = int(w);
        }
        if (way[w].site >= 0)
            onInstance[entry.sites[std::size_t(way[w].site)].instance].push_back(w);
        if (entry.part >= 0)
            sidesOfPart[entry.part] |= sidesOfStand[w];
    }
    for (std::size_t w = 0; w < way.size(); ++w) {
        const int part = space.needs[std::size_t(way[w].need)].part;
        const unsigned sides = level.which == PlacementLevel::Sides && part >= 0 ? sidesOfPart[part] : sidesOfStand[w];
        const bool costs =
            level.which == PlacementLevel::Moved || level.which == PlacementLevel::Pads     ? way[w].site >= 0
            : level.which == PlacementLevel::Sides || level.which == PlacementLevel::Splits ? (sides & (sides - 1)) != 0
                                                                                            : true;
        if (costs)
            costly.push_back(w);
    }
    std::vector<bool> free(way.size(), false);
    if (way.empty())
        return free;
    // Who belongs together moves together: a part's needs, or those that a broken wish speaks of.
    std::vector<std::size_t> members;
    const auto join = [&](std::size_t w) {
        if (!free[w])
            members.push_back(w);
        free[w] = true;
    };
    const std::vector<std::vector<NeedIndex>> unwished =
        level.which == PlacementLevel::Wishes || level.which == PlacementLevel::Stands
            ? model_.unwished(way, level.which == PlacementLevel::Stands)
            : std::vector<std::vector<NeedIndex>>();
    if (!unwished.empty()) {
        const std::vector<NeedIndex>& needs = unwished[random(unsigned(unwished.size()))];
        for (std::size_t w = 0; w < way.size() && members.size() < kTogether; ++w)
            if (std::find(needs.begin(), needs.end(), way[w].need) != needs.end())
                join(w);
    }
    if (members.empty()) {
        const std::size_t seed =
            costly.empty() ? random(unsigned(way.size())) : costly[random(unsigned(costly.size()))];
        join(seed);
        const int part = space.needs[std::size_t(way[seed].need)].part;
        for (std::size_t w = 0; w < way.size() && part >= 0; ++w)
            if (space.needs[std::size_t(way[w].need)].part == part)
                join(w);
    }
    // Then those that have what a member could use, also at second hand.
    const std::size_t wanted = members.size() + size;
    for (int tries = 0; members.size() < wanted && tries < int(6 * size); ++tries) {
        const PlacementSpace::Entry& entry =
            space.needs[std::size_t(way[members[random(unsigned(members.size()))]].need)];
        if (entry.sites.empty())
            continue;
        const PlacementSpace::Site& site = entry.sites[random(unsigned(entry.sites.size()))];
        std::vector<std::size_t> found;
        if (const auto there = onInstance.find(site.instance); there != onInstance.end() && site.instance >= 0)
            found = there->second;
        if (!site.choices.empty()) {
            const auto& choices = site.choices[random(unsigned(site.choices.size()))];
            if (const int who = sitting[std::size_t(choices[random(unsigned(choices.size()))].pad)]; who >= 0)
                found.push_back(std::size_t(who));
        }
        for (const std::size_t w : found)
            if (members.size() < wanted)
                join(w);
    }
    return free;
}

/// Some needs are placed anew while the others stand.
void PlacementOptimiser::tryParts(Level& level, long effort)
{
    const long end = model_.solver.spent() + effort;
    int inVain = 0;
    // Of a large model already those that stand take a while to be put where they are.
    const long each = kNeighbourhood + (isLarge() ? 2 * effortOfSame() : 0);
    while (model_.solver.spent() < end && !level.settled && inVain < 200) {
        const std::vector<bool> free = neighbourhood(level, size_);
        if (std::all_of(free.begin(), free.end(), [](bool f) { return f; }))
            return;
        std::vector<Literal> assumptions{gate_, level.better};
        for (std::size_t w = 0; w < free.size(); ++w)
            if (!free[w]) {
                const std::vector<Literal> says = model_.saying(best_->way[w]);
                assumptions.insert(assumptions.end(), says.begin(), says.end());
            }
        const Solver::Answer answer =
            model_.solve(assumptions, std::min(each + long(assumptions.size()) * 20, end - model_.solver.spent()),
                         isLarge() ? Solver::Manner::Plain : Solver::Manner::Guided);
        if (answer == Solver::Answer::Yes && take(level)) {
            inVain = 0;
            if (level.cores.lower >= best_->cost.at(level.which))
                return;
            continue;
        }
        // Small neighbourhoods that are seen whole are too small.
        if (++inVain % 16 == 0)
            size_ = answer == Solver::Answer::No ? std::min<std::size_t>(size_ + 1, 24)
                                                 : std::max<std::size_t>(size_ - 1, 2);
    }
}

} // namespace bindrel
