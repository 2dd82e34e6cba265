// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/change_bound.h"

#include <algorithm>
#include <cmath>

namespace bindrel {

namespace {
constexpr std::size_t kMostRates = 64;
} // namespace

ChangeBound::ChangeBound(const ClockTrial& now) : now_(now), rates_(now.size())
{
    for (const TrialClock& clock : now.clocks)
        nowRates_.push_back(clock.rate.toDouble());
}

int ChangeBound::atLeast(const ClockTrial& trial, const std::vector<bool>& onPath, const std::vector<int>& targetOf,
                         int decided)
{
    int changed = 0;
    for (ClockIndex i = 0; i < int(rates_.size()); ++i) {
        Rates& own = rates_[i];
        own.values.clear();
        own.any = false;
        const ClockNode& node = trial.device().clocks[i];
        if (onPath[i] && int(i) <= decided) {
            own.values.push_back(trial.clocks[i].hertz);
            continue;
        }
        const auto take = [&](int input, const auto& each) {
            if (input < 0)
                return;
            const Rates& from = rates_[size_t(input)];
            own.any = own.any || from.any;
            for (const double rate : from.values)
                each(rate);
        };
        const auto same = [&own](double rate) { own.values.push_back(rate); };
        const bool free = trial.free(i);
        if (node.isSource()) {
            own.any = free && !node.rates.empty();
            if (!own.any)
                own.values.push_back(nowRates_[i]);
        } else if (node.type == ClockNode::Type::Select && free && !onPath[i]) {
            for (const ClockInput& input : node.inputs)
                take(input.node, same);
        } else if (node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply) {
            const ClockIndex input = node.inputs.front().node;
            const bool divides = node.type == ClockNode::Type::Divide;
            const double unit = double(node.unit);
            if (!free)
                take(input, [&](double rate) {
                    own.values.push_back(divides ? rate * unit / double(trial.clocks[i].setting)
                                                 : rate * double(trial.clocks[i].setting) / unit);
                });
            else if (trial.hasFineSteps(i) ||
                     rates_[size_t(input)].values.size() * trial.settings(i).size() > kMostRates)
                own.any = true;
            else
                take(input, [&](double rate) {
                    for (const std::int64_t setting : trial.settings(i))
                        own.values.push_back(divides ? rate * unit / double(setting) : rate * double(setting) / unit);
                });
        } else if (node.type == ClockNode::Type::Follow && node.follows >= 0) {
            take(node.inputs.front().node, [&](double rate) {
                own.values.push_back(rate * double(node.factorWhenOne));
                own.values.push_back(rate * double(node.factorElse));
            });
        } else {
            take(trial.inputOf(i), same);
        }
        if (own.values.size() > kMostRates)
            own.any = true;
        if (own.any) {
            own.values.clear();
            continue;
        }
        const double was = nowRates_[i];
        if (targetOf[i] < 0 && now_.clocks[i].used)
            changed += std::none_of(own.values.begin(), own.values.end(),
                                    [was](double rate) { return std::abs(rate - was) <= was * 1e-9; });
    }
    return changed;
}

} // namespace bindrel
