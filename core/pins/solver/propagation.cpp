// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/solver/solver.h"

#include <algorithm>

namespace bindrel {

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

bool Solver::propagate()
{
    while (head_ < trail_.size()) {
        const Literal literal = trail_[head_++];
        const std::uint8_t has = has_[std::size_t(literal.code())];
        // Sums first: they must be right for what has been taken from the queue, whatever comes of it.
        if (((has & kBounds) != 0 && !propagateBounds(literal)) ||
            ((has & kImplied) != 0 && !propagateImplied(literal)) ||
            ((has & kExclusions) != 0 && !propagateExclusions(literal)) ||
            ((has & kWatches) != 0 && !propagateClauses(literal)))
            return false;
    }
    return true;
}

bool Solver::propagateImplied(Literal literal)
{
    const ShortList<Literal>& follow = follows_[std::size_t(literal.code())].implied;
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
    ShortList<Watch>& list = follows_[std::size_t(literal.code())].watches;
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
            list.shrink(kept);
            return false;
        }
    }
    list.shrink(kept);
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
            if (const int code = arena_[std::size_t(reason.index) + std::size_t(kHeader + k)]; code != literal.code())
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

} // namespace bindrel
