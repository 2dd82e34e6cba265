// SPDX-License-Identifier: GPL-3.0-or-later
// How the optimiser raises the bound: by what cannot all be avoided.
#include "core/pins/placement_optimiser.h"

#include <algorithm>
#include <tuple>

namespace bindrel {

namespace {

constexpr long kReduction = 2'700;     ///< for leaving one member out of a core
constexpr std::size_t kReducible = 40; ///< larger cores are taken as they are

} // namespace

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
        if (const auto known = cores.sums.find(literal);
            known != cores.sums.end() && known->second.count < int(known->second.of.size())) {
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

} // namespace bindrel
