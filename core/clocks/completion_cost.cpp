// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/completion.h"

#include <algorithm>

namespace bindrel {

/// The combination would be forbidden now, was not before, and its clocks run or are to.
bool Completion::newlyForbidden(const ClockTrial& trial, const ClockCombination& combination) const
{
    return trial.forbidden(combination) && !stoodBefore(combination) &&
           std::all_of(combination.terms.begin(), combination.terms.end(), [&](const ClockCombination::Term& term) {
               return decided_[size_t(term.clock)] || counts(trial, term.clock) ||
                      (!now_.isKernel(term.clock) && mayRun(trial, term.clock));
           });
}

/// The last of its clocks that is not decided, at which it is judged; -1 when all are.
int Completion::lastOpen(const ClockCombination& combination) const
{
    int last = -1;
    for (const ClockCombination::Term& term : combination.terms)
        if (!decided_[size_t(term.clock)])
            last = term.clock;
    return last;
}

/// Whether what is decided leaves it to the others to keep a combination from standing.
bool Completion::threatened(const ClockTrial& trial, const ClockCombination& combination) const
{
    return !stoodBefore(combination) &&
           std::all_of(combination.terms.begin(), combination.terms.end(), [&](const ClockCombination::Term& term) {
               return !decided_[size_t(term.clock)] || term.has(trial.clocks[term.clock].setting);
           });
}

/// Whether a limit of a clock that is not decided is measured by one that is decided after it.
bool Completion::ahead(ClockIndex clock, const RelativeLimit& limit) const
{
    return !decided_[size_t(clock)] && !decided_[size_t(limit.to)] && limit.to > clock;
}

/// Whether a clock is outside its limits, as far as what they are measured by stands.
bool Completion::outside(const ClockTrial& trial, ClockIndex clock) const
{
    const std::vector<RelativeLimit>& limits = trial.relative(size_t(clock));
    return trial.outside(size_t(clock), false) ||
           std::any_of(limits.begin(), limits.end(), [&](const RelativeLimit& limit) {
               return !ahead(clock, limit) && trial.exceeds(size_t(clock), limit);
           });
}

/// Whether a clock that comes before, or is decided, is too fast beside this one.
bool Completion::tooFastFor(const ClockTrial& trial, ClockIndex clock, int ceiling) const
{
    const ClockIndex i = size_t(clock);
    const std::vector<RelativeLimit>& limits = trial.relative(i);
    if (std::none_of(limits.begin(), limits.end(),
                     [&](const RelativeLimit& limit) { return limit.to == ceiling && trial.exceeds(i, limit); }))
        return false;
    const bool same = now_.clocks[i].rate == trial.clocks[i].rate;
    return decided_[i] ? !brokeBefore_[i] || !same
                       : counts(trial, clock) && !(same && outsideBefore_[i]) && !outside(trial, clock);
}

/// Marks what could be changed to make a clock fast enough for a decided one that must not be faster than a part of it.
void Completion::markAdjustableClocks(const ClockTrial& trial, Reach reach)
{
    strained_.assign(trial.size(), false);
    for (const ClockCombination& combination : now_.device().neverTogether)
        if (threatened(trial, combination) &&
            std::any_of(combination.terms.begin(), combination.terms.end(),
                        [this](const ClockCombination::Term& term) { return decided_[size_t(term.clock)]; }))
            for (const ClockCombination::Term& term : combination.terms)
                strained_[size_t(term.clock)] = strained_[size_t(term.clock)] || !decided_[size_t(term.clock)];
    if (reach == Reach::Inputs)
        for (const ClockIndex i : others_)
            if (now_.device().clocks[i].type == ClockNode::Type::Select && now_.clocks[i].used)
                for (const ClockInput& input : now_.device().clocks[i].inputs)
                    for (int at = input.node; at >= 0 && !decided_[size_t(at)] && !strained_[size_t(at)];
                         at = now_.inputOf(size_t(at)))
                        strained_[size_t(at)] = true;
    if (reach != Reach::Touched)
        for (const int i : others_)
            for (const RelativeLimit& ceiling : trial.relative(size_t(i)))
                strained_[size_t(ceiling.to)] = true;
    for (ClockIndex i = trial.size(); i-- > 0;) {
        for (const int below : ceilings_[i])
            strained_[i] = strained_[i] || (decided_[size_t(below)] && trial.outside(size_t(below)));
        if (strained_[i])
            for (const ClockInput& input : now_.device().clocks[i].inputs)
                if (input.node >= 0)
                    strained_[size_t(input.node)] = true;
    }
}

/// Whether the divider that its factor depends on stands elsewhere: the rate behind that may be the same.
bool Completion::factorMoved(const ClockTrial& trial, ClockIndex index) const
{
    const ClockIndex follows = now_.device().clocks[index].follows;
    return follows >= 0 && trial.clocks[follows].setting != now_.clocks[follows].setting;
}

/// Whether something that the clock depends on is not as it was.
bool Completion::touched(const ClockTrial& trial, ClockIndex index) const
{
    const size_t i = size_t(index);
    if (strained_[i] || factorMoved(trial, i))
        return true;
    for (const ClockCombination& combination : now_.device().neverTogether)
        if (combination.concerns(index) && threatened(trial, combination))
            return true;
    const std::vector<RelativeLimit>& limits = trial.relative(i);
    if (looksAhead_ &&
        std::any_of(limits.begin(), limits.end(), [&](const RelativeLimit& limit) { return ahead(index, limit); }))
        return true;
    if (std::any_of(ceilings_[i].begin(), ceilings_[i].end(),
                    [&](int below) { return !decided_[size_t(below)] && tooFastFor(trial, below, index); }))
        return true;
    const ClockIndex input = trial.inputOf(i);
    if (input >= 0 && (trial.clocks[input].rate != now_.clocks[input].rate ||
                       !(trial.clocks[input].tolerance == now_.clocks[input].tolerance)))
        return true;
    // Its own rate is as it was; only what another clock demands can make it wrong.
    return counts(trial, index) && outside(trial, index) && !outsideBefore_[i];
}

/// Whether its limits matter: it is in use, or runs anyway.
bool Completion::counts(const ClockTrial& trial, ClockIndex index) const
{
    const ClockIndex i = size_t(index);
    return !trial.clocks[i].rate.value.isZero() &&
           (now_.clocks[i].used || (now_.clocks[i].running && !now_.isKernel(index)));
}

/// Whether a clock that stands still now may run with what has been decided: it comes, through nothing else that would
/// have to be switched on, from a decided one.
bool Completion::mayRun(const ClockTrial& trial, ClockIndex index) const
{
    for (ClockIndex i = index; i >= 0; i = trial.inputOf(size_t(i))) {
        if (decided_[size_t(i)])
            return true;
        if (now_.device().clocks[i].enable.valid() && !now_.clocks[i].running)
            return false;
    }
    return false;
}

Completion::Cost Completion::costOf(const ClockTrial& trial, ClockIndex index) const
{
    const ClockIndex i = size_t(index);
    const bool same = trial.clocks[i].rate == now_.clocks[i].rate;
    Cost cost;
    cost.broken = (counts(trial, index) && outside(trial, index) && !(same && outsideBefore_[i])) ||
                  (now_.clocks[i].used && trial.clocks[i].rate.value.isZero() && !now_.clocks[i].rate.value.isZero());
    for (const int below : ceilings_[i])
        cost.broken += tooFastFor(trial, below, index);
    for (const ClockCombination& combination : now_.device().neverTogether)
        cost.forbidden += lastOpen(combination) == index && newlyForbidden(trial, combination);
    cost.changed = now_.clocks[i].used && !same;
    cost.outside = !cost.broken && !now_.clocks[i].running && !now_.isKernel(index) &&
                   !trial.clocks[i].rate.value.isZero() && mayRun(trial, index) && outside(trial, index);
    cost.decisions =
        trial.clocks[i].setting != now_.clocks[i].setting && now_.device().clocks[i].type != ClockNode::Type::Follow;
    return cost;
}

} // namespace bindrel
