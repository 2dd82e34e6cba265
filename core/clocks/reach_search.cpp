// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/reach_search.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

namespace bindrel {

namespace {

using Kind = ReachTarget::Kind;

/// The interval that a target's rate must lie in; open ends are 0 and empty. For a rate whose permitted error covers
/// the source's tolerance, the nominal rate's interval: the tolerance is looked at later.
std::pair<Frequency, std::optional<Frequency>> intervalOf(const ReachTarget& target)
{
    switch (target.kind) {
    case Kind::Rate:
        return {shifted(target.rate, Ppm(-target.permitted.value)), shifted(target.rate, target.permitted)};
    case Kind::AtMost:
        return {Frequency(), target.rate};
    case Kind::AtLeast:
    case Kind::Slowest:
        return {target.rate, std::nullopt};
    case Kind::Fastest:
        return {Frequency(), target.rate.value.isZero() ? std::nullopt : std::optional(target.rate)};
    }
    return {};
}

bool meets(const ReachTarget& target, const TrialClock& clock)
{
    const auto [low, high] = intervalOf(target);
    if (clock.rate.value.isZero() || !clock.rate.defined() || clock.rate < low || (high && clock.rate > *high))
        return false;
    if (target.kind != Kind::Rate || !target.withTolerance)
        return true;
    const auto far = [&](const Ppm& by) {
        return errorOf(shifted(clock.rate, by), target.rate).value.abs() <= target.permitted.value;
    };
    return far(clock.tolerance.low) && far(clock.tolerance.high);
}

} // namespace

ReachSearch::ReachSearch(const ClockTrial& now, const Rates& ratesNow, const ReachRequest& request, bool countLimits)
    : request_(request), now_(now), ratesNow_(ratesNow), trial_(now), completion_(now), bound_(now),
      goals_(ratesNow, request.missedGoals), countLimits_(countLimits), onPath_(now.size(), false),
      targetOf_(now.size(), -1), outlook_(request.targets.size())
{
    for (size_t t = 0; t < request.targets.size(); ++t) {
        targetOf_[size_t(request.targets[t].clock)] = int(t);
        tolerancesMatter_ = tolerancesMatter_ || request.targets[t].withTolerance;
    }
    for (size_t i = 0; i < now.size(); ++i)
        brokeBefore_.push_back(now.breaks(i));
    settingMatters_.assign(now.size(), false);
    for (const ClockCombination& combination : now.device().neverTogether)
        for (const ClockCombination::Term& term : combination.terms)
            settingMatters_[size_t(term.clock)] = true;
}

bool ReachSearch::pause()
{
    if ((++looked_ & 255) != 0)
        return stopped_;
    if (request_.stopped && request_.stopped())
        stopped_ = true;
    if (request_.progress && (looked_ & 4095) == 0)
        request_.progress(looked_);
    return stopped_;
}

void ReachSearch::run(int range)
{
    trial_ = now_;
    trial_.setRange(range);
    onPath_.assign(now_.size(), false);
    std::vector<ClockIndex> open;
    for (auto target = request_.targets.rbegin(); target != request_.targets.rend(); ++target)
        open.push_back(target->clock);
    route(open);
}

/// Decides the selects on the way from the clocks in `open` up to their sources, in all ways.
void ReachSearch::route(std::vector<ClockIndex>& open)
{
    if (pause())
        return;
    if (open.empty()) {
        numbers();
        return;
    }
    const ClockIndex clock = open.back();
    const ClockIndex i = size_t(clock);
    open.pop_back();
    if (onPath_[i]) {
        route(open);
        open.push_back(clock);
        return;
    }
    const ClockNode& node = now_.device().clocks[i];
    onPath_[i] = true;
    const TrialClock kept = trial_.clocks[i];
    trial_.clocks[i].off = false;
    const auto from = [&](int input) {
        const size_t depth = open.size();
        if (node.follows >= 0)
            open.push_back(node.follows);
        open.push_back(input);
        route(open);
        open.resize(depth);
    };
    if (!now_.canRun(i)) {
        // No way leads through it.
    } else if (node.isSource()) {
        route(open);
    } else if (node.type != ClockNode::Type::Select) {
        from(node.inputs.front().node);
    } else {
        std::vector<std::int64_t> settings{kept.setting};
        if (now_.free(i))
            for (const std::int64_t setting : now_.settings(i))
                if (setting != kept.setting)
                    settings.push_back(setting);
        for (const std::int64_t setting : settings) {
            trial_.clocks[i].setting = setting;
            if (const int input = trial_.inputOf(i); input >= 0)
                from(input);
        }
    }
    trial_.clocks[i] = kept;
    onPath_[i] = false;
    open.push_back(clock);
}

void ReachSearch::numbers()
{
    path_.clear();
    for (size_t i = 0; i < onPath_.size(); ++i)
        if (onPath_[i])
            path_.push_back(int(i));
    findGains();
    completion_.begin(onPath_, trial_);
    pathChanged_ = pathBroken_ = 0;
    seen_.clear();
    fine_.clear();
    leastErrors_.clear();
    neededUntil_.assign(onPath_.size(), -1);
    for (const ClockIndex i : path_) {
        const ClockNode& node = now_.device().clocks[i];
        int& until = neededUntil_[size_t(i)];
        for (const int other : completion_.dependents(size_t(i)))
            until = std::max(until, onPath_[size_t(other)] ? other : int(onPath_.size()));
        if (targetOf_[size_t(i)] >= 0 || node.type == ClockNode::Type::Multiply ||
            !node.drawsPerMegahertz.value.isZero() || node.tier != "multiplier" || settingMatters_[size_t(i)])
            until = int(onPath_.size());
    }
    wanted_.clear();
    for (const ReachTarget& target : request_.targets) {
        const auto [lowest, highest] = intervalOf(target);
        Interval interval{lowest.toDouble(), highest ? highest->toDouble() : std::numeric_limits<double>::max()};
        const size_t k = size_t(target.clock);
        if (!countLimits_ && !brokeBefore_[k]) {
            if (const auto& most = trial_.absoluteMax(k))
                interval.high = std::min(interval.high, most->toDouble());
            if (const auto least = trial_.min(k))
                interval.low = std::max(interval.low, least->toDouble());
        }
        wanted_.push_back(interval);
    }
    for (size_t t = 0; t < outlook_.size(); ++t)
        outlook_[t] = {0, request_.targets[t].kind == Kind::Fastest ? std::numeric_limits<double>::max() : 0};
    const IndexVector<ClockIndex, TrialClock> kept = trial_.clocks;
    assign(0);
    trial_.clocks = kept;
}

std::vector<std::int64_t> ReachSearch::choicesOf(ClockIndex clock) const
{
    const ClockIndex i = size_t(clock);
    const ClockNode& node = now_.device().clocks[i];
    const std::int64_t current = trial_.clocks[i].setting;
    if (!now_.free(i) || node.type == ClockNode::Type::Select || node.type == ClockNode::Type::Follow ||
        now_.settings(i).empty())
        return {current};
    std::vector<std::int64_t> out{now_.clocks[i].setting};
    for (const std::int64_t setting : now_.settings(i))
        if (setting != out.front())
            out.push_back(setting);
    return out;
}

/// Its own limits, as far as no other clock sets them. What is broken already at the same rate is let be.
bool ReachSearch::inside(ClockIndex clock) const
{
    const ClockIndex i = size_t(clock);
    if (!trial_.outside(i, false))
        return true;
    return trial_.range() == now_.range() && trial_.clocks[i].rate == now_.clocks[i].rate && brokeBefore_[i];
}

/// The same in floating point and with a margin, for a quick no.
bool ReachSearch::mayBeInside(ClockIndex clock, double rate) const
{
    const size_t i = size_t(clock);
    if (brokeBefore_[i])
        return true;
    const std::optional<Frequency>& most = trial_.absoluteMax(i);
    const std::optional<Frequency> least = trial_.min(i);
    return (!most || rate <= most->toDouble() * (1 + kMargin)) && (!least || rate >= least->toDouble() * (1 - kMargin));
}

void ReachSearch::assign(size_t at)
{
    if (stopped_)
        return;
    if (at == path_.size()) {
        leaf();
        return;
    }
    const ClockIndex clock = path_[at];
    const ClockIndex i = size_t(clock);
    const ClockNode& node = now_.device().clocks[i];
    const std::vector<Outlook> outlook = outlook_;
    const int changed = pathChanged_;
    const int broken = pathBroken_;
    const TrialClock kept = trial_.clocks[i];
    const std::vector<std::int64_t> settings =
        now_.free(i) && now_.hasFineSteps(i) ? fineSettings(clock) : choicesOf(clock);
    const bool couldTrim = node.trim && now_.free(i) && !kept.trimmed &&
                           (tolerancesMatter_ || node.tolerance.worst() > now_.device().limitSlack);

    const bool scales = node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply;
    // How accurate it is does not depend on its setting; what follows is looked at with that.
    if (scales)
        trial_.compute(i);
    const double input = scales ? trial_.clocks[node.inputs.front().node].hertz : 0;
    // Most settings of a divider fall here, so exact rates are not computed for them.
    const auto promises = [&](std::int64_t setting) {
        const double factor = node.type == ClockNode::Type::Divide ? double(node.unit) / double(setting)
                                                                   : double(setting) / double(node.unit);
        outlook_ = outlook;
        return (countLimits_ || mayBeInside(clock, input * factor)) && look(clock, input * factor);
    };
    const auto set = [&](std::int64_t setting, bool trimmed) {
        trial_.clocks[i].setting = setting;
        trial_.clocks[i].trimmed = trimmed;
        trial_.compute(i);
        outlook_ = outlook;
        pathBroken_ = broken + (countLimits_ && !inside(clock));
        pathChanged_ =
            changed + (targetOf_[i] < 0 && now_.clocks[i].used && trial_.clocks[i].rate != now_.clocks[i].rate);
        return !trial_.clocks[i].rate.value.isZero() && trial_.clocks[i].rate.defined() &&
               (countLimits_ || inside(clock)) && look(clock, trial_.clocks[i].hertz) &&
               (targetOf_[i] < 0 || meets(request_.targets[size_t(targetOf_[i])], trial_.clocks[i]));
    };
    std::vector<Choice> choices;
    for (const std::int64_t setting : settings)
        for (const bool trimmed : {kept.trimmed, true}) {
            if (trimmed != kept.trimmed && !couldTrim)
                continue;
            if (pause())
                break;
            if (scales ? promises(setting) : set(setting, trimmed)) {
                Choice choice{setting, trimmed, 0, 0};
                for (size_t t = 0; t < outlook_.size(); ++t) {
                    choice.error = std::max(choice.error, outlook_[t].error);
                    if (isObjective(request_.targets[t].kind) && choice.speed == 0)
                        choice.speed = request_.targets[t].kind == Kind::Fastest ? -outlook_[t].rate : outlook_[t].rate;
                }
                choices.push_back(choice);
            }
            if (kept.trimmed)
                break;
        }
    if (choices.size() > 1)
        std::stable_sort(choices.begin(), choices.end(), [](const Choice& a, const Choice& b) {
            const double margin = 1e-12;
            if (std::abs(a.error - b.error) > margin)
                return a.error < b.error;
            return a.speed < b.speed;
        });
    for (const Choice& choice : choices)
        if (set(choice.setting, choice.trimmed) && worthwhile(clock) && !seenCheaper(clock))
            assign(at + 1);
    trial_.clocks[i] = kept;
    outlook_ = outlook;
    pathChanged_ = changed;
    pathBroken_ = broken;
}

} // namespace bindrel
