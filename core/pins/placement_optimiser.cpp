// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement_optimiser.h"

#include <algorithm>
#include <set>
#include <tuple>

namespace bindrel {

namespace {

constexpr long kFirstSlice = 60'000; ///< of effort, for one kind of attempt
constexpr long kPerVariable =
    4;                        ///< what a slice must have at least, so that a large model is gone through more than once
constexpr int kLarge = 8'000; ///< variables: from here on counting at every decision costs more than it saves
constexpr long kFar = 15;     ///< from the bound: so far, small steps pay more than proofs

/// Which part of what is left of the effort a level may have.
double shareOf(PlacementLevel level)
{
    return level == PlacementLevel::Moved    ? 0.5
           : level == PlacementLevel::Sides  ? 0.85
           : level == PlacementLevel::Spread ? 1.0
                                             : 0.4;
}

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
            // What is wished may cost a third more time, not more; of large models each step takes longer, too.
            const double share = level.which == PlacementLevel::Wishes
                                     ? std::min(shareOf(level.which), 2000.0 / model_.solver.variables())
                                     : shareOf(level.which);
            optimise(level, long(double(end - model_.solver.spent()) * share));
            // What lies below a level that may be better yet is the least for this choice only.
            if (known)
                best.proof.least[l] = int(level.settled ? best.cost.at(level.which)
                                                        : std::min<long>(level.cores.lower, best.cost.at(level.which)));
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

bool PlacementOptimiser::isLarge() const
{
    return model_.solver.variables() > kLarge;
}

long PlacementOptimiser::firstSlice() const
{
    return std::max(kFirstSlice, kPerVariable * model_.solver.variables());
}

/// Decided like people do, a way shows soon or late; then the other manner often has it.
Solver::Answer PlacementOptimiser::findFirst(long effort)
{
    const long end = model_.solver.spent() + effort;
    for (long slice = firstSlice();; slice *= 3)
        for (const Solver::Manner manner : {Solver::Manner::Guided, Solver::Manner::Plain}) {
            const Solver::Answer answer = model_.solve(
                {{gate_}}, std::min(manner == Solver::Manner::Plain ? 4 * slice : slice, end - model_.solver.spent()),
                manner);
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
    learnNewValues();
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
        if (isLarge()) {
            // Of a broken wish it is known who must move together: a part that is small however large the whole is.
            if (level.which == PlacementLevel::Wishes || level.which == PlacementLevel::Stands)
                attempt(&PlacementOptimiser::tryParts, 4 * slice);
            continue;
        }
        attempt(&PlacementOptimiser::raise, slice);
        attempt(&PlacementOptimiser::tryAll, slice);
        attempt(&PlacementOptimiser::tryParts, slice);
    }
}

/// The best way is older than the statements that count this level: what these come to where everybody stands as there.
void PlacementOptimiser::learnNewValues()
{
    std::vector<Literal> assumptions{gate_};
    for (const PlacementModel::NeedPlacement& stand : best_->way) {
        const std::vector<Literal> says = model_.saying(stand);
        assumptions.insert(assumptions.end(), says.begin(), says.end());
    }
    model_.deriveValues(valuesOfBest_);
    model_.solver.goOnFrom(valuesOfBest_);
    if (model_.solve(assumptions, 4 * firstSlice(), Solver::Manner::Plain) == Solver::Answer::Yes)
        valuesOfBest_ = model_.solver.values();
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
