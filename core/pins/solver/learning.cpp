// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/solver/solver.h"

#include <algorithm>

namespace bindrel {

namespace {

// What `seen_` says of a variable while a clause is learnt.
constexpr char kInClause = 1, kFollows = 2, kFollowsNot = 3;

} // namespace

/// Whether a literal of a clause being learnt follows from its others: everything from which it follows is among them,
/// holds at the lowest level, or follows from them itself. What was decided about variables on the way is kept in
/// `seen_` until the clause is learnt.
bool Solver::impliedByOthers(Literal falseLiteral, std::vector<int>& touched)
{
    if (reasonOf(~falseLiteral).kind == Reason::Kind::Decision)
        return false;
    const std::size_t before = touched.size();
    scratch_.assign(1, ~falseLiteral);
    std::vector<Literal> because;
    while (!scratch_.empty()) {
        const Literal literal = scratch_.back();
        scratch_.pop_back();
        because.clear();
        antecedents(literal, because);
        spent_ += long(because.size()) / 4;
        for (const Literal other : because) {
            char& seen = seen_[std::size_t(other.variable())];
            if (seen == kInClause || seen == kFollows || levelOf(other) == 0)
                continue;
            if (seen == kFollowsNot || reasonOf(other).kind == Reason::Kind::Decision ||
                !levels_[std::size_t(levelOf(other))]) {
                // Those on the way here may have followed by other ways, but are not looked at again.
                for (std::size_t i = before; i < touched.size(); ++i)
                    seen_[std::size_t(touched[i])] = kFollowsNot;
                return false;
            }
            seen = kFollows;
            touched.push_back(other.variable());
            scratch_.push_back(other);
        }
    }
    return true;
}

bool Solver::learn()
{
    ++conflicts_;
    const int level = levelOfConflict();
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
            seen_[variable] = kInClause;
            touched.push_back(literal.variable());
            order_.bump(literal.variable());
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
    levels_.assign(std::size_t(levelNow()) + 1, false);
    for (const Literal literal : clause)
        levels_[std::size_t(levelOf(literal))] = true;
    std::erase_if(clause, [&](Literal literal) { return literal != clause[0] && impliedByOthers(literal, touched); });
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
    order_.conflictIsOver();
    return true;
}

int Solver::levelOfConflict() const
{
    int level = 0;
    for (const Literal literal : conflict_)
        level = std::max(level, levelOf(literal));
    return level;
}

/// Which assumptions cannot hold together: those that made this one false, or led to a conflict.
void Solver::failedBy(Literal assumption)
{
    core_.clear();
    std::vector<Literal> because;
    if (assumption.exists()) {
        core_.push_back(assumption);
        because.push_back(~assumption);
    } else {
        for (const Literal literal : conflict_)
            because.push_back(~literal);
    }
    const auto follow = [this, &because] {
        for (const Literal literal : because)
            if (levelOf(literal) > 0)
                seen_[std::size_t(literal.variable())] = 1;
        because.clear();
    };
    follow();
    for (std::size_t at = trail_.size(); at-- > std::size_t(starts_.front());) {
        const Literal literal = trail_[at];
        if (!seen_[std::size_t(literal.variable())])
            continue;
        seen_[std::size_t(literal.variable())] = 0;
        if (reasonOf(literal).kind == Reason::Kind::Decision)
            core_.push_back(literal);
        antecedents(literal, because);
        follow();
    }
    std::sort(core_.begin(), core_.end());
    core_.erase(std::unique(core_.begin(), core_.end()), core_.end());
}

/// Clauses that span many levels are of little use later; half of them go.
void Solver::forgetSome()
{
    std::vector<char> inUse(arena_.size(), 0);
    for (const Literal literal : trail_)
        if (const Reason reason = reasonOf(literal); reason.kind == Reason::Kind::Clause)
            inUse[std::size_t(reason.index)] = 1;
    std::vector<int> order = learnt_;
    std::stable_sort(order.begin(), order.end(),
                     [this](int a, int b) { return arena_[std::size_t(a) + 1] > arena_[std::size_t(b) + 1]; });
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
            kept.insert(kept.end(), arena_.begin() + std::ptrdiff_t(at),
                        arena_.begin() + std::ptrdiff_t(at) + arena_[at] + kHeader);
        }
    arena_ = std::move(kept);
    for (Follows& follows : follows_) {
        ShortList<Watch>& list = follows.watches;
        list.shrink(
            std::size_t(std::remove_if(list.begin(), list.end(),
                                       [&moved](const Watch& watch) { return moved[std::size_t(watch.clause)] < 0; }) -
                        list.begin()));
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

} // namespace bindrel
