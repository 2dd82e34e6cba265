// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/way.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

ClockSolution wayTo(const ClockTrial& now, const Plan& plan, const std::vector<ReachTarget>& targets,
                    const IndexVector<ClockIndex, TrialClock>& clocks, int range)
{
    const Device& device = now.device();
    ClockSolution way;
    ClockTrial then = now;
    then.setRange(range);
    then.clocks = clocks;
    for (auto& [node, value] : then.decisions(now, plan))
        way.edit.changes.push_back(SetClock{node, value});
    if (range != now.range())
        way.edit.changes.push_back(SetText{SetText::What::Range, device.ranges[size_t(range)].id});
    std::vector<std::string> title;
    for (const ReachTarget& target : targets) {
        const Frequency rate = clocks[target.clock].rate;
        way.achieved.push_back(rate);
        way.errors.push_back(target.kind == ReachTarget::Kind::Rate ? errorOf(rate, target.rate) : Ppm());
        if (way.errors.back().value.abs() > way.worstError.value)
            way.worstError = Ppm(way.errors.back().value.abs());
        title.push_back(say("{} to {}", device.clocks[target.clock].name, format(rate)));
    }
    for (ClockIndex i = 0; i < int(then.size()); ++i) {
        const bool target =
            std::any_of(targets.begin(), targets.end(), [i](const ReachTarget& t) { return t.clock == i; });
        if (!target && now.clocks[i].used && now.clocks[i].rate != clocks[i].rate)
            way.others.push_back({int(i), now.clocks[i].rate, clocks[i].rate});
        if (device.clocks[i].enable.valid() && clocks[i].running != now.clocks[i].running)
            (clocks[i].running ? way.wakes : way.stops).push_back(int(i));
    }
    way.current = then.current();
    way.currentBefore = now.current();
    way.fastestMultiplier = then.fastestMultiplier();
    way.range = range;
    way.edit.title = title.empty() ? say("Repair the clocks") : joined(title, ", ");
    return way;
}

std::string forbiddenText(const ClockTrial& trial, const ClockCombination& combination)
{
    std::vector<std::string> names;
    for (const ClockCombination::Term& term : combination.terms)
        names.push_back(trial.device().clocks[term.clock].name);
    return say("{}: combination not allowed{}", listed(names),
               combination.because.empty() ? "" : ": " + combination.because);
}

std::string limitText(const ClockTrial& trial, ClockIndex clock)
{
    const ClockIndex i = size_t(clock);
    const ClockNode& node = trial.device().clocks[i];
    const Frequency rate = trial.clocks[i].rate;
    if (rate.value.isZero())
        return say("{} stops", node.name);
    const auto most = trial.max(i);
    const auto least = trial.min(i);
    const std::string range = trial.device().ranges[size_t(trial.range())].name;
    const std::string because = limitIn(trial.device(), node, trial.range()).because;
    const std::string why = because.empty() ? "" : ": " + because;
    if (most && rate > *most)
        return say("{} is {}, above its limit of {} in {}{}", node.name, format(rate), format(*most), range, why);
    if (least && rate < *least)
        return say("{} is {}, below its limit of {} in {}{}", node.name, format(rate), format(*least), range, why);
    return say("{} is {} {}; with its tolerance it crosses its limit of {} in {}{}", node.name, format(rate),
               format(trial.clocks[i].tolerance), most ? format(*most) : format(*least), range, why);
}

} // namespace bindrel
