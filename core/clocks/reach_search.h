// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/change_bound.h"
#include "core/clocks/completion.h"
#include "core/clocks/goal_memo.h"
#include "core/clocks/reach.h"
#include "core/clocks/trial.h"

#include <map>
#include <unordered_map>

namespace bindrel {

inline constexpr double kMargin = 1e-9; ///< of the looks ahead in floating point

/// What ranks a way; smaller is better.
struct ReachKey {
    Rational error;               ///< the worst, in ppm
    std::vector<Rational> speeds; ///< of Fastest targets negated, of Slowest ones as they are
    int broken = 0;               ///< limits, when they are only counted
    int changed = 0;
    Rational current;
    Rational multiplier;
    int decisions = 0;
    std::vector<std::int64_t> settings; ///< so that no two ways rank equal
};
bool operator<(const ReachKey& a, const ReachKey& b);

/// Whether a target is to be as fast or as slow as can be.
inline bool isObjective(ReachTarget::Kind kind)
{
    return kind == ReachTarget::Kind::Fastest || kind == ReachTarget::Kind::Slowest;
}

/// The depth-first search behind reach(), for one operating range at a time. First every select on the way from the
/// targets up is decided, so that each target has one path to one source; then the numbers along the paths, sources
/// first. A number is left out when no setting further down could still bring a target into its interval, or when
/// nothing below could rank before the worst of the ways already kept. Both looks ahead use floating point with a
/// margin; what is kept is computed exactly.
class ReachSearch {
public:
    struct Found {
        ReachKey key;
        IndexVector<ClockIndex, TrialClock> clocks;
        std::vector<NeedIndex> lost;
        int range = 0;
        int alike = 0;
        std::vector<std::int64_t> group;
    };
    /// `countLimits`: broken limits are counted and ranked first instead of forbidden.
    ReachSearch(const ClockTrial& now, const Rates& ratesNow, const ReachRequest& request, bool countLimits = false);

    void run(int range);
    const std::vector<Found>& found() const { return found_; }
    /// While better ways were still to come, ways may have been dropped that are not slower than the one that ranks
    /// first in the end: all is then to be searched once more with what is known of it.
    bool droppedTooMuch() const;
    void keepAsFastAs(std::vector<Rational> speeds) { known_ = std::move(speeds); }
    bool complete() const { return !stopped_; }
    long looked() const { return looked_; }
    bool goalsInTheWay() const { return goalsInTheWay_; }

private:
    /// Factors from a clock on a path down to its target.
    struct Gains {
        std::vector<double> values; ///< rising; only the ends when dense
        bool dense = false;         ///< too many to list: anything between the ends
    };
    struct Outlook { ///< the best that can still become of a target
        double error = 0;
        double rate = 0;
    };
    struct Interval {
        double low = 0, high = 0;
    };
    struct Choice {
        std::int64_t setting;
        bool trimmed;
        double error; ///< worst over the targets
        double speed; ///< of the first target that is to be fast or slow
    };

    void route(std::vector<ClockIndex>& open);
    void numbers();
    void findGains();
    void multiply(Gains& gains, ClockIndex clock) const; ///< by the factors that the clock can have
    Gains gainsBelow(const std::vector<ClockIndex>& chain, std::size_t from, std::size_t to) const;
    std::vector<std::int64_t> choicesOf(ClockIndex clock) const;
    const std::vector<std::int64_t>& fineSettings(ClockIndex clock);
    void assign(std::size_t at);
    bool inside(ClockIndex clock) const;
    bool mayBeInside(ClockIndex clock, double rate) const;
    bool look(ClockIndex clock, double rate);
    double leastError(std::size_t target, std::size_t place, double rate);
    int compareSpeeds(const std::vector<Rational>& with) const;
    const std::vector<Rational>* speedsToKeep() const;
    void droppedBy(const std::vector<Rational>& speeds);
    bool slowerThan(const ReachKey& best) const;
    bool worthwhile(ClockIndex clock);
    bool seenCheaper(int decided);
    bool beatenInGroup();
    Completion::Bounds boundsNow() const;
    void leaf();
    void keep();
    void tryOtherKernels(std::vector<NeedIndex>& lost);
    std::vector<NeedIndex> lostGoals();
    bool breaksMore(ClockIndex clock) const;
    ReachKey keyNow() const;
    void rankTargets(ReachKey& key) const;
    std::vector<std::int64_t> groupNow() const;
    bool pause();

    const ReachRequest& request_;
    const ClockTrial& now_;
    const Rates& ratesNow_;
    ClockTrial trial_;
    Completion completion_;
    ChangeBound bound_;
    GoalMemo goals_;
    bool countLimits_;
    bool tolerancesMatter_ = false;

    std::vector<bool> onPath_;
    std::vector<bool> brokeBefore_;    ///< by clock: a limit, before anything was changed
    std::vector<bool> settingMatters_; ///< by clock: not its rate alone, since it must not stand so beside others
    std::vector<int> targetOf_;        ///< by clock: index of its target, -1
    std::vector<ClockIndex> path_;     ///< clocks on any path, rising
    std::vector<std::vector<ClockIndex>> chains_; ///< by target: source … target
    std::vector<std::vector<int>> placeInChain_;  ///< by target, by clock; -1
    std::vector<std::vector<Gains>> gains_;       ///< by target, by place in the chain
    std::vector<Outlook> outlook_;                ///< by target
    std::vector<Interval> wanted_;                ///< by target, limits included that no other clock sets
    /// By clock on the path: the last clock on the path that depends on it; past all when one off the path does, or
    /// when its own rate counts in the ranking.
    std::vector<int> neededUntil_;
    std::unordered_map<std::vector<std::int64_t>, std::pair<int, int>, WordsHash>
        seen_; ///< rates that still matter -> broken limits and changed clocks so far
    std::map<std::vector<std::int64_t>, std::vector<std::int64_t>>
        fine_; ///< settings of a fraction, by clock and input rate
    std::map<std::tuple<std::size_t, std::size_t, double>, double>
        leastErrors_; ///< by target, place in its chain and rate there
    int pathChanged_ = 0;
    int pathBroken_ = 0;

    std::vector<Found> found_;
    /// What ways must not be slower than, where it is known beforehand.
    std::optional<std::vector<Rational>> known_;
    std::optional<std::vector<Rational>> strictest_; ///< the fastest that ways were dropped for
    bool popped_ = false,
         shortened_ = false; ///< ways were dropped for being too many; and others later for being too slow
    long looked_ = 0;
    bool stopped_ = false;
    bool goalsInTheWay_ = false;
};

} // namespace bindrel
