// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/solver/solver.h"

#include <algorithm>

namespace bindrel {

namespace {

constexpr long kRestartUnit = 64; ///< conflicts

/// 1 1 2 1 1 2 4 …: restarts that are right whatever the length of the run that succeeds (Luby, Sinclair and
/// Zuckerman).
long luby(long i)
{
    long size = 1, power = 0;
    while (size < i + 1) {
        size = 2 * size + 1;
        ++power;
    }
    while (size - 1 != i) {
        size = (size - 1) / 2;
        --power;
        i %= size;
    }
    return 1L << power;
}

} // namespace

void Solver::reserve(std::size_t variables)
{
    values_.reserve(2 * variables);
    given_.reserve(variables);
    has_.reserve(2 * variables);
    choiceOfVariable_.reserve(variables);
    follows_.reserve(2 * variables);
    seen_.reserve(variables);
    trail_.reserve(variables);
    order_.reserve(variables);
}

Literal Solver::fresh()
{
    const int variable = variables();
    values_.insert(values_.end(), {0, 0});
    given_.emplace_back();
    has_.insert(has_.end(), {0, 0});
    phase_.push_back(false);
    model_.push_back(false);
    choiceOfVariable_.push_back(-1);
    follows_.resize(follows_.size() + 2);
    seen_.push_back(0);
    order_.add();
    return Literal(variable);
}

bool Solver::settle()
{
    possible_ = possible_ && propagate();
    return possible_;
}

void Solver::is(Literal literal)
{
    if (valueOf(literal) < 0) {
        possible_ = false;
    } else if (valueOf(literal) == 0) {
        assign(literal, {});
        settle();
    }
}

void Solver::either(Literal a, Literal b)
{
    if (valueOf(a) > 0 || valueOf(b) > 0 || a == ~b)
        return;
    if (a == b || valueOf(b) < 0)
        is(a);
    else if (valueOf(a) < 0)
        is(b);
    else
        addClause(std::array{a, b}, 0);
}

void Solver::atLeastOne(std::span<const Literal> given)
{
    std::vector<Literal>& literals = clause_;
    literals.assign(given.begin(), given.end());
    std::sort(literals.begin(), literals.end());
    literals.erase(std::unique(literals.begin(), literals.end()), literals.end());
    for (std::size_t i = 0; i < literals.size(); ++i)
        if (valueOf(literals[i]) > 0 || (i > 0 && literals[i] == ~literals[i - 1]))
            return;
    std::erase_if(literals, [this](Literal literal) { return valueOf(literal) < 0; });
    if (literals.empty())
        possible_ = false;
    else if (literals.size() == 1)
        is(literals.front());
    else
        addClause(literals, 0);
}

void Solver::watch(Literal literal, Watch watch)
{
    follows_[std::size_t(literal.code())].watches.push_back(watch, memory_);
    has_[std::size_t(literal.code())] |= kWatches;
}

Solver::Reason Solver::addClause(std::span<const Literal> literals, int quality)
{
    if (literals.size() == 2) {
        for (const auto& [from, to] : {std::pair(~literals[0], literals[1]), std::pair(~literals[1], literals[0])}) {
            follows_[std::size_t(from.code())].implied.push_back(to, memory_);
            has_[std::size_t(from.code())] |= kImplied;
        }
        return {Reason::Kind::Literal, (~literals[1]).code()};
    }
    const int at = int(arena_.size());
    arena_.push_back(int(literals.size()));
    arena_.push_back(quality);
    for (const Literal literal : literals)
        arena_.push_back(literal.code());
    watch(~literals[0], {at, literals[1]});
    watch(~literals[1], {at, literals[0]});
    if (quality > 0)
        learnt_.push_back(at);
    return {Reason::Kind::Clause, at};
}

void Solver::atMostOne(std::vector<Literal> literals)
{
    std::erase_if(literals, [this](Literal literal) { return valueOf(literal) < 0; });
    if (literals.size() < 2)
        return;
    if (literals.size() == 2)
        return either(~literals[0], ~literals[1]);
    const int number = int(exclusions_.size());
    const auto holding =
        std::find_if(literals.begin(), literals.end(), [this](Literal literal) { return valueOf(literal) > 0; });
    if (holding != literals.end()) {
        const Literal kept = *holding;
        for (const Literal literal : literals)
            if (literal != kept)
                is(~literal);
        return;
    }
    for (const Literal literal : literals) {
        follows_[std::size_t(literal.code())].exclusions.push_back(number, memory_);
        has_[std::size_t(literal.code())] |= kExclusions;
    }
    exclusions_.push_back(std::move(literals));
}

int Solver::bound(std::vector<Term> terms, long most)
{
    long certain = 0;
    std::erase_if(terms, [this, &certain](const Term& term) {
        if (valueOf(term.literal) > 0)
            certain += term.weight;
        return valueOf(term.literal) != 0 || term.weight == 0;
    });
    std::stable_sort(terms.begin(), terms.end(), [](const Term& a, const Term& b) { return a.weight > b.weight; });
    const int number = int(bounds_.size());
    for (const Term& term : terms) {
        follows_[std::size_t(term.literal.code())].bounds.push_back({number, term.weight}, memory_);
        has_[std::size_t(term.literal.code())] |= kBounds;
    }
    bounds_.push_back({std::move(terms), most - certain, 0, certain});
    possible_ = possible_ && most >= certain && tightenBound(number) && propagate();
    return number;
}

void Solver::lower(int number, long most)
{
    Bound& bound = bounds_[std::size_t(number)];
    bound.most = std::min(bound.most, most - bound.certain);
    possible_ = possible_ && bound.sum <= bound.most && tightenBound(number) && propagate();
}

int Solver::choice(std::vector<Literal> literals)
{
    const int number = int(choices_.size());
    for (const Literal literal : literals) {
        choiceOfVariable_[std::size_t(literal.variable())] = number;
        order_.comesEarly(literal.variable());
    }
    choices_.push_back(std::move(literals));
    return number;
}

void Solver::backTo(int level)
{
    if (levelNow() <= level)
        return;
    const std::size_t end = std::size_t(starts_[std::size_t(level)]);
    for (std::size_t at = trail_.size(); at-- > end;) {
        const Literal literal = trail_[at];
        const std::size_t variable = std::size_t(literal.variable());
        if (at < head_ && (has_[std::size_t(literal.code())] & kBounds) != 0)
            for (const auto& [number, weight] : follows_[std::size_t(literal.code())].bounds)
                bounds_[std::size_t(number)].sum -= weight;
        values_[std::size_t(literal.code())] = values_[std::size_t((~literal).code())] = 0;
        phase_[variable] = !literal.negated();
        order_.putBack(literal.variable());
    }
    trail_.resize(end);
    starts_.resize(std::size_t(level));
    head_ = std::min(head_, end);
}

/// The first of a choice's open literals that was so the last time.
Literal Solver::chosenBefore(int choice) const
{
    const std::vector<Literal>& literals = choices_[std::size_t(choice)];
    const auto found = std::find_if(literals.begin(), literals.end(), [this](Literal literal) {
        return valueOf(literal) == 0 && phase_[std::size_t(literal.variable())];
    });
    return found == literals.end() ? Literal() : *found;
}

Literal Solver::decide()
{
    for (;;) {
        const int variable = order_.takeMostActive();
        if (variable < 0)
            return {};
        if (valueOf(Literal(variable)) != 0)
            continue;
        const bool phase = phase_[std::size_t(variable)];
        const int choice = choiceOfVariable_[std::size_t(variable)];
        if (choice < 0 || (manner_ == Manner::Plain && phase))
            return Literal(variable, !phase);
        const std::span<const Literal> literals = choiceOf(choice);
        if (std::any_of(literals.begin(), literals.end(), [this](Literal literal) { return valueOf(literal) > 0; }))
            return ~Literal(variable);
        // What was chosen before is chosen at once again, not one after the other of what was not.
        Literal best = chosenBefore(choice);
        if (!best.exists() && manner_ == Manner::Plain)
            return ~Literal(variable);
        if (!best.exists() && watcher_)
            best = watcher_->pick(*this, choice);
        if (!best.exists() || valueOf(best) != 0)
            best = *std::find_if(literals.begin(), literals.end(),
                                 [this](Literal literal) { return valueOf(literal) == 0; });
        if (best.variable() != variable)
            order_.putBack(variable);
        return best;
    }
}

bool Solver::tooLong()
{
    if (spent_ - asked_ > 20'000) {
        asked_ = spent_;
        stopped_ = stopped_ || (cancelled_ && cancelled_());
    }
    return stopped_ || spent_ > limit_;
}

Solver::Answer Solver::solve(std::span<const Literal> assumptions, long effort, Manner manner)
{
    manner_ = manner;
    core_.clear();
    if (!possible_)
        return Answer::No;
    limit_ = spent_ + effort;
    const auto ended = [this](Answer answer) {
        backTo(0);
        return answer;
    };
    std::size_t assumed = 0;
    for (long run = 0;; ++run) {
        const long restart = conflicts_ + kRestartUnit * luby(run);
        while (conflicts_ < restart) {
            bool fine = propagate();
            // Counting looks at what all assumptions come to, not at each on the way.
            const bool ready = levelNow() > 0 ? assumed >= assumptions.size() : assumptions.empty();
            if (fine && ready && manner_ == Manner::Guided && watcher_ && !watcher_->possible(*this, conflict_))
                fine = false;
            if (!fine) {
                if (const int level = levelOfConflict(); level <= 1 && !assumptions.empty() && levelNow() > 0) {
                    if (level == 0)
                        possible_ = false;
                    else
                        failedBy({});
                    return ended(Answer::No);
                }
                if (!learn()) {
                    possible_ = false;
                    return ended(Answer::No);
                }
                if (tooLong())
                    return ended(Answer::Unknown);
                continue;
            }
            if (tooLong())
                return ended(Answer::Unknown);
            if (levelNow() == 0) {
                assumed = 0;
                if (!assumptions.empty())
                    starts_.push_back(int(trail_.size()));
            }
            // All that is assumed is one level: what a conflict teaches then undoes none of it.
            while (assumed < assumptions.size() && valueOf(assumptions[assumed]) > 0)
                ++assumed;
            if (assumed < assumptions.size()) {
                if (valueOf(assumptions[assumed]) < 0) {
                    failedBy(assumptions[assumed]);
                    return ended(Answer::No);
                }
                assign(assumptions[assumed++], {});
                continue;
            }
            if (learnt_.size() > keep_)
                forgetSome();
            const Literal next = decide();
            if (!next.exists()) {
                for (int v = 0; v < variables(); ++v)
                    model_[std::size_t(v)] = valueOf(Literal(v)) > 0;
                return ended(Answer::Yes);
            }
            starts_.push_back(int(trail_.size()));
            assign(next, {});
        }
        backTo(assumptions.empty() ? 0 : 1);
    }
}

} // namespace bindrel
