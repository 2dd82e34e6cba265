// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/trial.h"
#include "core/clocks/words_hash.h"

#include <limits>
#include <map>
#include <optional>
#include <unordered_map>
#include <vector>

namespace bindrel {

/// Decides the clocks that are not on a path whose clocks have been decided, so that the fewest of those in use change
/// their rate: a divider makes up for what its input does, a select goes where the old rate is. What nothing touches
/// stays, unless setting it anew lets fewer change. A clock that nothing depends on decides for itself; those between
/// are searched, in parts that do not depend on each other. On large trees (parts of more than 14 clocks, dividers of
/// more than 64 settings) a select that nothing depends on finds its old rate only on what it takes now or what no
/// search touches, and only the settings nearest to the old rate are looked at, so that one that changes fewer clocks
/// may be missed.
class Completion {
public:
    explicit Completion(const ClockTrial& now);

    /// For another set of clocks that are decided.
    void begin(const std::vector<bool>& decided, const ClockTrial& trial);
    /// What a completion is good for; anything else need not be looked for.
    struct Bounds {
        bool whole = false;                            ///< breaks no limit, and stops nothing that is in use
        int changed = std::numeric_limits<int>::max(); ///< clocks in use that change their rate, at most
    };
    /// Settings and rates of all others for the rates that the decided clocks have in `trial`. Remembered part by part.
    /// False when there is none within the bounds; the others are then anyhow.
    bool apply(ClockTrial& trial, const Bounds& bounds);
    /// Clocks whose rate, setting or limits can follow from this one's.
    const std::vector<ClockIndex>& dependents(ClockIndex clock) const { return dependents_[clock]; }

private:
    struct Cost {
        int broken = 0;
        int forbidden =
            0; ///< combinations; whether they count in the end depends on what runs then, so they alone end nothing
        int changed = 0;
        int outside = 0; ///< clocks outside their limits that did not run, but may once the decided ones do
        int decisions = 0;
        auto operator<=>(const Cost&) const = default;
        Cost operator+(const Cost& other) const
        {
            return {broken + other.broken, forbidden + other.forbidden, changed + other.changed,
                    outside + other.outside, decisions + other.decisions};
        }
    };
    struct Answer {
        std::optional<Cost> cost;                                  ///< empty: there is none below `under`
        std::vector<std::pair<ClockIndex, std::int64_t>> settings; ///< each clock after those that it depends on
        Cost under;
    };
    bool stoodBefore(const ClockCombination& combination) const
    {
        return stoodBefore_[std::size_t(&combination - now_.device().neverTogether.data())];
    }
    bool newlyForbidden(const ClockTrial& trial, const ClockCombination& combination) const;
    bool threatened(const ClockTrial& trial, const ClockCombination& combination) const;
    int lastOpen(const ClockCombination& combination) const;
    bool factorMoved(const ClockTrial& trial, ClockIndex index) const;
    bool touched(const ClockTrial& trial, ClockIndex clock) const;
    bool ahead(ClockIndex clock, const RelativeLimit& limit) const;
    bool outside(const ClockTrial& trial, ClockIndex clock) const;
    bool wakesOutside(const ClockTrial& trial, ClockIndex clock) const;
    bool tooFastFor(const ClockTrial& trial, ClockIndex clock, int ceiling) const;
    /// What may be changed: what a decided clock reaches; also what others are measured by; also what they could take
    /// instead.
    enum class Reach { Touched, Ceilings, Inputs };
    void markAdjustableClocks(const ClockTrial& trial, Reach reach);
    enum class Outcome { None, Broken, Whole, TooMuch };
    Outcome search(ClockTrial& trial, Reach reach, const Bounds& bounds);
    std::vector<std::vector<ClockIndex>> parts(const ClockTrial& trial, bool large) const;
    void keyOf(const ClockTrial& trial, const std::vector<ClockIndex>& part, Reach reach);
    bool counts(const ClockTrial& trial, ClockIndex clock) const;
    bool mayRun(const ClockTrial& trial, ClockIndex clock) const;
    Cost costOf(const ClockTrial& trial, ClockIndex clock) const;
    const std::vector<std::int64_t>& nearest(const ClockTrial& trial, ClockIndex clock,
                                             std::vector<std::int64_t>& few) const;
    struct Row {
        Cost cost;
        double off = 0;
        TrialClock clock; ///< as it then is
        bool operator<(const Row& other) const { return cost != other.cost ? cost < other.cost : off < other.off; }
    };
    std::optional<Row> rowOf(ClockTrial& trial, ClockIndex clock, std::int64_t setting);
    double offBy(ClockIndex clock, double rate) const;
    std::vector<Row> ordered(ClockTrial& trial, ClockIndex clock, const Cost& before);
    /// What a part's cost has to stay below.
    const Cost& toBeat() const { return best_ ? *best_ : under_; }
    Row bestOf(ClockTrial& trial, ClockIndex clock);
    Row lookForBest(ClockTrial& trial, ClockIndex clock);
    bool mustChange(const ClockTrial& trial, ClockIndex clock) const;
    std::vector<ClockIndex> orderOf(const std::vector<ClockIndex>& part) const;
    void decide(ClockTrial& trial, const std::vector<ClockIndex>& part, std::size_t at, Cost cost);

    const ClockTrial& now_;
    std::vector<double> wasRates_;
    std::vector<bool> brokeBefore_, outsideBefore_; ///< by clock: its limits, before anything was changed
    std::vector<std::vector<ClockIndex>> dependents_;
    std::vector<bool> stoodBefore_; ///< by combination: what is broken already is let be
    std::vector<bool> decided_;
    std::vector<ClockIndex> others_; ///< not decided, rising
    /// By clock that is not decided: those that must not be faster than a part of it and come before it, or are
    /// decided.
    std::vector<std::vector<int>> ceilings_;
    bool beside_ = false;        ///< some clock is measured by another
    bool looksAhead_ = false;    ///< some clock that is not decided is measured by a later one
    std::vector<bool> strained_; ///< not decided, and leads to a clock that is too slow for a decided one
    std::unordered_map<std::vector<std::int64_t>, Answer, WordsHash> known_;
    std::vector<std::int64_t> key_; ///< of the part that is looked at: kept for its memory
    /// What a factor that nothing depends on is best set to, by clock, by what it then multiplies or divides.
    struct Input {
        Frequency rate;
        Tolerance tolerance;
        bool operator==(const Input&) const = default;
    };
    struct InputHash {
        std::size_t operator()(const Input& input) const;
    };
    std::vector<std::unordered_map<Input, Row, InputHash>> bests_;
    std::vector<bool> alone_; ///< by clock: its best setting depends on its input's rate alone
    int bestsRange_ = -1;     ///< operating range that they hold in
    std::optional<Cost> best_;
    Cost under_; ///< only what costs less is looked for
    std::vector<std::pair<ClockIndex, std::int64_t>> bestSettings_;
    long steps_ = 0; ///< settings looked at for one part
};

} // namespace bindrel
