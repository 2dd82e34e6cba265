// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/goal_memo.h"

namespace bindrel {

const std::vector<NeedIndex>& GoalMemo::missed(const ClockTrial& trial)
{
    if (!function_)
        return none_;
    std::vector<std::int64_t> key;
    for (ClockIndex i = 0; i < int(trial.size()); ++i)
        if (trial.isRoot(i)) {
            const TrialClock& c = trial.clocks[i];
            key.insert(key.end(), {c.rate.value.num(), c.rate.value.den(), c.tolerance.low.value.num(),
                                   c.tolerance.low.value.den(), c.tolerance.high.value.num(),
                                   c.tolerance.high.value.den(), c.running});
        }
    const auto known = known_.find(key);
    if (known != known_.end())
        return known->second;
    for (ClockIndex i = 0; i < int(trial.size()); ++i) {
        ClockState& state = rates_.clocks[i];
        state.rate = trial.clocks[i].rate;
        state.tolerance = trial.clocks[i].tolerance;
        state.setting = trial.clocks[i].setting;
        state.input = trial.inputOf(i);
        state.used = trial.clocks[i].used;
        state.running = trial.clocks[i].running;
    }
    return known_[key] = function_(rates_);
}

} // namespace bindrel
