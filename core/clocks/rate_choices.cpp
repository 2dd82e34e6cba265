// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/rate_choices.h"

#include "core/plan/check_setting.h"

#include <algorithm>

namespace bindrel {

std::vector<RateChoice> rateChoices(const Device& device, const Board& board, const Plan& plan,
                                    const Bindings& bindings, ClockIndex clock, const std::function<bool()>& stopped)
{
    const ClockNode& node = device.clocks[size_t(clock)];
    std::vector<RateChoice> out;
    Plan trial = plan;
    for (const std::string& choice : clockChoices(device, clock)) {
        if (stopped && stopped())
            return {};
        if (node.isSource())
            if (const Expected<SourceDecision> decision = readSourceDecision(node, choice);
                !decision || !decision->rate)
                continue;
        trial.clocks[node.id] = choice;
        const ClockState state = computeRates(device, board, trial, bindings).clocks[size_t(clock)];
        if (state.rate.defined() && state.rate.value > Rational(0))
            out.push_back({state.rate, choice});
    }
    std::stable_sort(out.begin(), out.end(), [](const RateChoice& a, const RateChoice& b) { return a.rate < b.rate; });
    out.erase(
        std::unique(out.begin(), out.end(), [](const RateChoice& a, const RateChoice& b) { return a.rate == b.rate; }),
        out.end());
    return out;
}

} // namespace bindrel
