// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/solver/solver.h"

#include <algorithm>

namespace bindrel {

namespace {

constexpr double kDecay = 1.0 / 0.95;
constexpr double kTooActive = 1e100;
constexpr long kRestartUnit = 64; ///< conflicts

/// 1 1 2 1 1 2 4 …: restarts that are right whatever the length of the run that succeeds (Luby, Sinclair and Zuckerman).
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

Literal Solver::fresh()
{
    const int variable = variables();
    values_.insert(values_.end(), {0, 0});
    given_.emplace_back();
    has_.insert(has_.end(), {0, 0});
    phase_.push_back(false);
    model_.push_back(false);
    activity_.push_back(0);
    choiceOfVariable_.push_back(-1);
    follows_.emplace_back();
    follows_.emplace_back();
    seen_.push_back(0);
    placeInHeap_.push_back(-1);
    insert(variable);
    return Literal(variable);
}

void Solver::assign(Literal literal, Reason reason)
{
    const std::size_t variable = std::size_t(literal.variable());
    values_[std::size_t(literal.code())] = 1;
    values_[std::size_t((~literal).code())] = -1;
    given_[variable] = {levelNow(), int(trail_.size()), reason};
    trail_.push_back(literal);
}

bool Solver::enqueue(Literal literal, Reason reason)
{
    if (valueOf(literal) == 0)
        assign(literal, reason);
    return valueOf(literal) > 0;
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

void Solver::atLeastOne(std::vector<Literal> literals)
{
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
    follows_[std::size_t(literal.code())].watches.push_back(watch);
    has_[std::size_t(literal.code())] |= kWatches;
}

Solver::Reason Solver::addClause(std::span<const Literal> literals, int quality)
{
    if (literals.size() == 2) {
        for (const auto& [from, to] : {std::pair(~literals[0], literals[1]), std::pair(~literals[1], literals[0])}) {
            follows_[std::size_t(from.code())].implied.push_back(to);
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
    const auto holding = std::find_if(literals.begin(), literals.end(), [this](Literal literal) { return valueOf(literal) > 0; });
    if (holding != literals.end()) {
        const Literal kept = *holding;
        for (const Literal literal : literals)
            if (literal != kept)
                is(~literal);
        return;
    }
    for (const Literal literal : literals) {
        follows_[std::size_t(literal.code())].exclusions.push_back(number);
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
        follows_[std::size_t(term.literal.code())].bounds.emplace_back(number, term.weight);
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
        // Whoever is declared first is a little more active.
        activity_[std::size_t(literal.variable())] = 1e-6 / (1 + number);
        siftUp(placeInHeap_[std::size_t(literal.variable())]);
    }
    choices_.push_back(std::move(literals));
    return number;
}

bool Solver::propagate()
{
    while (head_ < trail_.size()) {
        const Literal literal = trail_[head_++];
        const std::uint8_t has = has_[std::size_t(literal.code())];
        // Sums first: they must be right for what has been taken from the queue, whatever comes of it.
        if (((has & kBounds) != 0 && !propagateBounds(literal)) || ((has & kImplied) != 0 && !propagateImplied(literal)) ||
            ((has & kExclusions) != 0 && !propagateExclusions(literal)) || ((has & kWatches) != 0 && !propagateClauses(literal)))
            return false;
    }
    return true;
}

bool Solver::propagateImplied(Literal literal)
{
    const std::vector<Literal>& follow = follows_[std::size_t(literal.code())].implied;
    spent_ += long(follow.size()) / 4;
    for (const Literal other : follow)
        if (!enqueue(other, {Reason::Kind::Literal, literal.code()})) {
            conflict_.assign({~literal, other});
            return false;
        }
    return true;
}

bool Solver::propagateClauses(Literal literal)
{
    std::vector<Watch>& list = follows_[std::size_t(literal.code())].watches;
    const int falseCode = (~literal).code();
    std::size_t kept = 0;
    spent_ += long(list.size());
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Watch watch = list[i];
        if (valueOf(watch.other) > 0) {
            list[kept++] = watch;
            continue;
        }
        int* codes = &arena_[std::size_t(watch.clause) + kHeader];
        const int size = arena_[std::size_t(watch.clause)];
        if (codes[0] == falseCode)
            std::swap(codes[0], codes[1]);
        const Literal first = Literal::fromCode(codes[0]);
        if (valueOf(first) > 0) {
            list[kept++] = {watch.clause, first};
            continue;
        }
        int next = 2;
        while (next < size && values_[std::size_t(codes[next])] < 0)
            ++next;
        spent_ += next / 4;
        if (next < size) {
            std::swap(codes[1], codes[next]);
            this->watch(Literal::fromCode(codes[1] ^ 1), {watch.clause, first});
            continue;
        }
        list[kept++] = {watch.clause, first};
        if (!enqueue(first, {Reason::Kind::Clause, watch.clause})) {
            conflict_.clear();
            for (int k = 0; k < size; ++k)
                conflict_.push_back(Literal::fromCode(codes[k]));
            for (++i; i < list.size(); ++i)
                list[kept++] = list[i];
            list.resize(kept);
            return false;
        }
    }
    list.resize(kept);
    if (kept == 0)
        has_[std::size_t(literal.code())] &= std::uint8_t(~kWatches);
    return true;
}

bool Solver::propagateExclusions(Literal literal)
{
    for (const int number : follows_[std::size_t(literal.code())].exclusions) {
        const std::vector<Literal>& others = exclusions_[std::size_t(number)];
        spent_ += 1 + long(others.size()) / 4;
        for (const Literal other : others)
            if (other != literal && !enqueue(~other, {Reason::Kind::Literal, literal.code()})) {
                conflict_.assign({~literal, ~other});
                return false;
            }
    }
    return true;
}

bool Solver::propagateBounds(Literal literal)
{
    bool fine = true;
    for (const auto& [number, weight] : follows_[std::size_t(literal.code())].bounds) {
        bounds_[std::size_t(number)].sum += weight;
        ++spent_;
        fine = fine && tightenBound(number);
    }
    return fine;
}

bool Solver::tightenBound(int number)
{
    const Bound& bound = bounds_[std::size_t(number)];
    const long room = bound.most - bound.sum;
    if (room < 0) {
        conflict_.clear();
        long sum = 0;
        for (const Term& term : bound.terms)
            if (valueOf(term.literal) > 0 && std::size_t(positionOf(term.literal)) < head_ && sum <= bound.most) {
                conflict_.push_back(~term.literal);
                sum += term.weight;
            }
        return false;
    }
    for (const Term& term : bound.terms) {
        if (term.weight <= room)
            break;
        ++spent_;
        if (valueOf(term.literal) == 0)
            assign(~term.literal, {Reason::Kind::Bound, number});
    }
    return true;
}

void Solver::antecedents(Literal literal, std::vector<Literal>& out) const
{
    const Reason reason = reasonOf(literal);
    switch (reason.kind) {
    case Reason::Kind::Decision:
        break;
    case Reason::Kind::Literal:
        out.push_back(Literal::fromCode(reason.index));
        break;
    case Reason::Kind::Clause:
        for (int k = 0; k < arena_[std::size_t(reason.index)]; ++k)
            if (const int code = arena_[std::size_t(reason.index + kHeader + k)]; code != literal.code())
                out.push_back(Literal::fromCode(code ^ 1));
        break;
    case Reason::Kind::Bound: {
        const Bound& bound = bounds_[std::size_t(reason.index)];
        const int before = positionOf(literal);
        long needed = bound.most + 1;
        for (const Term& term : bound.terms)
            if (term.literal == ~literal)
                needed -= term.weight;
        for (const Term& term : bound.terms) {
            if (needed <= 0)
                break;
            if (valueOf(term.literal) > 0 && positionOf(term.literal) < before) {
                out.push_back(term.literal);
                needed -= term.weight;
            }
        }
        break;
    }
    }
}

bool Solver::impliedByOthers(Literal falseLiteral)
{
    // Everything from which it follows is in the clause already, or holds at the lowest level.
    const Literal literal = ~falseLiteral;
    if (reasonOf(literal).kind == Reason::Kind::Decision)
        return false;
    scratch_.clear();
    antecedents(literal, scratch_);
    return std::all_of(scratch_.begin(), scratch_.end(), [this](Literal l) { return seen_[std::size_t(l.variable())] || levelOf(l) == 0; });
}

bool Solver::learn()
{
    ++conflicts_;
    int level = 0;
    for (const Literal literal : conflict_)
        level = std::max(level, levelOf(literal));
    if (level == 0)
        return false;
    backTo(level);

    std::vector<Literal> clause{Literal()};
    std::vector<Literal> because;
    for (const Literal literal : conflict_)
        because.push_back(~literal);
    std::vector<int> touched;
    int open = 0;
    std::size_t at = trail_.size();
    Literal uip;
    for (;;) {
        for (const Literal literal : because) {
            const std::size_t variable = std::size_t(literal.variable());
            if (seen_[variable] || given_[variable].level == 0)
                continue;
            seen_[variable] = 1;
            touched.push_back(literal.variable());
            bump(literal.variable());
            if (given_[variable].level == level)
                ++open;
            else
                clause.push_back(~literal);
        }
        while (!seen_[std::size_t(trail_[at - 1].variable())])
            --at;
        uip = trail_[--at];
        if (--open == 0)
            break;
        because.clear();
        antecedents(uip, because);
        spent_ += long(because.size()) / 2;
    }
    clause[0] = ~uip;
    std::erase_if(clause, [this, &clause](Literal literal) { return literal != clause[0] && impliedByOthers(literal); });
    for (const int variable : touched)
        seen_[std::size_t(variable)] = 0;

    int back = 0;
    for (std::size_t i = 1; i < clause.size(); ++i)
        if (levelOf(clause[i]) > back) {
            back = levelOf(clause[i]);
            std::swap(clause[1], clause[i]);
        }
    std::vector<int> levels;
    for (const Literal literal : clause)
        levels.push_back(levelOf(literal));
    std::sort(levels.begin(), levels.end());
    const int spans = int(std::unique(levels.begin(), levels.end()) - levels.begin());
    backTo(back);
    if (clause.size() == 1)
        assign(clause[0], {});
    else
        assign(clause[0], addClause(clause, std::max(1, spans)));
    step_ *= kDecay;
    return true;
}

/// Which assumptions made this one false.
void Solver::failedBy(Literal assumption)
{
    core_ = {assumption};
    if (levelOf(assumption) == 0) {
        return;
    }
    seen_[std::size_t(assumption.variable())] = 1;
    std::vector<Literal> because;
    for (std::size_t at = trail_.size(); at-- > std::size_t(starts_.front());) {
        const Literal literal = trail_[at];
        if (!seen_[std::size_t(literal.variable())])
            continue;
        seen_[std::size_t(literal.variable())] = 0;
        if (reasonOf(literal).kind == Reason::Kind::Decision) {
            if (literal != ~assumption || levelOf(literal) > 0)
                core_.push_back(literal);
            continue;
        }
        because.clear();
        antecedents(literal, because);
        for (const Literal other : because)
            if (levelOf(other) > 0)
                seen_[std::size_t(other.variable())] = 1;
    }
    std::sort(core_.begin(), core_.end());
    core_.erase(std::unique(core_.begin(), core_.end()), core_.end());
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
        if (placeInHeap_[variable] < 0)
            insert(literal.variable());
    }
    trail_.resize(end);
    starts_.resize(std::size_t(level));
    head_ = std::min(head_, end);
}

void Solver::bump(int variable)
{
    double& activity = activity_[std::size_t(variable)];
    activity += step_;
    if (activity > kTooActive) {
        for (double& each : activity_)
            each /= kTooActive;
        step_ /= kTooActive;
    }
    if (placeInHeap_[std::size_t(variable)] >= 0)
        siftUp(placeInHeap_[std::size_t(variable)]);
}

Literal Solver::decide()
{
    for (;;) {
        const int variable = takeMostActive();
        if (variable < 0)
            return {};
        if (valueOf(Literal(variable)) != 0)
            continue;
        const int choice = choiceOfVariable_[std::size_t(variable)];
        if (choice < 0)
            return Literal(variable, !phase_[std::size_t(variable)]);
        Literal best = Literal();
        bool settled = false;
        for (const Literal literal : choices_[std::size_t(choice)]) {
            settled = settled || valueOf(literal) > 0;
            if (valueOf(literal) == 0 && phase_[std::size_t(literal.variable())] && !best.exists())
                best = literal;
        }
        if (settled)
            return ~Literal(variable);
        if (!best.exists() && watcher_)
            best = watcher_->pick(*this, choice);
        if (!best.exists() || valueOf(best) != 0)
            for (const Literal literal : choices_[std::size_t(choice)])
                if (valueOf(literal) == 0) {
                    best = literal;
                    break;
                }
        if (best.variable() != variable)
            insert(variable);
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

Solver::Answer Solver::solve(std::span<const Literal> assumptions, long effort)
{
    core_.clear();
    if (!possible_)
        return Answer::No;
    limit_ = spent_ + effort;
    const auto ended = [this](Answer answer) {
        backTo(0);
        return answer;
    };
    for (long run = 0;; ++run) {
        const long restart = conflicts_ + kRestartUnit * luby(run);
        while (conflicts_ < restart) {
            bool fine = propagate();
            if (fine && watcher_ && !watcher_->possible(*this, conflict_))
                fine = false;
            if (!fine) {
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
            Literal next;
            while (levelNow() < int(assumptions.size())) {
                const Literal assumption = assumptions[std::size_t(levelNow())];
                if (valueOf(assumption) > 0) {
                    starts_.push_back(int(trail_.size()));
                } else if (valueOf(assumption) < 0) {
                    failedBy(assumption);
                    return ended(Answer::No);
                } else {
                    next = assumption;
                    break;
                }
            }
            if (!next.exists()) {
                if (learnt_.size() > keep_)
                    forgetSome();
                next = decide();
            }
            if (!next.exists()) {
                for (int v = 0; v < variables(); ++v)
                    model_[std::size_t(v)] = valueOf(Literal(v)) > 0;
                return ended(Answer::Yes);
            }
            starts_.push_back(int(trail_.size()));
            assign(next, {});
        }
        backTo(0);
    }
}

/// Clauses that span many levels are of little use later; half of them go.
void Solver::forgetSome()
{
    std::vector<char> inUse(arena_.size(), 0);
    for (const Literal literal : trail_)
        if (const Reason reason = reasonOf(literal); reason.kind == Reason::Kind::Clause)
            inUse[std::size_t(reason.index)] = 1;
    std::vector<int> order = learnt_;
    std::stable_sort(order.begin(), order.end(), [this](int a, int b) { return arena_[std::size_t(a) + 1] > arena_[std::size_t(b) + 1]; });
    order.resize(order.size() / 2);
    std::vector<char> goes(arena_.size(), 0);
    for (const int clause : order)
        goes[std::size_t(clause)] = arena_[std::size_t(clause) + 1] > 2 && !inUse[std::size_t(clause)];
    // What is left moves together, and all that names a clause follows.
    std::vector<int> moved(arena_.size(), -1);
    std::vector<int> kept;
    kept.reserve(arena_.size());
    for (std::size_t at = 0; at < arena_.size(); at += std::size_t(arena_[at]) + kHeader)
        if (!goes[at]) {
            moved[at] = int(kept.size());
            kept.insert(kept.end(), arena_.begin() + std::ptrdiff_t(at), arena_.begin() + std::ptrdiff_t(at) + arena_[at] + kHeader);
        }
    arena_ = std::move(kept);
    for (Follows& follows : follows_) {
        std::vector<Watch>& list = follows.watches;
        std::erase_if(list, [&moved](const Watch& watch) { return moved[std::size_t(watch.clause)] < 0; });
        for (Watch& watch : list)
            watch.clause = moved[std::size_t(watch.clause)];
    }
    std::erase_if(learnt_, [&moved](int clause) { return moved[std::size_t(clause)] < 0; });
    for (int& clause : learnt_)
        clause = moved[std::size_t(clause)];
    for (const Literal literal : trail_)
        if (Reason& reason = given_[std::size_t(literal.variable())].reason; reason.kind == Reason::Kind::Clause)
            reason.index = moved[std::size_t(reason.index)];
    keep_ += keep_ / 10;
}

void Solver::insert(int variable)
{
    if (placeInHeap_[std::size_t(variable)] >= 0)
        return;
    placeInHeap_[std::size_t(variable)] = int(heap_.size());
    heap_.push_back(variable);
    siftUp(placeInHeap_[std::size_t(variable)]);
}

void Solver::siftUp(int position)
{
    while (position > 0) {
        const int above = (position - 1) / 2;
        const int a = heap_[std::size_t(position)], b = heap_[std::size_t(above)];
        if (activity_[std::size_t(a)] <= activity_[std::size_t(b)])
            return;
        std::swap(heap_[std::size_t(position)], heap_[std::size_t(above)]);
        placeInHeap_[std::size_t(a)] = above;
        placeInHeap_[std::size_t(b)] = position;
        position = above;
    }
}

void Solver::siftDown(int position)
{
    const int size = int(heap_.size());
    for (;;) {
        int most = position;
        for (const int below : {2 * position + 1, 2 * position + 2})
            if (below < size && activity_[std::size_t(heap_[std::size_t(below)])] > activity_[std::size_t(heap_[std::size_t(most)])])
                most = below;
        if (most == position)
            return;
        std::swap(heap_[std::size_t(position)], heap_[std::size_t(most)]);
        placeInHeap_[std::size_t(heap_[std::size_t(position)])] = position;
        placeInHeap_[std::size_t(heap_[std::size_t(most)])] = most;
        position = most;
    }
}

int Solver::takeMostActive()
{
    if (heap_.empty())
        return -1;
    const int variable = heap_.front();
    heap_.front() = heap_.back();
    placeInHeap_[std::size_t(heap_.front())] = 0;
    heap_.pop_back();
    placeInHeap_[std::size_t(variable)] = -1;
    if (!heap_.empty())
        siftDown(0);
    return variable;
}

} // namespace bindrel
