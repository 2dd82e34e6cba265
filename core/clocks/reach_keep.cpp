// SPDX-License-Identifier: GPL-3.0-or-later
// What a way ranks by, which ways count as one, and which are kept.
#include "core/clocks/reach_search.h"

#include <algorithm>
#include <set>

namespace bindrel {

namespace {
using Kind = ReachTarget::Kind;
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

bool ReachSearch::breaksMore(ClockIndex i) const
{
    const bool breaks = targetOf_[i] >= 0 ? trial_.outside(i) : trial_.breaks(i);
    return breaks &&
           !(trial_.range() == now_.range() && brokeBefore_[i] && trial_.clocks[i].rate == now_.clocks[i].rate);
}

ReachKey ReachSearch::keyNow() const
{
    ReachKey key;
    rankTargets(key);
    key.changed = trial_.range() != now_.range();
    for (ClockIndex i = 0; i < int(trial_.size()); ++i) {
        key.changed += targetOf_[i] < 0 && now_.clocks[i].used && trial_.clocks[i].rate != now_.clocks[i].rate;
        key.broken += breaksMore(i);
        if (trial_.device().clocks[i].type != ClockNode::Type::Follow)
            key.decisions += !trial_.clocks[i].sameDecision(now_.clocks[i]);
    }
    key.broken += trial_.forbiddenBeyond(now_, onPath_);
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
        const Frequency rate = trial_.clocks[target.clock].rate;
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
    for (const ClockIndex i : path_) {
        const ClockNode& node = trial_.device().clocks[i];
        const TrialClock& clock = trial_.clocks[i];
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

/// Whether the same rates have been met with as few changes, as far as they still matter: then all that follows has
/// been seen with them, and differs inside a multiplier only.
bool ReachSearch::seenCheaper(int decided)
{
    if (request_.all)
        return false;
    std::vector<std::int64_t> key{decided};
    for (const ClockIndex i : path_) {
        if (i > decided)
            break;
        if (neededUntil_[size_t(i)] <= decided)
            continue;
        const TrialClock& c = trial_.clocks[i];
        key.insert(key.end(), {i, c.rate.value.num(), c.rate.value.den(), c.tolerance.low.value.num(),
                               c.tolerance.high.value.num(), c.tolerance.high.value.den()});
        if (settingMatters_[size_t(i)])
            key.push_back(c.setting);
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
    const auto same =
        std::find_if(found_.begin(), found_.end(), [&](const Found& other) { return other.group == group; });
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
    if (!countLimits_ && trial_.forbiddenBeyond(now_, onPath_) > 0)
        return;
    keep();
}

std::vector<NeedIndex> ReachSearch::lostGoals()
{
    return goals_.missed(trial_);
}

/// A need that loses its goal may keep it on another clock.
void ReachSearch::tryOtherKernels(std::vector<NeedIndex>& lost)
{
    std::set<ClockIndex> kernels;
    for (const ClockIndex i : ratesNow_.clocks.indices())
        for (const int user : ratesNow_.clocks[i].users)
            if (std::find(lost.begin(), lost.end(), user) != lost.end() && !onPath_[i] && now_.free(i))
                kernels.insert(int(i));
    for (const ClockIndex kernel : kernels) {
        const ClockIndex i = size_t(kernel);
        const IndexVector<ClockIndex, TrialClock> kept = trial_.clocks;
        IndexVector<ClockIndex, TrialClock> best = kept;
        for (const std::int64_t setting : now_.settings(i)) {
            trial_.clocks = kept;
            trial_.clocks[i].setting = setting;
            trial_.computeAll();
            trial_.settle();
            if (!trial_.clocks[i].running)
                continue;
            bool breaks = trial_.forbiddenBeyond(now_, onPath_) > 0;
            for (size_t k = 0; k < trial_.size(); ++k)
                breaks = breaks || breaksMore(k);
            std::vector<NeedIndex> now = breaks ? lost : lostGoals();
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
    const IndexVector<ClockIndex, TrialClock> kept = trial_.clocks;
    std::vector<NeedIndex> lost = lostGoals();
    if (!lost.empty()) {
        tryOtherKernels(lost);
        key = keyNow();
    }
    if (!lost.empty() && !request_.loseGoals) {
        goalsInTheWay_ = true;
        trial_.clocks = kept;
        return;
    }
    if (const std::vector<Rational>* fast = speedsToKeep();
        fast && *fast < key.speeds && (known_ || found_.front().key < key)) {
        droppedBy(*fast);
        trial_.clocks = kept;
        return;
    }
    Found found{std::move(key), trial_.clocks, std::move(lost), trial_.range(), 0, groupNow()};
    trial_.clocks = kept;
    const auto same =
        std::find_if(found_.begin(), found_.end(), [&](const Found& other) { return other.group == found.group; });
    if (same != found_.end()) {
        if (!(found.key < same->key)) {
            ++same->alike;
            return;
        }
        found.alike = same->alike + 1;
        found_.erase(same);
    }
    const auto at = std::upper_bound(found_.begin(), found_.end(), found,
                                     [](const Found& a, const Found& b) { return a.key < b.key; });
    found_.insert(at, std::move(found));
    const std::vector<Rational> best = *speedsToKeep();
    if (std::erase_if(found_, [&best](const Found& other) { return best < other.key.speeds; }) > 0) {
        droppedBy(best);
        shortened_ = shortened_ || popped_;
    }
    if (found_.size() > request_.most) {
        found_.pop_back();
        popped_ = true;
    }
}

/// What a way must not be slower than: the speeds of the way that ranks first, as far as that is known.
const std::vector<Rational>* ReachSearch::speedsToKeep() const
{
    return known_ ? &*known_ : found_.empty() ? nullptr : &found_.front().key.speeds;
}

void ReachSearch::droppedBy(const std::vector<Rational>& speeds)
{
    if (!strictest_ || speeds < *strictest_)
        strictest_ = speeds;
}

bool ReachSearch::droppedTooMuch() const
{
    return !known_ && !found_.empty() && (shortened_ || (strictest_ && *strictest_ < found_.front().key.speeds));
}

} // namespace bindrel
