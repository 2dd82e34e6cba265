// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/solver/solver.h"

#include <map>

namespace bindrel {

/// That a signal of a need sits on a pad by a route: it does when both are so. They are the same where nobody else
/// could sit there in its stead.
struct Sitting {
    Literal use;  ///< the need uses this signal of the instance
    Literal seat; ///< which lies there, whoever uses it
    friend auto operator<=>(const Sitting&, const Sitting&) = default;
};

/// A solver, and statements about others' statements in it. What only follows from others is remembered, so that values
/// can be made in which nothing is so in vain.
class Statements {
public:
    Statements();
    Statements(const Statements&) = delete;
    Statements& operator=(const Statements&) = delete;

    Solver solver;
    const Literal truth;

    /// Is so where one of them is. REQUIRES: there is one.
    Literal anyOf(const std::vector<Literal>& literals);
    Literal anyOf(const std::vector<Sitting>& sittings);
    /// Does not exist when there are none; `truth` when one is so for certain.
    Literal anyOfThese(std::vector<Literal> literals);
    Literal anyOfThese(std::vector<Sitting> sittings);
    /// Is so exactly where one of them is.
    Literal exactlyAnyOf(const std::vector<Literal>& literals);
    /// Is so exactly when both are.
    Literal both(const Sitting& sitting);
    /// For each number in turn that one of its literals is so; `numbered` keeps one of each number.
    std::vector<Literal> anyOfEach(std::vector<std::pair<int, Literal>>& numbered);
    /// At most one of them. One literal can stand for several signals without a choice, which then ask for what cannot
    /// be.
    void oneOf(const std::vector<Literal>& ways);
    /// A literal that need only be so where at least `count` of others are.
    void derive(Literal literal, const std::vector<Literal>& from, int count);
    void derive(Literal literal, const std::vector<Sitting>& from, int count);
    /// Makes what only follows from others as it follows from them, in values of all variables; also of those that are
    /// newer than these.
    void deriveValues(std::vector<bool>& values) const;

    static bool isOpen(const Solver& state, const Sitting& sitting)
    {
        return state.valueOf(sitting.use) >= 0 && state.valueOf(sitting.seat) >= 0;
    }

private:
    struct Derived {
        Literal literal;
        std::size_t from, to; ///< in derivedFrom_
        int count;
    };
    std::vector<Derived> derived_;
    std::vector<Sitting> derivedFrom_;
    std::map<Sitting, Literal> both_;
};

} // namespace bindrel
