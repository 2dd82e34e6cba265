// SPDX-License-Identifier: GPL-3.0-or-later
// What can still become of the targets when part of their paths is decided. In floating point with a margin: it only
// leaves out.
#include "core/clocks/reach_search.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

namespace bindrel {

namespace {

using Kind = ReachTarget::Kind;

constexpr double kErrorMargin = 1e-9; ///< of errors in ppm: what a difference of rates loses in floating point
constexpr std::size_t kMostGains = 3000;

} // namespace

/// Products of the factors of all clocks on the chain after `from`, up to and with `to`.
ReachSearch::Gains ReachSearch::gainsBelow(const std::vector<ClockIndex>& chain, size_t from, size_t to) const
{
    Gains out{{1.0}, false};
    for (size_t at = to; at > from; --at)
        multiply(out, chain[at]);
    return out;
}

void ReachSearch::multiply(Gains& gains, ClockIndex clock) const
{
    const ClockNode& node = now_.device().clocks[clock];
    std::vector<double> factors;
    if (node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply) {
        for (const std::int64_t setting : choicesOf(clock))
            factors.push_back(node.type == ClockNode::Type::Divide ? double(node.unit) / double(setting)
                                                                   : double(setting) / double(node.unit));
        gains.dense = gains.dense || (now_.free(clock) && now_.hasFineSteps(clock));
    } else if (node.type == ClockNode::Type::Follow && node.follows >= 0) {
        factors = {double(node.factorWhenOne), double(node.factorElse)};
    } else {
        return;
    }
    std::vector<double> products;
    if (gains.dense || factors.size() * gains.values.size() > kMostGains) {
        const auto [least, most] = std::minmax_element(factors.begin(), factors.end());
        products = {*least * gains.values.front(), *most * gains.values.back()};
        gains.dense = true;
    } else {
        products.reserve(factors.size() * gains.values.size());
        for (const double factor : factors)
            for (const double value : gains.values)
                products.push_back(factor * value);
        std::sort(products.begin(), products.end());
        products.erase(std::unique(products.begin(), products.end()), products.end());
    }
    gains.values = std::move(products);
}

void ReachSearch::findGains()
{
    const size_t count = request_.targets.size();
    chains_.assign(count, {});
    placeInChain_.assign(count, std::vector<int>(onPath_.size(), -1));
    gains_.assign(count, {});
    for (size_t t = 0; t < count; ++t) {
        std::vector<ClockIndex>& chain = chains_[t];
        for (int i = request_.targets[t].clock; i >= 0; i = trial_.inputOf(size_t(i)))
            chain.push_back(i);
        std::reverse(chain.begin(), chain.end());
        gains_[t].resize(chain.size());
        Gains below{{1.0}, false};
        for (size_t at = chain.size(); at-- > 0;) {
            placeInChain_[t][size_t(chain[at])] = int(at);
            gains_[t][at] = below;
            multiply(below, chain[at]);
        }
    }
}

/// Settings of a fraction that bring some target, or some limit on the way to one, as near as it can be: with each way
/// that the dividers between can stand, the two settings around the ideal; and around the middle of two targets'
/// ideals.
const std::vector<std::int64_t>& ReachSearch::fineSettings(ClockIndex clock)
{
    const ClockIndex i = size_t(clock);
    const ClockNode& node = now_.device().clocks[i];
    const Rational exact = trial_.clocks[node.inputs.front().node].rate.value;
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
        for (const std::int64_t s :
             {std::int64_t(std::floor(setting + kMargin)), std::int64_t(std::ceil(setting - kMargin))})
            if (node.canBe(s))
                out.insert(s);
    };
    for (const std::int64_t setting : now_.settings(i))
        if (const double rate =
                node.type == ClockNode::Type::Divide ? input * unit / double(setting) : input * double(setting) / unit;
            rate >= low * (1 - kMargin) && rate <= high * (1 + kMargin))
            out.insert(setting);
    out.insert(now_.clocks[i].setting);
    add(now_.clocks[i].hertz);
    std::vector<std::vector<double>> ideals;
    for (size_t t = 0; t < request_.targets.size(); ++t) {
        const int place = placeInChain_[t][i];
        if (place < 0)
            continue;
        const std::vector<ClockIndex>& chain = chains_[t];
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

/// No setting of what follows on a target's chain, one fraction and whole dividers among it, can bring it nearer than
/// this to its rate, as a part of it; 0 when nothing better is known.
double ReachSearch::leastError(size_t t, size_t place, double rate)
{
    const auto [at, fresh] = leastErrors_.try_emplace({t, place, rate}, 0.0);
    const std::vector<ClockIndex>& chain = chains_[t];
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
    const ClockNode& node = now_.device().clocks[chain[fraction]];
    const bool divides = node.type == ClockNode::Type::Divide;
    const double wanted = request_.targets[t].rate.toDouble();
    double least = std::numeric_limits<double>::max();
    for (const double first : before.values) {
        if (fraction - 1 > place && !countLimits_ && !mayBeInside(chain[fraction - 1], rate * first))
            continue;
        for (const double last : after.values) {
            const double ideal =
                (divides ? rate * first * last / wanted : wanted / (rate * first * last)) * double(node.unit);
            if (!(ideal > 0) || ideal > 1e15)
                continue;
            for (const std::int64_t setting : {std::int64_t(std::floor(ideal)), std::int64_t(std::ceil(ideal))}) {
                if (setting < 1)
                    continue;
                const double factor =
                    divides ? double(node.unit) / double(setting) : double(setting) / double(node.unit);
                if (node.canBe(setting) && (countLimits_ || mayBeInside(chain[fraction], rate * first * factor)))
                    least = std::min(least, std::abs(rate * first * factor * last / wanted - 1));
            }
            // Of what lies beyond a limit on the way, the setting at the limit stands nearest.
            for (size_t k = fraction; k < chain.size(); ++k) {
                const Gains between = gainsBelow(chain, fraction, k);
                if (between.dense)
                    return 0;
                for (const std::optional<Frequency>& end : {trial_.min(size_t(chain[k])), trial_.max(size_t(chain[k]))})
                    if (end && !countLimits_)
                        for (const double gain : between.values)
                            least = std::min(least, std::abs(end->toDouble() / gain * last / wanted - 1));
            }
            // A fraction at the end of its range stands nearest to what lies beyond it.
            for (const std::int64_t whole : {node.factors.front(), node.factors.back()}) {
                const double value = node.factorOf(node.settingOf(whole)).toDouble();
                const double factor = divides ? 1 / value : value;
                if (countLimits_ || mayBeInside(chain[fraction], rate * first * factor))
                    least = std::min(least, std::abs(rate * first * factor * last / wanted - 1));
            }
        }
    }
    at->second = least;
    return least;
}

/// What can still become of the targets below the clock; false when one is out of reach.
bool ReachSearch::look(ClockIndex clock, double rate)
{
    for (size_t t = 0; t < request_.targets.size(); ++t) {
        const int place = placeInChain_[t][size_t(clock)];
        if (place < 0)
            continue;
        const ReachTarget& target = request_.targets[t];
        // Nothing on the way down makes a clock more accurate.
        if (target.withTolerance &&
            trial_.clocks[clock].tolerance.worst().toDouble() > target.permitted.toDouble() * 1.001 + 1e-6)
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

/// The speeds that can still become of the clocks that are to be fast or slow, against those of a way: below 0 when
/// they are better.
int ReachSearch::compareSpeeds(const std::vector<Rational>& with) const
{
    size_t at = 0;
    for (size_t t = 0; t < request_.targets.size(); ++t) {
        if (!isObjective(request_.targets[t].kind))
            continue;
        const double speed = request_.targets[t].kind == Kind::Fastest ? -outlook_[t].rate : outlook_[t].rate;
        const double kept = with[at++].toDouble();
        if (std::abs(speed - kept) > std::abs(kept) * kMargin)
            return speed > kept ? 1 : -1;
    }
    return 0;
}

/// Whether the clocks that are to be fast or slow can no longer be so as in the best way, nor the error be smaller.
bool ReachSearch::slowerThan(const ReachKey& best) const
{
    double error = 0;
    for (const Outlook& outlook : outlook_)
        error = std::max(error, outlook.error * 1e6);
    if (pathBroken_ < best.broken || error < best.error.toDouble() * (1 - kMargin) - kErrorMargin)
        return false;
    return compareSpeeds(best.speeds) > 0;
}

/// Whether something below could still rank before the worst that is kept.
bool ReachSearch::worthwhile(ClockIndex clock)
{
    if (known_ ? compareSpeeds(*known_) > 0 : !found_.empty() && slowerThan(found_.front().key)) {
        droppedBy(*speedsToKeep());
        return false;
    }
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
    if (const int speeds = compareSpeeds(worst.speeds); speeds != 0)
        return speeds < 0;
    const int changed = pathChanged_ + (trial_.range() != now_.range());
    return changed <= worst.changed && changed + bound_.atLeast(trial_, onPath_, targetOf_, clock) <= worst.changed;
}

} // namespace bindrel
