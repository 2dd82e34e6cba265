// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement_optimiser.h"

#include <algorithm>
#include <set>
#include <tuple>

namespace bindrel {

namespace {

constexpr long kFirstSlice = 60'000;      ///< of effort, for one kind of attempt
constexpr long kPerVariable = 4;          ///< what a slice must have at least, so that a large model is gone through more than once
constexpr long kConflicts = 40;           ///< about so many may be met on the way to avoiding a statement that costs, the first time
constexpr int kPatience = 6;              ///< how often what was not enough is doubled
constexpr int kLarge = 8'000;             ///< variables: from here on counting at every decision costs more than it saves
constexpr long kFar = 15;                 ///< from the bound: so far, small steps pay more than proofs
constexpr long kNeighbourhood = 15'000;   ///< for one neighbourhood
constexpr long kReduction = 2'700;        ///< for leaving one member out of a core
constexpr std::size_t kReducible = 40;    ///< larger cores are taken as they are

/// Which part of what is left of the effort a level may have.
double shareOf(PlacementLevel level) { return level == PlacementLevel::Moved ? 0.5 : level == PlacementLevel::Sides ? 0.7 : level == PlacementLevel::Spread ? 1.0 : 0.4; }

} // namespace

/// Levels that nobody looks at do not decide either.
bool PlacementOptimiser::isBetter(const PlacementCost& a, const PlacementCost& b) const
{
    for (std::size_t l = 0; l < kPlacementLevels; ++l)
        if (const PlacementLevel level = PlacementLevel(l); !model_.isHuge(level) && a.at(level) != b.at(level))
            return a.at(level) < b.at(level);
    return false;
}

unsigned PlacementOptimiser::random(unsigned below)
{
    seed_ = seed_ * 1664525u + 1013904223u; // Numerical Recipes; any would do, the same for all
    return below == 0 ? 0 : (seed_ >> 8) % below;
}

Solver::Answer PlacementOptimiser::run(Best& best, long effort)
{
    best_ = &best;
    gate_ = model_.solver.fresh();
    const long end = model_.solver.spent() + effort;
    const Solver::Answer first = findFirst(effort);
    if (first == Solver::Answer::Yes) {
        best.proof = {};
        best.cost = model_.costOf(model_.way());
        keep();
        bool known = true;
        for (std::size_t l = 0; l < kPlacementLevels && !model_.solver.wasCancelled(); ++l) {
            Level level{PlacementLevel(l)};
            if (model_.isHuge(level.which)) {
                known = false;
                continue;
            }
            level.sum = &model_.sumOf(level.which);
            optimise(level, long(double(end - model_.solver.spent()) * shareOf(level.which)));
            // What lies below a level that may be better yet is the least for this choice only.
            if (known)
                best.proof.least[l] = int(level.settled ? best.cost.at(level.which) : std::min<long>(level.cores.lower, best.cost.at(level.which)));
            known = known && level.settled;
            close(level);
            if (improved_)
                improved_(best.way, best.cost, best.proof);
        }
    }
    // What was asked for here does not bind the next run.
    model_.solver.is(~gate_);
    return first;
}

bool PlacementOptimiser::isLarge() const { return model_.solver.variables() > kLarge; }

long PlacementOptimiser::firstSlice() const { return std::max(kFirstSlice, kPerVariable * model_.solver.variables()); }

/// Decided like people do, a way shows soon or late; then the other manner often has it.
Solver::Answer PlacementOptimiser::findFirst(long effort)
{
    const long end = model_.solver.spent() + effort;
    for (long slice = firstSlice();; slice *= 3)
        for (const Solver::Manner manner : {Solver::Manner::Guided, Solver::Manner::Plain}) {
            const Solver::Answer answer = model_.solve({{gate_}}, std::min(manner == Solver::Manner::Plain ? 4 * slice : slice, end - model_.solver.spent()), manner);
            if (answer != Solver::Answer::Unknown || model_.solver.wasCancelled() || model_.solver.spent() >= end)
                return answer;
        }
}

void PlacementOptimiser::optimise(Level& level, long effort)
{
    level.cores.lower = level.sum->base;
    for (const Solver::Term& term : level.sum->terms)
        if (model_.solver.valueOf(term.literal) > 0) {
            level.cores.lower += term.weight;
        } else if (model_.solver.valueOf(term.literal) == 0) {
            level.cores.weights[~term.literal] += term.weight;
            level.all += term.weight;
        }
    const auto isDone = [&] { return level.settled || level.cores.lower >= best_->cost.at(level.which); };
    level.settled = isDone();
    if (level.settled)
        return;
    level.better = model_.solver.fresh();
    setBetter(level);
    const long end = model_.solver.spent() + effort;
    const auto isOver = [&] { return level.settled || model_.solver.wasCancelled() || model_.solver.spent() >= end; };
    const auto isFar = [&] { return best_->cost.at(level.which) - level.cores.lower > kFar; };
    for (long slice = firstSlice(); !isOver(); slice = slice * 3 / 2) {
        using Attempt = void (PlacementOptimiser::*)(Level&, long);
        // What makes headway goes on.
        const auto attempt = [&](Attempt how, long most) {
            std::pair<long, int> before;
            while (!isOver() && before != std::pair(level.cores.lower, best_->cost.at(level.which))) {
                before = {level.cores.lower, best_->cost.at(level.which)};
                (this->*how)(level, std::min(most, end - model_.solver.spent()));
                level.settled = isDone();
            }
        };
        if (isLarge() || isFar()) {
            attempt(&PlacementOptimiser::raisePlainly, 2 * slice);
            attempt(&PlacementOptimiser::tryEach, 4 * slice);
        }
        if (isLarge())
            continue;
        attempt(&PlacementOptimiser::raise, slice);
        attempt(&PlacementOptimiser::tryAll, slice);
        attempt(&PlacementOptimiser::tryParts, slice);
    }
}

/// Bounds the level below what it has.
void PlacementOptimiser::setBetter(Level& level)
{
    long certain = level.sum->base;
    std::vector<Solver::Term> terms;
    for (const Solver::Term& term : level.sum->terms)
        terms.push_back(term);
    const long all = [&] {
        long sum = 0;
        for (const Solver::Term& term : terms)
            sum += term.weight;
        return sum;
    }();
    const long most = all + best_->cost.at(level.which) - 1 - certain;
    if (level.bound < 0) {
        terms.push_back({level.better, int(all)});
        level.bound = model_.solver.bound(std::move(terms), most);
        level.all = all;
    } else {
        model_.solver.lower(level.bound, most);
    }
}

/// What the solver has found, when it is better.
bool PlacementOptimiser::take(Level& level)
{
    const PlacementCost cost = model_.costOf(model_.way());
    if (!isBetter(cost, best_->cost))
        return false;
    best_->cost = cost;
    keep();
    setBetter(level);
    return true;
}

void PlacementOptimiser::keep()
{
    best_->way = model_.way();
    valuesOfBest_ = model_.solver.values();
    if (improved_)
        improved_(best_->way, best_->cost, best_->proof);
}

/// Goes on from the best way, as it is, with all that costs nothing there kept free of cost and one thing more. Mostly only little must change for that.
void PlacementOptimiser::tryEach(Level& level, long effort)
{
    const long end = model_.solver.spent() + effort;
    const long each = effortOfSame() + kConflicts * (model_.solver.spent() / std::max(1L, model_.solver.conflicts()));
    std::size_t inVain = 0;
    while (model_.solver.spent() < end && !model_.solver.wasCancelled() && level.cores.lower < best_->cost.at(level.which)) {
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
        std::stable_sort(costly.begin(), costly.end(), [&level](Literal a, Literal b) { return level.inVain[a] < level.inVain[b]; });
        level.together = std::min(level.together, costly.size());
        for (std::size_t i = 0; i < level.together; ++i)
            assumptions.push_back(~costly[i]);
        int& tried = level.inVain[costly.front()];
        model_.solver.goOnFrom(valuesOfBest_);
        if (model_.solve(assumptions, std::min(each << std::min(tried, kPatience), end - model_.solver.spent()), Solver::Manner::Plain) == Solver::Answer::Yes && take(level)) {
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
    const PlacementModel::Way& way = best_->way;
    // Begin with whoever costs something here, if that can be said.
    std::vector<std::size_t> costly;
    std::map<int, unsigned> sidesOfPart;
    std::vector<unsigned> sidesOfStand(way.size(), 0u);
    std::vector<int> sitting(space.positionOfPad.size(), -1);
    std::map<int, std::vector<std::size_t>> onInstance;
    const auto padsOf = [&space](const PlacementModel::Stand& stand) {
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
        const bool costs = level.which == PlacementLevel::Moved || level.which == PlacementLevel::Pads ? way[w].site >= 0
                           : level.which == PlacementLevel::Sides || level.which == PlacementLevel::Splits ? (sides & (sides - 1)) != 0
                                                                                                           : true;
        if (costs)
            costly.push_back(w);
    }
    std::vector<bool> free(way.size(), false);
    if (way.empty())
        return free;
    const std::size_t seed = costly.empty() ? random(unsigned(way.size())) : costly[random(unsigned(costly.size()))];
    std::vector<std::size_t> members{seed};
    free[seed] = true;
    const int part = space.needs[std::size_t(way[seed].need)].part;
    for (std::size_t w = 0; w < way.size() && part >= 0; ++w)
        if (!free[w] && space.needs[std::size_t(way[w].need)].part == part) {
            free[w] = true;
            members.push_back(w);
        }
    // Then those that have what a member could use, also at second hand.
    const std::size_t wanted = members.size() + size;
    for (int tries = 0; members.size() < wanted && tries < int(6 * size); ++tries) {
        const PlacementSpace::Entry& entry = space.needs[std::size_t(way[members[random(unsigned(members.size()))]].need)];
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
            if (!free[w] && members.size() < wanted) {
                free[w] = true;
                members.push_back(w);
            }
    }
    return free;
}

/// Some needs are placed anew while the others stand.
void PlacementOptimiser::tryParts(Level& level, long effort)
{
    const long end = model_.solver.spent() + effort;
    int inVain = 0;
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
        const Solver::Answer answer = model_.solve(assumptions, std::min(kNeighbourhood + long(assumptions.size()) * 20, end - model_.solver.spent()));
        if (answer == Solver::Answer::Yes && take(level)) {
            inVain = 0;
            if (level.cores.lower >= best_->cost.at(level.which))
                return;
            continue;
        }
        // Small neighbourhoods that are seen whole are too small.
        if (++inVain % 16 == 0)
            size_ = answer == Solver::Answer::No ? std::min<std::size_t>(size_ + 1, 24) : std::max<std::size_t>(size_ - 1, 2);
    }
}

/// Raises the bound from below: statements that cannot all be avoided.
void PlacementOptimiser::raise(Level& level, long effort, Solver::Manner manner)
{
    Cores& cores = level.cores;
    const long end = model_.solver.spent() + effort;
    if (!cores.begun) {
        cores.begun = true;
        for (const auto& [literal, weight] : cores.weights)
            cores.stratum = std::max(cores.stratum, weight);
    }
    while (model_.solver.spent() < end && cores.lower < best_->cost.at(level.which)) {
        // What is likely to be in conflict is assumed first: so the next one shows soon.
        std::vector<std::tuple<long, int, double, Literal>> order;
        long next = 0; // the next lower weight
        for (const auto& [literal, weight] : cores.weights) {
            if (weight >= cores.stratum)
                order.emplace_back(-weight, -model_.contestsOf(literal), -model_.solver.activityOf(literal), literal);
            else
                next = std::max(next, weight);
        }
        std::sort(order.begin(), order.end());
        std::vector<Literal> assumptions{gate_};
        for (const auto& [weight, contests, activity, literal] : order)
            assumptions.push_back(literal);
        const Solver::Answer answer = model_.solve(assumptions, end - model_.solver.spent(), manner);
        if (answer == Solver::Answer::Unknown)
            return;
        if (answer == Solver::Answer::Yes) {
            take(level);
            if (next == 0) {
                // Nothing of what is left costs: this is the least.
                cores.lower = best_->cost.at(level.which);
                return;
            }
            cores.stratum = next;
            continue;
        }
        std::vector<Literal> core = model_.solver.core();
        std::erase(core, gate_);
        if (!addCore(level, std::move(core)))
            return;
    }
}

bool PlacementOptimiser::addCore(Level& level, std::vector<Literal> core)
{
    Cores& cores = level.cores;
    reduce(core);
    if (core.empty())
        return false;
    long weight = cores.weights.at(core.front());
    for (const Literal literal : core)
        weight = std::min(weight, cores.weights.at(literal));
    cores.lower += weight;
    std::vector<Literal> costs;
    for (const Literal literal : core) {
        costs.push_back(~literal);
        if ((cores.weights[literal] -= weight) == 0)
            cores.weights.erase(literal);
        // One more of those that it counts may be so as well.
        if (const auto known = cores.sums.find(literal); known != cores.sums.end() && known->second.count < int(known->second.of.size())) {
            const Cores::Sum sum = known->second;
            const Literal more = ~atLeast(sum.of, sum.count + 1);
            model_.solver.implies(~more, ~literal);
            cores.sums[more] = {sum.of, sum.count + 1};
            cores.weights[more] += weight;
        }
    }
    if (costs.size() > 1) {
        const Literal more = ~atLeast(costs, 2);
        cores.sums[more] = {costs, 2};
        cores.weights[more] += weight;
    }
    costs.push_back(~gate_);
    model_.solver.atLeastOne(costs);
    return true;
}

/// Leaves out of a core what it does not need.
void PlacementOptimiser::reduce(std::vector<Literal>& core)
{
    if (core.size() > kReducible)
        return;
    // A member without which nothing was shown is needed in what is smaller, too.
    std::vector<Literal> needed;
    for (std::size_t at = 0; at < core.size() && core.size() > 1;) {
        if (std::find(needed.begin(), needed.end(), core[at]) != needed.end()) {
            ++at;
            continue;
        }
        std::vector<Literal> fewer{gate_};
        for (std::size_t other = 0; other < core.size(); ++other)
            if (other != at)
                fewer.push_back(core[other]);
        if (model_.solver.solve(fewer, kReduction) != Solver::Answer::No) {
            needed.push_back(core[at]);
            ++at;
            continue;
        }
        std::vector<Literal> smaller = model_.solver.core();
        std::erase(smaller, gate_);
        if (smaller.empty())
            return;
        core = std::move(smaller);
        at = 0;
    }
}

/// Says that at least `count` of some are so.
Literal PlacementOptimiser::atLeast(const std::vector<Literal>& of, int count)
{
    const Literal out = model_.solver.fresh();
    std::vector<Solver::Term> terms;
    for (const Literal literal : of)
        terms.push_back({literal, 1});
    terms.push_back({~out, int(of.size()) - count + 1});
    model_.solver.bound(std::move(terms), long(of.size()));
    return out;
}

/// From here on the level may not get worse.
void PlacementOptimiser::close(Level& level)
{
    const long best = best_->cost.at(level.which);
    if (level.cores.begun && level.cores.lower == best)
        for (const auto& [literal, weight] : level.cores.weights)
            model_.solver.implies(gate_, literal);
    std::vector<Solver::Term> terms = level.sum->terms;
    long all = 0;
    for (const Solver::Term& term : terms)
        all += term.weight;
    if (best - level.sum->base < all) {
        terms.push_back({gate_, int(all)});
        model_.solver.bound(std::move(terms), all + best - level.sum->base);
    }
    if (level.better.exists())
        model_.solver.is(~level.better);
}

} // namespace bindrel
