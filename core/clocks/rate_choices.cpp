// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/rate_choices.h"

#include "core/plan/clock_decision.h"

#include <algorithm>

namespace bindrel {

std::vector<RateChoice> rateChoices(const Device& device, const Board& board, const Plan& plan,
                                    const Bindings& bindings, ClockIndex clock, const std::function<bool()>& stopped)
{
    const ClockNode& node = device.clocks[clock];
    std::vector<RateChoice> out;
    Plan trial = plan;
    const auto said = plan.clocks.find(node.id);
    for (const ClockDecision& choice : clockChoices(device, clock)) {
        if (stopped && stopped())
            return {};
        if (const auto* run = std::get_if<RunDecision>(&choice); node.isSource() && !(run && run->rate))
            continue;
        const ClockDecision decision = said == plan.clocks.end() ? choice : withChoice(said->second, choice);
        trial.clocks[node.id] = decision;
        const ClockState state = computeRates(device, board, trial, bindings).clocks[clock];
        if (state.rate.defined() && state.rate.value > Rational(0))
            out.push_back({state.rate, decision});
    }
    std::stable_sort(out.begin(), out.end(), [](const RateChoice& a, const RateChoice& b) { return a.rate < b.rate; });
    out.erase(
        std::unique(out.begin(), out.end(), [](const RateChoice& a, const RateChoice& b) { return a.rate == b.rate; }),
        out.end());
    return out;
}

} // namespace bindrel
