// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/completion.h"

#include <algorithm>

namespace bindrel {

namespace {
/// Trees on which the exact answer would take longer than this get the best found so far.
constexpr long kMostSteps = 20'000;
} // namespace

Completion::Completion(const ClockTrial& now) : now_(now), dependents_(now.size(), 0)
{
    for (const ClockNode& node : now.device().clocks) {
        for (const ClockInput& input : node.inputs)
            if (input.node >= 0)
                ++dependents_[size_t(input.node)];
        for (const int other : {node.follows, node.limit.relativeTo, node.trim ? node.trim->by : -1})
            if (other >= 0)
                ++dependents_[size_t(other)];
        for (const auto& [range, limit] : node.limitByRange)
            if (limit.relativeTo >= 0)
                ++dependents_[size_t(limit.relativeTo)];
    }
}

void Completion::begin(const std::vector<bool>& decided, const ClockTrial& trial)
{
    others_.clear();
    border_.clear();
    known_.clear();
    ceilings_.assign(decided.size(), {});
    for (size_t i = 0; i < decided.size(); ++i) {
        if (!decided[i]) {
            others_.push_back(int(i));
            continue;
        }
        const int ceiling = trial.relativeTo(i);
        if (ceiling >= 0 && !decided[size_t(ceiling)])
            ceilings_[size_t(ceiling)].push_back(int(i));
        if (dependents_[i] > 0 || ceiling >= 0)
            border_.push_back(int(i));
    }
}

/// Marks what could be changed to make a clock fast enough for a decided one that must not be faster than a part of it.
void Completion::strain(const ClockTrial& trial, bool all)
{
    strained_.assign(trial.size(), false);
    if (all)
        for (const int i : others_)
            if (const int ceiling = trial.relativeTo(size_t(i)); ceiling >= 0)
                strained_[size_t(ceiling)] = true;
    for (size_t i = trial.size(); i-- > 0;) {
        for (const int below : ceilings_[i])
            strained_[i] = strained_[i] || trial.outside(size_t(below));
        if (strained_[i])
            for (const ClockInput& input : now_.device().clocks[i].inputs)
                if (input.node >= 0)
                    strained_[size_t(input.node)] = true;
    }
}

/// Whether something that the clock depends on is not as it was.
bool Completion::touched(const ClockTrial& trial, int index) const
{
    const size_t i = size_t(index);
    if (strained_[i])
        return true;
    const int input = trial.inputOf(i);
    if (input >= 0 && (trial.clocks[size_t(input)].rate != now_.clocks[size_t(input)].rate || !(trial.clocks[size_t(input)].tolerance == now_.clocks[size_t(input)].tolerance)))
        return true;
    // Its own rate is as it was; only what another clock demands can make it wrong.
    return counts(trial, index) && trial.outside(i) && !now_.outside(i);
}

/// Whether its limits matter: it is in use, or runs anyway.
bool Completion::counts(const ClockTrial& trial, int index) const
{
    const size_t i = size_t(index);
    return !trial.clocks[i].rate.value.isZero() && (now_.clocks[i].used || (now_.clocks[i].running && now_.device().clocks[i].tier != "kernel"));
}

Completion::Cost Completion::costOf(const ClockTrial& trial, int index) const
{
    const size_t i = size_t(index);
    const bool same = trial.clocks[i].rate == now_.clocks[i].rate;
    Cost cost;
    cost.broken = (counts(trial, index) && trial.outside(i) && !(same && now_.outside(i))) || (now_.clocks[i].used && trial.clocks[i].rate.value.isZero() && !now_.clocks[i].rate.value.isZero());
    for (const int below : ceilings_[i])
        cost.broken += trial.outside(size_t(below)) && !(now_.breaks(size_t(below)) && now_.clocks[size_t(below)].rate == trial.clocks[size_t(below)].rate);
    cost.changed = now_.clocks[i].used && !same;
    cost.decisions = trial.clocks[i].setting != now_.clocks[i].setting && now_.device().clocks[i].type != ClockNode::Type::Follow;
    return cost;
}

/// Settings from the most promising on: cheap first, then those that keep the rate nearest to what it was.
std::vector<std::int64_t> Completion::ordered(ClockTrial& trial, int index) const
{
    const size_t i = size_t(index);
    const ClockNode& node = now_.device().clocks[i];
    struct Row {
        Cost cost;
        double off;
        std::int64_t setting;
    };
    std::vector<Row> rows;
    const double was = now_.clocks[i].rate.toDouble();
    const auto add = [&](std::int64_t setting) {
        trial.clocks[i].setting = setting;
        if (node.type == ClockNode::Type::Select) {
            const int input = trial.inputOf(i);
            // A source that would have to be woken beyond its limits is no choice.
            if (setting != now_.clocks[i].setting && (input < 0 || trial.clocks[size_t(input)].rate.value.isZero() || trial.outside(size_t(input))))
                return;
        }
        trial.compute(i);
        const double rate = trial.clocks[i].rate.toDouble();
        rows.push_back({costOf(trial, index), was > 0 && rate > 0 ? std::max(rate / was, was / rate) : 0, setting});
    };
    add(now_.clocks[i].setting);
    for (const std::int64_t setting : trial.settings(i))
        if (setting != now_.clocks[i].setting)
            add(setting);
    std::stable_sort(rows.begin(), rows.end(), [](const Row& a, const Row& b) { return a.cost != b.cost ? a.cost < b.cost : a.off < b.off; });
    std::vector<std::int64_t> out;
    for (const Row& row : rows)
        out.push_back(row.setting);
    return out;
}

void Completion::decide(ClockTrial& trial, size_t at, Cost cost)
{
    if (best_ && (cost >= *best_ || ++steps_ > kMostSteps))
        return;
    if (at == others_.size()) {
        best_ = cost;
        bestAnswer_.settings.clear();
        for (const int i : others_)
            bestAnswer_.settings.emplace_back(i, trial.clocks[size_t(i)].setting);
        return;
    }
    const int index = others_[at];
    const size_t i = size_t(index);
    trial.clocks[i].setting = now_.clocks[i].setting;
    const auto go = [&](std::int64_t setting) {
        trial.clocks[i].setting = setting;
        trial.compute(i);
        const Cost own = costOf(trial, index);
        decide(trial, at + 1, {cost.broken + own.broken, cost.changed + own.changed, cost.decisions + own.decisions});
    };
    trial.compute(i);
    if (!trial.free(i) || trial.settings(i).empty() || !touched(trial, index)) {
        go(trial.clocks[i].setting);
        return;
    }
    const std::vector<std::int64_t> settings = ordered(trial, index);
    if (dependents_[i] == 0)
        go(settings.front());
    else
        for (const std::int64_t setting : settings)
            go(setting);
}

void Completion::search(ClockTrial& trial, bool strainAll)
{
    best_.reset();
    steps_ = 0;
    for (const int i : others_)
        trial.clocks[size_t(i)] = now_.clocks[size_t(i)];
    strain(trial, strainAll);
    decide(trial, 0, {});
}

void Completion::apply(ClockTrial& trial)
{
    std::vector<std::int64_t> key{trial.range()};
    for (const int i : border_) {
        const TrialClock& c = trial.clocks[size_t(i)];
        key.insert(key.end(), {c.rate.value.num(), c.rate.value.den(), c.tolerance.low.value.num(), c.tolerance.low.value.den(), c.tolerance.high.value.num(), c.tolerance.high.value.den(), c.setting});
    }
    auto found = known_.find(key);
    if (found == known_.end()) {
        search(trial, false);
        // One that was changed may have become too fast for another that nothing has touched.
        if (best_->broken > 0)
            search(trial, true);
        found = known_.emplace(std::move(key), bestAnswer_).first;
    }
    for (const auto& [i, setting] : found->second.settings)
        trial.clocks[size_t(i)].setting = setting;
    for (const int i : others_)
        trial.compute(size_t(i));
}

} // namespace bindrel
