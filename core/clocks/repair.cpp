// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/repair.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/clocks/goal_memo.h"
#include "core/clocks/way.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

constexpr int kMostChanges = 4;
constexpr long kMostLooks = 3'000'000;
/// For one of several things that are wrong, when all at once are too many.
constexpr long kMostLooksForOne = 200'000;

class Repair {
public:
    Repair(const ClockTrial& now, const Rates& rates, const Bindings& bindings, const RepairRequest& request,
           bool goals)
        : now_(now), trial_(now), bindings_(bindings), request_(request),
          goals_(rates, goals ? request.missedGoals : GoalMemo::Function())
    {
    }

    struct Found {
        IndexVector<ClockIndex, TrialClock> clocks;
        int range = 0;
        int changed = 0;
        Rational off; ///< of the core's rate from its present one, in hertz
        Rational current, multiplier;
        auto tied() const { return std::tie(changed, off, current, multiplier); }
    };

    /// Clocks whose limits are broken, those that must not stand so together, and needs that miss goals.
    struct Trouble {
        std::vector<ClockIndex> clocks;
        std::vector<int> combinations; ///< into Device::neverTogether
        std::vector<NeedIndex> needs;
        bool supply = false; ///< does not suit the operating range
        bool none() const { return clocks.empty() && combinations.empty() && needs.empty() && !supply; }
        void leaveOut(const Trouble& other)
        {
            const auto in = [](const auto& list) {
                return [&list](const auto& item) { return std::find(list.begin(), list.end(), item) != list.end(); };
            };
            std::erase_if(clocks, in(other.clocks));
            std::erase_if(combinations, in(other.combinations));
            std::erase_if(needs, in(other.needs));
            supply = supply && !other.supply;
        }
        void add(const Trouble& other)
        {
            clocks.insert(clocks.end(), other.clocks.begin(), other.clocks.end());
            combinations.insert(combinations.end(), other.combinations.begin(), other.combinations.end());
            needs.insert(needs.end(), other.needs.begin(), other.needs.end());
            supply = supply || other.supply;
        }
        /// The first of them alone: the supply, then clocks, then needs.
        Trouble first() const
        {
            Trouble out;
            out.supply = supply;
            if (!supply && !clocks.empty())
                out.clocks = {clocks.front()};
            else if (!supply && !combinations.empty())
                out.combinations = {combinations.front()};
            else if (!supply && !needs.empty())
                out.needs = {needs.front()};
            return out;
        }
    };
    /// What may stay wrong.
    void allow(Trouble trouble)
    {
        allowed_ = std::move(trouble);
        mostLooks_ = kMostLooksForOne;
    }
    Trouble trouble()
    {
        Trouble out;
        for (ClockIndex i = 0; i < int(trial_.size()); ++i)
            if (trial_.breaks(i) || (trial_.isRoot(i) && trial_.clocks[i].rate.value.isZero()))
                out.clocks.push_back(int(i));
        out.combinations = trial_.forbiddenNow();
        out.needs = goals_.missed(trial_);
        out.supply = !trial_.supplyFits(trial_.range());
        out.leaveOut(allowed_);
        return out;
    }

    /// All ways with the fewest changes; false when there is none up to the most that are tried.
    bool run()
    {
        // A range that the supply forces is no choice, and not counted among the changes.
        const int most = kMostChanges + !now_.supplyFits(now_.range());
        for (int changes = 1; changes <= most && found_.empty() && !stopped_; ++changes)
            change(changes);
        std::sort(found_.begin(), found_.end(), [](const Found& a, const Found& b) { return a.tied() < b.tied(); });
        if (found_.size() > request_.most)
            found_.resize(request_.most);
        return !found_.empty();
    }

    const std::vector<Found>& found() const { return found_; }
    bool stopped() const { return stopped_; }

private:
    /// Clocks whose decisions decide a clock's rate or its limits now.
    void addPath(std::vector<bool>& on, ClockIndex clock) const
    {
        for (ClockIndex i = clock; i >= 0; i = trial_.inputOf(size_t(i))) {
            if (on[size_t(i)])
                return;
            on[size_t(i)] = true;
            const ClockNode& node = trial_.device().clocks[i];
            if (node.follows >= 0)
                addPath(on, node.follows);
            for (const RelativeLimit& relative : trial_.relative(size_t(i)))
                addPath(on, relative.to);
        }
    }

    /// Selects behind a clock through which something uses it: taking another input puts it out of use, and what
    /// nothing uses is at no fault.
    void addUsers(std::vector<bool>& on, ClockIndex clock) const
    {
        for (ClockIndex s = 0; s < int(trial_.size()); ++s)
            if (trial_.device().clocks[s].type == ClockNode::Type::Select && trial_.clocks[s].used)
                for (int i = trial_.inputOf(s); i >= 0; i = trial_.inputOf(size_t(i)))
                    if (i == clock) {
                        on[s] = true;
                        break;
                    }
    }

    std::vector<bool> pathOfNeed(NeedIndex need) const
    {
        std::vector<bool> on(trial_.size(), false);
        const Instance& instance = trial_.device().instances[bindings_.needs[need].instance];
        addPath(on, instance.kernel);
        addPath(on, instance.bus);
        return on;
    }

    void change(int left)
    {
        if (stopped_)
            return;
        const Trouble now = trouble();
        if (now.none()) {
            keep();
            return;
        }
        if (left == 0)
            return;
        // With the last change, everything that is wrong must come right, so it lies on all their paths.
        std::vector<bool> candidates(trial_.size(), false);
        // Only another range mends the supply's fit, so that is changed first.
        bool first = !now.supply;
        const auto narrow = [&](const std::vector<bool>& on) {
            for (size_t i = 0; i < on.size(); ++i)
                candidates[i] = first ? on[i] : candidates[i] && on[i];
            first = false;
        };
        for (const ClockIndex clock : now.supply ? std::vector<ClockIndex>() : now.clocks) {
            std::vector<bool> on(trial_.size(), false);
            addPath(on, clock);
            addUsers(on, clock);
            narrow(on);
            if (left > 1)
                break;
        }
        for (const int combination : now.supply ? std::vector<int>() : now.combinations) {
            if (left > 1 && !first)
                break;
            std::vector<bool> on(trial_.size(), false);
            for (const ClockCombination::Term& term : trial_.device().neverTogether[size_t(combination)].terms) {
                addPath(on, term.clock);
                addUsers(on, term.clock);
            }
            narrow(on);
        }
        for (const NeedIndex need : now.supply ? std::vector<NeedIndex>() : now.needs) {
            if (left > 1 && !first)
                break;
            narrow(pathOfNeed(need));
        }
        const IndexVector<ClockIndex, TrialClock> kept = trial_.clocks;
        for (ClockIndex i = 0; i < int(candidates.size()); ++i) {
            if (!candidates[i])
                continue;
            const ClockNode& node = trial_.device().clocks[i];
            if (trial_.free(i) && kept[i].sameDecision(now_.clocks[i]))
                for (const std::int64_t setting : trial_.settings(i)) {
                    if (setting == kept[i].setting || pause())
                        continue;
                    TrialClock next = kept[i];
                    next.setting = setting;
                    next.off = false;
                    with(kept, i, next, left);
                }
            if (node.trim && trial_.free(i) && !kept[i].trimmed) {
                TrialClock next = kept[i];
                next.trimmed = true;
                with(kept, i, next, left);
            }
            if (kept[i].off && now_.canRun(i)) {
                TrialClock next = kept[i];
                next.off = false;
                with(kept, i, next, left);
            }
        }
        if (request_.changeRange && trial_.range() == now_.range())
            for (int range = 0; range < int(trial_.device().ranges.size()); ++range) {
                if (range == now_.range() || !trial_.supplyFits(range))
                    continue;
                trial_.setRange(range);
                trial_.clocks = kept;
                change(left - 1);
                trial_.setRange(now_.range());
            }
        trial_.clocks = kept;
    }

    void with(const IndexVector<ClockIndex, TrialClock>& kept, ClockIndex clock, const TrialClock& next, int left)
    {
        trial_.clocks = kept;
        trial_.clocks[clock] = next;
        trial_.computeAll();
        trial_.settle();
        change(left - 1);
    }

    void keep()
    {
        std::vector<std::int64_t> key{trial_.range()};
        for (const TrialClock& clock : trial_.clocks)
            key.insert(key.end(), {clock.setting, clock.trimmed, clock.off});
        if (!seen_.insert(key).second)
            return;
        Found found{trial_.clocks,
                    trial_.range(),
                    trial_.range() != now_.range(),
                    {},
                    trial_.current().value,
                    trial_.fastestMultiplier().value};
        for (ClockIndex i = 0; i < int(trial_.size()); ++i)
            found.changed += now_.clocks[i].used && now_.clocks[i].rate != trial_.clocks[i].rate;
        const ClockIndex core = size_t(trial_.device().cpuClock());
        found.off = (trial_.clocks[core].rate.value - now_.clocks[core].rate.value).abs();
        found_.push_back(std::move(found));
    }

    bool pause()
    {
        if ((++looked_ & 255) == 0) {
            stopped_ = stopped_ || looked_ > mostLooks_ || (request_.stopped && request_.stopped());
            if (request_.progress && (looked_ & 4095) == 0)
                request_.progress(looked_);
        }
        return stopped_;
    }

    const ClockTrial& now_;
    ClockTrial trial_;
    const Bindings& bindings_;
    const RepairRequest& request_;
    GoalMemo goals_;
    std::vector<Found> found_;
    std::set<std::vector<std::int64_t>> seen_;
    Trouble allowed_;
    long looked_ = 0, mostLooks_ = kMostLooks;
    bool stopped_ = false;
};

/// Mends one thing after the other, each with the fewest changes that break nothing else; what cannot be mended so is
/// left. Empty when nothing can.
std::optional<ClockTrial> mendInTurn(const ClockTrial& now, const Rates& rates, const Bindings& bindings,
                                     const RepairRequest& request, Repair::Trouble& left)
{
    std::optional<ClockTrial> state;
    Repair::Trouble still = Repair(now, rates, bindings, request, true).trouble();
    while (!still.none() && !(request.stopped && request.stopped())) {
        const Repair::Trouble picked = still.first();
        Repair::Trouble others = still;
        others.leaveOut(picked);
        others.add(left);
        Repair one(state ? *state : now, rates, bindings, request, true);
        one.allow(others);
        if (!one.run()) {
            left.add(picked);
            still.leaveOut(picked);
            continue;
        }
        const Repair::Found found = one.found().front();
        if (!state)
            state = now;
        state->setRange(found.range);
        state->clocks = found.clocks;
        state->computeAll();
        state->settle();
        still = Repair(*state, rates, bindings, request, true).trouble();
        still.leaveOut(left);
    }
    left.add(still);
    return state;
}

} // namespace

RepairResult repairClocks(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                          const RepairRequest& request)
{
    const ClockTrial now(device, board, plan, bindings);
    const Rates rates = computeRates(device, board, plan, bindings);
    RepairResult out;
    Repair all(now, rates, bindings, request, true);
    const Repair::Trouble wrong = all.trouble();
    for (const ClockIndex clock : wrong.clocks)
        out.wrong.push_back(limitText(now, clock));
    for (const int combination : wrong.combinations)
        out.wrong.push_back(forbiddenText(now, device.neverTogether[size_t(combination)]));
    if (wrong.supply) {
        const OperatingRange& range = device.ranges[size_t(now.range())];
        out.wrong.push_back(say("the supply is {}; {} needs {} to {}", format(rates.supply), range.name,
                                format(range.supplyMin), format(range.supplyMax)));
    }
    for (const NeedIndex need : wrong.needs)
        out.wrong.push_back(say("{} misses a goal", plan.needs[need].title));
    if (wrong.none())
        return out;
    const auto take = [&](const Repair& repair) {
        out.complete = !repair.stopped();
        for (const Repair::Found& found : repair.found())
            out.ways.push_back(wayTo(now, plan, {}, found.clocks, found.range));
    };
    const auto missed = [&plan](NeedIndex need) { return say("{} misses a goal", plan.needs[need].title); };
    all.run();
    take(all);
    out.fewest = out.complete;
    if (!out.ways.empty())
        return out;
    // Better the limits alone than nothing.
    if (!wrong.needs.empty() && (!wrong.clocks.empty() || !wrong.combinations.empty() || wrong.supply)) {
        Repair limits(now, rates, bindings, request, false);
        limits.run();
        take(limits);
    }
    if (!out.ways.empty()) {
        for (const NeedIndex need : wrong.needs)
            out.left.push_back(missed(need));
        return out;
    }
    // Too many for a few changes: in turn.
    Repair::Trouble left;
    if (const std::optional<ClockTrial> mended = mendInTurn(now, rates, bindings, request, left)) {
        out.ways.push_back(wayTo(now, plan, {}, mended->clocks, mended->range()));
        out.inTurn = true;
        out.fewest = false;
        for (const ClockIndex clock : left.clocks)
            out.left.push_back(limitText(now, clock));
        for (const int combination : left.combinations)
            out.left.push_back(forbiddenText(now, device.neverTogether[size_t(combination)]));
        if (left.supply)
            out.left.push_back(say("the supply does not suit the operating range"));
        for (const NeedIndex need : left.needs)
            out.left.push_back(missed(need));
    }
    return out;
}

int lowestRange(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings)
{
    ClockTrial trial(device, board, plan, bindings);
    int best = -1;
    for (int range = 0; range < int(device.ranges.size()); ++range) {
        trial.setRange(range);
        bool fits = trial.supplyFits(range);
        for (size_t i = 0; i < trial.size() && fits; ++i)
            fits = !trial.breaks(i);
        if (fits && (best < 0 || device.ranges[size_t(range)].waitStateLimits.back() <
                                     device.ranges[size_t(best)].waitStateLimits.back()))
            best = range;
    }
    return best;
}

} // namespace bindrel
