// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/reach_search.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

namespace bindrel {

namespace {

using Kind = ReachTarget::Kind;

constexpr double kMargin = 1e-9; ///< of the looks ahead in floating point
constexpr double kErrorMargin = 1e-9; ///< of errors in ppm: what a difference of rates loses in floating point
constexpr std::size_t kMostGains = 3000;

bool isObjective(Kind kind) { return kind == Kind::Fastest || kind == Kind::Slowest; }

/// The interval that a target's rate must lie in; open ends are 0 and empty. For a rate whose permitted error covers the
/// source's tolerance, the nominal rate's interval: the tolerance is looked at later.
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
    const auto far = [&](const Ppm& by) { return errorOf(shifted(clock.rate, by), target.rate).value.abs() <= target.permitted.value; };
    return far(clock.tolerance.low) && far(clock.tolerance.high);
}

} // namespace

bool operator<(const ReachKey& a, const ReachKey& b)
{
    if (a.broken != b.broken)
        return a.broken < b.broken;
    if (a.error != b.error)
        return a.error < b.error;
    for (size_t i = 0; i < a.speeds.size(); ++i)
        if (a.speeds[i] != b.speeds[i])
            return a.speeds[i] < b.speeds[i];
    if (a.changed != b.changed)
        return a.changed < b.changed;
    if (a.current != b.current)
        return a.current < b.current;
    if (a.multiplier != b.multiplier)
        return a.multiplier < b.multiplier;
    if (a.decisions != b.decisions)
        return a.decisions < b.decisions;
    return a.settings < b.settings;
}

ReachSearch::ReachSearch(const ClockTrial& now, const Rates& ratesNow, const ReachRequest& request, bool countLimits)
    : request_(request), now_(now), ratesNow_(ratesNow), trial_(now), completion_(now), bound_(now), goals_(ratesNow, request.missedGoals), countLimits_(countLimits), onPath_(now.size(), false), targetOf_(now.size(), -1), outlook_(request.targets.size())
{
    for (size_t t = 0; t < request.targets.size(); ++t) {
        targetOf_[size_t(request.targets[t].clock)] = int(t);
        tolerancesMatter_ = tolerancesMatter_ || request.targets[t].withTolerance;
    }
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
    std::vector<int> open;
    for (auto target = request_.targets.rbegin(); target != request_.targets.rend(); ++target)
        open.push_back(target->clock);
    route(open);
}

/// Decides the selects on the way from the clocks in `open` up to their sources, in all ways.
void ReachSearch::route(std::vector<int>& open)
{
    if (pause())
        return;
    if (open.empty()) {
        numbers();
        return;
    }
    const int clock = open.back();
    const size_t i = size_t(clock);
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
    for (const int i : path_) {
        const ClockNode& node = now_.device().clocks[size_t(i)];
        int& until = neededUntil_[size_t(i)];
        for (const int other : completion_.dependents(size_t(i)))
            until = std::max(until, onPath_[size_t(other)] ? other : int(onPath_.size()));
        if (targetOf_[size_t(i)] >= 0 || node.type == ClockNode::Type::Multiply || !node.drawsPerMegahertz.value.isZero() || node.tier != "multiplier")
            until = int(onPath_.size());
    }
    wanted_.clear();
    for (const ReachTarget& target : request_.targets) {
        const auto [lowest, highest] = intervalOf(target);
        Interval interval{lowest.toDouble(), highest ? highest->toDouble() : std::numeric_limits<double>::max()};
        const size_t k = size_t(target.clock);
        if (!countLimits_ && !now_.breaks(k)) {
            if (const auto& most = trial_.absoluteMax(k))
                interval.high = std::min(interval.high, most->toDouble());
            if (const auto least = trial_.min(k))
                interval.low = std::max(interval.low, least->toDouble());
        }
        wanted_.push_back(interval);
    }
    for (size_t t = 0; t < outlook_.size(); ++t)
        outlook_[t] = {0, request_.targets[t].kind == Kind::Fastest ? std::numeric_limits<double>::max() : 0};
    const std::vector<TrialClock> kept = trial_.clocks;
    assign(0);
    trial_.clocks = kept;
}

std::vector<std::int64_t> ReachSearch::choicesOf(int clock) const
{
    const size_t i = size_t(clock);
    const ClockNode& node = now_.device().clocks[i];
    const std::int64_t current = trial_.clocks[i].setting;
    if (!now_.free(i) || node.type == ClockNode::Type::Select || node.type == ClockNode::Type::Follow || now_.settings(i).empty())
        return {current};
    std::vector<std::int64_t> out{now_.clocks[i].setting};
    for (const std::int64_t setting : now_.settings(i))
        if (setting != out.front())
            out.push_back(setting);
    return out;
}

/// Products of the factors of all clocks on the chain after `from`, up to and with `to`.
ReachSearch::Gains ReachSearch::gainsBelow(const std::vector<int>& chain, size_t from, size_t to) const
{
    Gains out{{1.0}, false};
    for (size_t at = to; at > from; --at) {
        const size_t i = size_t(chain[at]);
        const ClockNode& node = now_.device().clocks[i];
        std::vector<double> factors;
        if (node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply) {
            for (const std::int64_t setting : choicesOf(chain[at]))
                factors.push_back(node.type == ClockNode::Type::Divide ? double(node.unit) / double(setting) : double(setting) / double(node.unit));
            out.dense = out.dense || (now_.free(i) && now_.hasFineSteps(i));
        } else if (node.type == ClockNode::Type::Follow && node.follows >= 0) {
            factors = {double(node.factorWhenOne), double(node.factorElse)};
        } else {
            continue;
        }
        std::vector<double> products;
        if (out.dense || factors.size() * out.values.size() > kMostGains) {
            const auto [least, most] = std::minmax_element(factors.begin(), factors.end());
            products = {*least * out.values.front(), *most * out.values.back()};
            out.dense = true;
        } else {
            for (const double factor : factors)
                for (const double value : out.values)
                    products.push_back(factor * value);
            std::sort(products.begin(), products.end());
            products.erase(std::unique(products.begin(), products.end()), products.end());
        }
        out.values = std::move(products);
    }
    return out;
}

void ReachSearch::findGains()
{
    const size_t count = request_.targets.size();
    chains_.assign(count, {});
    placeInChain_.assign(count, std::vector<int>(onPath_.size(), -1));
    gains_.assign(count, {});
    for (size_t t = 0; t < count; ++t) {
        std::vector<int>& chain = chains_[t];
        for (int i = request_.targets[t].clock; i >= 0; i = trial_.inputOf(size_t(i)))
            chain.push_back(i);
        std::reverse(chain.begin(), chain.end());
        for (size_t at = 0; at < chain.size(); ++at) {
            placeInChain_[t][size_t(chain[at])] = int(at);
            gains_[t].push_back(gainsBelow(chain, at, chain.size() - 1));
        }
    }
}

/// Settings of a fraction that bring some target, or some limit on the way to one, as near as it can be: with each way that
/// the dividers between can stand, the two settings around the ideal; and around the middle of two targets' ideals.
const std::vector<std::int64_t>& ReachSearch::fineSettings(int clock)
{
    const size_t i = size_t(clock);
    const ClockNode& node = now_.device().clocks[i];
    const Rational exact = trial_.clocks[size_t(node.inputs.front().node)].rate.value;
    std::vector<std::int64_t>& known = fine_[{clock, exact.num(), exact.den()}];
    if (!known.empty())
        return known;
    const double input = exact.toDouble();
    const double unit = double(node.unit);
    const double low = countLimits_ ? 0 : trial_.min(i).value_or(Frequency()).toDouble();
    const double high = !countLimits_ && trial_.max(i) ? trial_.max(i)->toDouble() : std::numeric_limits<double>::max();
    std::set<std::int64_t> out;
    const auto add = [&](double rate) {
        if (rate < low * (1 - 1e-3) || rate > high * (1 + 1e-3))
            return;
        const double setting = node.type == ClockNode::Type::Divide ? input * unit / rate : rate / input * unit;
        if (!(setting > 0) || setting > 1e15)
            return;
        for (const std::int64_t s : {std::int64_t(std::floor(setting + kMargin)), std::int64_t(std::ceil(setting - kMargin))})
            if (node.canBe(s))
                out.insert(s);
    };
    for (const std::int64_t setting : now_.settings(i))
        if (const double rate = node.type == ClockNode::Type::Divide ? input * unit / double(setting) : input * double(setting) / unit; rate >= low * (1 - kMargin) && rate <= high * (1 + kMargin))
            out.insert(setting);
    out.insert(now_.clocks[i].setting);
    add(now_.clocks[i].rate.toDouble());
    std::vector<std::vector<double>> ideals;
    for (size_t t = 0; t < request_.targets.size(); ++t) {
        const int place = placeInChain_[t][i];
        if (place < 0)
            continue;
        const std::vector<int>& chain = chains_[t];
        for (size_t at = size_t(place); at < chain.size(); ++at) {
            const size_t k = size_t(chain[at]);
            const bool last = at + 1 == chain.size();
            std::vector<double> bounds;
            if (const auto most = trial_.max(k); most && !last)
                bounds.push_back(most->toDouble());
            if (const auto least = trial_.min(k); least && !last)
                bounds.push_back(least->toDouble());
            if (last) {
                if (const auto most = trial_.max(k))
                    bounds.push_back(most->toDouble());
                if (!request_.targets[t].rate.value.isZero())
                    bounds.push_back(request_.targets[t].rate.toDouble());
            }
            const Gains gains = last ? gains_[t][size_t(place)] : gainsBelow(chain, size_t(place), at);
            if (gains.dense)
                continue;
            for (const double bound : bounds)
                for (const double gain : gains.values)
                    add(bound / gain);
            if (last && request_.targets[t].kind == Kind::Rate && !request_.targets[t].permitted.value.isZero()) {
                ideals.emplace_back();
                for (const double gain : gains.values)
                    ideals.back().push_back(request_.targets[t].rate.toDouble() / gain);
            }
        }
    }
    for (size_t a = 0; a < ideals.size(); ++a)
        for (size_t b = a + 1; b < ideals.size(); ++b)
            for (const double x : ideals[a])
                for (const double y : ideals[b])
                    if (std::abs(x - y) < 0.1 * x)
                        add(2 * x * y / (x + y));
    known.assign(out.begin(), out.end());
    return known;
}

/// Its own limits, as far as no other clock sets them. What is broken already at the same rate is let be.
bool ReachSearch::inside(int clock) const
{
    const size_t i = size_t(clock);
    if (!trial_.outside(i, false))
        return true;
    return trial_.range() == now_.range() && trial_.clocks[i].rate == now_.clocks[i].rate && now_.breaks(i);
}

/// The same in floating point and with a margin, for a quick no.
bool ReachSearch::mayBeInside(int clock, double rate) const
{
    const size_t i = size_t(clock);
    if (now_.breaks(i))
        return true;
    const std::optional<Frequency>& most = trial_.absoluteMax(i);
    const std::optional<Frequency> least = trial_.min(i);
    return (!most || rate <= most->toDouble() * (1 + kMargin)) && (!least || rate >= least->toDouble() * (1 - kMargin));
}

/// No setting of what follows on a target's chain, one fraction and whole dividers among it, can bring it nearer than this to its
/// rate, as a part of it; 0 when nothing better is known.
double ReachSearch::leastError(size_t t, size_t place, double rate)
{
    const auto [at, fresh] = leastErrors_.try_emplace({t, place, rate}, 0.0);
    const std::vector<int>& chain = chains_[t];
    size_t fraction = 0;
    for (size_t k = place + 1; k < chain.size(); ++k)
        if (now_.free(size_t(chain[k])) && now_.hasFineSteps(size_t(chain[k]))) {
            if (fraction > 0)
                return 0;
            fraction = k;
        }
    if (!fresh || fraction == 0)
        return at->second;
    const Gains before = gainsBelow(chain, place, fraction - 1);
    const Gains after = gainsBelow(chain, fraction, chain.size() - 1);
    if (before.dense || after.dense)
        return 0;
    const ClockNode& node = now_.device().clocks[size_t(chain[fraction])];
    const bool divides = node.type == ClockNode::Type::Divide;
    const double wanted = request_.targets[t].rate.toDouble();
    double least = std::numeric_limits<double>::max();
    for (const double first : before.values) {
        if (fraction - 1 > place && !countLimits_ && !mayBeInside(chain[fraction - 1], rate * first))
            continue;
        for (const double last : after.values) {
            const double ideal = (divides ? rate * first * last / wanted : wanted / (rate * first * last)) * double(node.unit);
            if (!(ideal > 0) || ideal > 1e15)
                continue;
            for (const std::int64_t setting : {std::int64_t(std::floor(ideal)), std::int64_t(std::ceil(ideal))}) {
                if (setting < 1)
                    continue;
                const double factor = divides ? double(node.unit) / double(setting) : double(setting) / double(node.unit);
                if (node.canBe(setting) && (countLimits_ || mayBeInside(chain[fraction], rate * first * factor)))
                    least = std::min(least, std::abs(rate * first * factor * last / wanted - 1));
            }
            // A fraction at the end of its range stands nearest to what lies beyond it.
            for (const std::int64_t whole : {node.factors.front(), node.factors.back()}) {
                const double factor = divides ? 1 / double(whole) : double(whole);
                if (countLimits_ || mayBeInside(chain[fraction], rate * first * factor))
                    least = std::min(least, std::abs(rate * first * factor * last / wanted - 1));
            }
        }
    }
    at->second = least;
    return least;
}

/// What can still become of the targets below the clock; false when one is out of reach.
bool ReachSearch::look(int clock, double rate)
{
    for (size_t t = 0; t < request_.targets.size(); ++t) {
        const int place = placeInChain_[t][size_t(clock)];
        if (place < 0)
            continue;
        const ReachTarget& target = request_.targets[t];
        // Nothing on the way down makes a clock more accurate.
        if (target.withTolerance && trial_.clocks[size_t(clock)].tolerance.worst().toDouble() > target.permitted.toDouble() * 1.001 + 1e-6)
            return false;
        const Gains& gains = gains_[t][size_t(place)];
        const double low = wanted_[t].low / rate * (1 - kMargin);
        const double high = wanted_[t].high / rate * (1 + kMargin);
        const double ideal = target.rate.toDouble() / rate;
        Outlook& outlook = outlook_[t];
        if (gains.dense) {
            const double least = std::max(low, gains.values.front()), most = std::min(high, gains.values.back());
            if (least > most * (1 + kMargin))
                return false;
            outlook.error = ideal < least ? (least - ideal) / ideal : ideal > most ? (ideal - most) / ideal : 0;
            if (target.kind == Kind::Rate) {
                outlook.error = std::max(outlook.error, leastError(t, size_t(place), rate));
                if (outlook.error > target.permitted.toDouble() * 1e-6 * (1 + kMargin) + kMargin)
                    return false;
            }
            outlook.rate = rate * (target.kind == Kind::Slowest ? least : most);
        } else {
            const auto first = std::lower_bound(gains.values.begin(), gains.values.end(), low);
            const auto last = std::upper_bound(first, gains.values.end(), high);
            if (first == last)
                return false;
            const auto above = std::lower_bound(first, last, ideal);
            outlook.error = std::numeric_limits<double>::max();
            if (above != last)
                outlook.error = *above / ideal - 1;
            if (above != first)
                outlook.error = std::min(outlook.error, 1 - *(above - 1) / ideal);
            outlook.rate = rate * (target.kind == Kind::Slowest ? *first : *(last - 1));
        }
        if (target.kind != Kind::Rate)
            outlook.error = 0;
    }
    return true;
}

/// Whether the clocks that are to be fast or slow can no longer be so as in the best way, nor the error be smaller.
bool ReachSearch::slowerThan(const ReachKey& best) const
{
    double error = 0;
    for (const Outlook& outlook : outlook_)
        error = std::max(error, outlook.error * 1e6);
    if (pathBroken_ < best.broken || error < best.error.toDouble() * (1 - kMargin) - kErrorMargin)
        return false;
    size_t at = 0;
    for (size_t t = 0; t < request_.targets.size(); ++t) {
        if (!isObjective(request_.targets[t].kind))
            continue;
        const double speed = request_.targets[t].kind == Kind::Fastest ? -outlook_[t].rate : outlook_[t].rate;
        const double kept = best.speeds[at++].toDouble();
        if (std::abs(speed - kept) > std::abs(kept) * kMargin)
            return speed > kept;
    }
    return false;
}

/// Whether something below could still rank before the worst that is kept.
bool ReachSearch::worthwhile(int clock)
{
    if (!found_.empty() && slowerThan(found_.front().key))
        return false;
    if (found_.size() < request_.most)
        return true;
    const ReachKey& worst = found_.back().key;
    if (pathBroken_ != worst.broken)
        return pathBroken_ < worst.broken;
    double error = 0;
    for (const Outlook& outlook : outlook_)
        error = std::max(error, outlook.error * 1e6);
    const double margin = 1e-6;
    const double known = worst.error.toDouble();
    if (error > known + margin + known * kMargin)
        return false;
    if (error < known - margin)
        return true;
    size_t at = 0;
    for (size_t t = 0; t < request_.targets.size(); ++t) {
        if (!isObjective(request_.targets[t].kind))
            continue;
        const double speed = request_.targets[t].kind == Kind::Fastest ? -outlook_[t].rate : outlook_[t].rate;
        const double kept = worst.speeds[at++].toDouble();
        const double slack = std::abs(kept) * kMargin;
        if (speed > kept + slack)
            return false;
        if (speed < kept - slack)
            return true;
    }
    const int changed = pathChanged_ + (trial_.range() != now_.range());
    return changed <= worst.changed && changed + bound_.atLeast(trial_, onPath_, targetOf_, clock) <= worst.changed;
}

void ReachSearch::assign(size_t at)
{
    if (stopped_)
        return;
    if (at == path_.size()) {
        leaf();
        return;
    }
    const int clock = path_[at];
    const size_t i = size_t(clock);
    const ClockNode& node = now_.device().clocks[i];
    const std::vector<Outlook> outlook = outlook_;
    const int changed = pathChanged_;
    const int broken = pathBroken_;
    const TrialClock kept = trial_.clocks[i];
    const std::vector<std::int64_t> settings = now_.free(i) && now_.hasFineSteps(i) ? fineSettings(clock) : choicesOf(clock);
    const bool couldTrim = node.trim && now_.free(i) && !kept.trimmed && (tolerancesMatter_ || node.tolerance.worst() > now_.device().limitSlack);

    const bool scales = node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply;
    const double input = scales ? trial_.clocks[size_t(node.inputs.front().node)].rate.toDouble() : 0;
    // Most settings of a divider fall here, so exact rates are not computed for them.
    const auto promises = [&](std::int64_t setting) {
        const double factor = node.type == ClockNode::Type::Divide ? double(node.unit) / double(setting) : double(setting) / double(node.unit);
        outlook_ = outlook;
        return (countLimits_ || mayBeInside(clock, input * factor)) && look(clock, input * factor);
    };
    const auto set = [&](std::int64_t setting, bool trimmed) {
        trial_.clocks[i].setting = setting;
        trial_.clocks[i].trimmed = trimmed;
        trial_.compute(i);
        outlook_ = outlook;
        pathBroken_ = broken + (countLimits_ && !inside(clock));
        pathChanged_ = changed + (targetOf_[i] < 0 && now_.clocks[i].used && trial_.clocks[i].rate != now_.clocks[i].rate);
        return !trial_.clocks[i].rate.value.isZero() && trial_.clocks[i].rate.defined() && (countLimits_ || inside(clock)) && look(clock, trial_.clocks[i].rate.toDouble()) &&
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

bool ReachSearch::breaksMore(size_t i) const
{
    const bool breaks = targetOf_[i] >= 0 ? trial_.outside(i) : trial_.breaks(i);
    return breaks && !(trial_.range() == now_.range() && now_.breaks(i) && trial_.clocks[i].rate == now_.clocks[i].rate);
}

ReachKey ReachSearch::keyNow() const
{
    ReachKey key;
    rankTargets(key);
    key.changed = trial_.range() != now_.range();
    for (size_t i = 0; i < trial_.size(); ++i) {
        key.changed += targetOf_[i] < 0 && now_.clocks[i].used && trial_.clocks[i].rate != now_.clocks[i].rate;
        key.broken += breaksMore(i);
        if (trial_.device().clocks[i].type != ClockNode::Type::Follow)
            key.decisions += !trial_.clocks[i].sameDecision(now_.clocks[i]);
    }
    key.current = trial_.current().value;
    key.multiplier = trial_.fastestMultiplier().value;
    for (const TrialClock& clock : trial_.clocks)
        key.settings.push_back(clock.setting);
    return key;
}

/// What ranks first: how far the targets are off, and how fast they are.
void ReachSearch::rankTargets(ReachKey& key) const
{
    key.error = 0;
    for (const ReachTarget& target : request_.targets) {
        const Frequency rate = trial_.clocks[size_t(target.clock)].rate;
        if (target.kind == Kind::Rate) {
            const Rational error = errorOf(rate, target.rate).value.abs();
            key.error = error > key.error ? error : key.error;
        } else if (isObjective(target.kind)) {
            key.speeds.push_back(target.kind == Kind::Fastest ? -rate.value : rate.value);
        }
    }
}

std::vector<std::int64_t> ReachSearch::groupNow() const
{
    std::vector<std::int64_t> group{trial_.range()};
    for (const int i : path_) {
        const ClockNode& node = trial_.device().clocks[size_t(i)];
        const TrialClock& clock = trial_.clocks[size_t(i)];
        group.push_back(i);
        if (node.type == ClockNode::Type::Select || node.isSource() || request_.all)
            group.push_back(clock.setting);
        if (request_.all)
            group.push_back(clock.trimmed);
        if (node.tier != "multiplier")
            group.insert(group.end(), {clock.rate.value.num(), clock.rate.value.den()});
    }
    return group;
}

/// Whether the same rates have been met with as few changes, as far as they still matter: then all that follows has been seen
/// with them, and differs inside a multiplier only.
bool ReachSearch::seenCheaper(int decided)
{
    if (request_.all)
        return false;
    std::vector<std::int64_t> key{decided};
    for (const int i : path_) {
        if (i > decided)
            break;
        if (neededUntil_[size_t(i)] <= decided)
            continue;
        const TrialClock& c = trial_.clocks[size_t(i)];
        key.insert(key.end(), {i, c.rate.value.num(), c.rate.value.den(), c.tolerance.low.value.num(), c.tolerance.high.value.num(), c.tolerance.high.value.den()});
    }
    const std::pair<int, int> cost{pathBroken_, pathChanged_};
    const auto [at, added] = seen_.emplace(std::move(key), cost);
    if (!added && at->second.first <= cost.first && at->second.second <= cost.second)
        return true;
    at->second = cost;
    return false;
}

/// Whether a way that differs inside a multiplier only is kept already and ranks first whatever the other clocks do.
bool ReachSearch::beatenInGroup()
{
    const std::vector<std::int64_t> group = groupNow();
    const auto same = std::find_if(found_.begin(), found_.end(), [&](const Found& other) { return other.group == group; });
    if (request_.all || same == found_.end())
        return false;
    ReachKey least;
    rankTargets(least);
    least.broken = pathBroken_;
    least.changed = pathChanged_ + (trial_.range() != now_.range());
    const auto prefix = [](const ReachKey& key) { return std::tie(key.broken, key.error, key.speeds, key.changed); };
    if (!(prefix(same->key) < prefix(least))) {
        least.changed += bound_.atLeast(trial_, onPath_, targetOf_, int(onPath_.size()));
        if (!(prefix(same->key) < prefix(least)))
            return false;
    }
    ++same->alike;
    return true;
}

/// What the rest of the tree must keep to if this way is to be kept.
Completion::Bounds ReachSearch::boundsNow() const
{
    Completion::Bounds out;
    // A goal that may be lost may be lost by a clock that stands still.
    if (countLimits_ || request_.loseGoals)
        return out;
    out.whole = true;
    if (found_.size() < request_.most)
        return out;
    ReachKey now;
    rankTargets(now);
    const ReachKey& worst = found_.back().key;
    if (now.error == worst.error && now.speeds == worst.speeds)
        out.changed = std::max(-1, worst.changed - pathChanged_ - (trial_.range() != now_.range()));
    return out;
}

void ReachSearch::leaf()
{
    if (beatenInGroup())
        return;
    if (!completion_.apply(trial_, boundsNow()))
        return;
    trial_.settle();
    if (!countLimits_)
        for (size_t i = 0; i < trial_.size(); ++i)
            if (breaksMore(i))
                return;
    keep();
}

std::vector<int> ReachSearch::lostGoals() { return goals_.missed(trial_); }

/// A need that loses its goal may keep it on another clock.
void ReachSearch::tryOtherKernels(std::vector<int>& lost)
{
    std::set<int> kernels;
    for (size_t i = 0; i < ratesNow_.clocks.size(); ++i)
        for (const int user : ratesNow_.clocks[i].users)
            if (std::find(lost.begin(), lost.end(), user) != lost.end() && !onPath_[i] && now_.free(i))
                kernels.insert(int(i));
    for (const int kernel : kernels) {
        const size_t i = size_t(kernel);
        const std::vector<TrialClock> kept = trial_.clocks;
        std::vector<TrialClock> best = kept;
        for (const std::int64_t setting : now_.settings(i)) {
            trial_.clocks = kept;
            trial_.clocks[i].setting = setting;
            trial_.computeAll();
            trial_.settle();
            if (!trial_.clocks[i].running)
                continue;
            bool breaks = false;
            for (size_t k = 0; k < trial_.size(); ++k)
                breaks = breaks || breaksMore(k);
            std::vector<int> now = breaks ? lost : lostGoals();
            if (now.size() < lost.size()) {
                lost = std::move(now);
                best = trial_.clocks;
            }
        }
        trial_.clocks = best;
    }
}

void ReachSearch::keep()
{
    const bool full = found_.size() >= request_.most;
    ReachKey key = keyNow();
    if (full && !(key < found_.back().key))
        return;
    const std::vector<TrialClock> kept = trial_.clocks;
    std::vector<int> lost = lostGoals();
    if (!lost.empty()) {
        tryOtherKernels(lost);
        key = keyNow();
    }
    if (!lost.empty() && !request_.loseGoals) {
        goalsInTheWay_ = true;
        trial_.clocks = kept;
        return;
    }
    if (!found_.empty() && found_.front().key < key && found_.front().key.speeds < key.speeds) {
        trial_.clocks = kept;
        return;
    }
    Found found{std::move(key), trial_.clocks, std::move(lost), trial_.range(), 0, groupNow()};
    trial_.clocks = kept;
    const auto same = std::find_if(found_.begin(), found_.end(), [&](const Found& other) { return other.group == found.group; });
    if (same != found_.end()) {
        if (!(found.key < same->key)) {
            ++same->alike;
            return;
        }
        found.alike = same->alike + 1;
        found_.erase(same);
    }
    const auto at = std::upper_bound(found_.begin(), found_.end(), found, [](const Found& a, const Found& b) { return a.key < b.key; });
    found_.insert(at, std::move(found));
    const std::vector<Rational> best = found_.front().key.speeds;
    std::erase_if(found_, [&best](const Found& other) { return best < other.key.speeds; });
    if (found_.size() > request_.most)
        found_.pop_back();
}

} // namespace bindrel
