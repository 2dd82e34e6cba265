// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/one_change.h"

#include "core/base/text.h"
#include "core/plan/check_setting.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

std::vector<RateChange> singleChanges(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings, int clock,
                                      const Frequency& wanted, std::size_t most)
{
    const Rates now = computeRates(device, board, plan, bindings);
    std::vector<RateChange> out;
    // A select on the way can lead through other clocks, so their settings are worth a look too: the present path suffices
    // for one decision, since a clock off the path changes nothing by itself.
    for (const int node : pathToSource(now, clock)) {
        const ClockNode& facts = device.clocks[size_t(node)];
        if ((facts.isSource() && facts.rates.empty()) || facts.type == ClockNode::Type::Gate || plan.held(holdOfClock(facts.id)))
            continue;
        for (const std::string& choice : clockChoices(device, node)) {
            Plan trial = plan;
            trial.clocks[facts.id] = choice;
            const Rates then = computeRates(device, board, trial, bindings);
            const ClockState& state = then.clocks[size_t(clock)];
            if (state.rate.value.isZero() || !state.rate.defined())
                continue;
            RateChange change{{facts.id, choice}, state.rate, errorOf(state.rate, wanted), 0, 0};
            for (size_t i = 0; i < then.clocks.size(); ++i) {
                const ClockState& c = then.clocks[i];
                change.brokenLimits += limitBreak(c).has_value() && (c.used || device.clocks[i].tier != "kernel");
                change.othersChanged += int(i) != clock && c.running && c.rate != now.clocks[i].rate;
            }
            out.push_back(std::move(change));
        }
    }
    std::stable_sort(out.begin(), out.end(), [](const RateChange& a, const RateChange& b) {
        if (a.error.value.abs() != b.error.value.abs())
            return a.error.value.abs() < b.error.value.abs();
        return std::pair(a.brokenLimits, a.othersChanged) < std::pair(b.brokenLimits, b.othersChanged);
    });
    if (out.size() > most)
        out.resize(most);
    return out;
}

Expected<Edit> editFromText(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings, int clock, std::string_view given)
{
    const ClockNode& node = device.clocks[size_t(clock)];
    const std::string_view text = trimmed(given);
    if (text.empty())
        return editOf(node.name + " as at reset", SetClock{node.id, std::nullopt});
    Expected<std::string> setting = checkClockSetting(device, clock, text);
    if (setting) {
        const bool isAuto = *setting == "auto";
        return editOf(fmt::format("{}: {}", node.name, *setting), SetClock{node.id, isAuto ? std::nullopt : std::optional(*setting)});
    }
    const Expected<Target<Frequency>> target = parseFrequencyTarget(text);
    // A bare number is meant as a setting; a rate has a prefix or a unit.
    const bool bare = text.find_first_not_of("0123456789") == std::string_view::npos;
    if (!target || bare || target->value.value.isZero())
        return setting.problem();
    const std::vector<RateChange> ways = singleChanges(device, board, plan, bindings, clock, target->value, 1);
    if (ways.empty())
        return problemOf(fmt::format("nothing on the way to {} can be changed; let a held clock go, or choose another source.", node.name));
    const RateChange& best = ways.front();
    const Rational permitted = target->permitted ? target->permitted->value : Rational(0);
    if (best.error.value.abs() > permitted)
        return problemOf(fmt::format("no single change brings {} to {}; the nearest is {} ({}) with {} at {}.", node.name, format(target->value), format(best.achieved),
                                     format(best.error, true), best.change.node, *best.change.value));
    return editOf(fmt::format("{} to {}", node.name, format(best.achieved)), best.change);
}

} // namespace bindrel
