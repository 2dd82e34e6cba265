// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/solver/short_list.h"
#include "core/pins/solver/variable_order.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <functional>
#include <initializer_list>
#include <memory_resource>
#include <span>
#include <utility>
#include <vector>

namespace bindrel {

/// A variable that is so, or its opposite.
class Literal {
public:
    Literal() = default;
    explicit Literal(int variable, bool negated = false) : code_(2 * variable + (negated ? 1 : 0)) {}
    Literal operator~() const { return fromCode(code_ ^ 1); }
    static Literal fromCode(int code)
    {
        Literal out;
        out.code_ = code;
        return out;
    }
    int variable() const { return code_ >> 1; }
    bool negated() const { return (code_ & 1) != 0; }
    int code() const { return code_; }
    bool exists() const { return code_ >= 0; }
    friend auto operator<=>(const Literal&, const Literal&) = default;

private:
    int code_ = -2;
};

class Solver;

/// What is known beyond the clauses: it looks at a state of the search before each decision.
class Watcher {
public:
    virtual ~Watcher() = default;
    /// False when the state cannot be completed; then `why` is a clause that holds always and whose literals are all
    /// false now.
    virtual bool possible(const Solver& solver, std::vector<Literal>& why) = 0;
    /// Which of a choice's open literals to try first; none: the first in its order.
    virtual Literal pick(const Solver&, int) { return {}; }
};

/// Decides whether clauses, exclusions and weighted bounds can hold together, by conflict-driven search with learnt
/// clauses (the usual scheme: two watched literals, first unique implication point, activities, restarts). Exclusions
/// and bounds propagate natively and explain themselves only when a conflict asks. Deterministic; effort is counted,
/// not timed. What follows is in propagation.cpp, what a conflict teaches in learning.cpp.
class Solver {
public:
    enum class Answer { Yes, No, Unknown };
    /// How decisions are taken: by choices, with the watcher asked before each; or by activity alone, variable by
    /// variable unless something was chosen before, without the watcher.
    enum class Manner { Guided, Plain };
    struct Term {
        Literal literal;
        int weight = 1;
    };

    Solver() = default;
    Solver(const Solver&) = delete;
    Solver& operator=(const Solver&) = delete;

    /// How many variables there will be, about.
    void reserve(std::size_t variables);
    Literal fresh();
    int variables() const { return int(given_.size()); }

    void atLeastOne(std::span<const Literal> literals);
    void atLeastOne(std::initializer_list<Literal> literals)
    {
        atLeastOne(std::span(literals.begin(), literals.size()));
    }
    void is(Literal literal);
    void implies(Literal a, Literal b) { either(~a, b); }
    void either(Literal a, Literal b);
    void atMostOne(std::vector<Literal> literals);
    /// The weights of those that are so come to at most `most`. The number can be lowered later.
    int bound(std::vector<Term> terms, long most);
    void lower(int bound, long most);
    /// Literals of which one is to be chosen; a decision chooses, it never excludes. Those declared first are decided
    /// first at the beginning.
    int choice(std::vector<Literal> literals);
    std::span<const Literal> choiceOf(int choice) const { return choices_[std::size_t(choice)]; }
    void watch(Watcher* watcher) { watcher_ = watcher; }
    /// What a decision tries first for a variable that belongs to no choice, and prefers within a choice.
    void prefer(Literal literal) { phase_[std::size_t(literal.variable())] = !literal.negated(); }

    /// How much a variable was part of conflicts, the latest most.
    double activityOf(Literal literal) const { return order_.activityOf(literal.variable()); }

    /// `effort`: visits of clauses and the like after which the answer is Unknown; the next call goes on with what was
    /// learnt.
    Answer solve(std::span<const Literal> assumptions, long effort, Manner manner = Manner::Guided);
    /// After Yes.
    bool holds(Literal literal) const { return model_[std::size_t(literal.variable())] != literal.negated(); }
    /// All of them, by variable.
    const std::vector<bool>& values() const { return model_; }
    /// Decisions try these values first, until others are found.
    void goOnFrom(const std::vector<bool>& values) { std::copy(values.begin(), values.end(), phase_.begin()); }
    /// After No: assumptions that cannot all hold; empty when nothing can.
    const std::vector<Literal>& core() const { return core_; }

    void cancelWhen(std::function<bool()> cancelled) { cancelled_ = std::move(cancelled); }
    bool wasCancelled() const { return stopped_; }
    long spent() const { return spent_; }
    long conflicts() const { return conflicts_; }

    /// During a search: 1 is so, -1 is not, 0 is open.
    int valueOf(Literal literal) const { return values_[std::size_t(literal.code())]; }
    int levelOf(Literal literal) const { return given_[std::size_t(literal.variable())].level; }

private:
    struct Reason {
        enum class Kind : std::uint8_t { Decision, Clause, Literal, Bound } kind = Kind::Decision;
        int index = -1; ///< offset of the clause, code of the literal, number of the bound
    };
    struct Watch {
        int clause;
        Literal other; ///< when it is so, the clause need not be looked at
    };
    struct Bound {
        std::vector<Term> terms; ///< heaviest first
        long most = 0, sum = 0;
        long certain = 0; ///< what came to it before it was made, and is not in `terms`
    };
    /// A clause lies in `arena_` as size, quality (0: given; else how many levels it spans), then its literals' codes.
    static constexpr int kHeader = 2;

    bool enqueue(Literal literal, Reason reason);
    void assign(Literal literal, Reason reason);
    bool propagate(); ///< false: `conflict_` says why
    bool propagateImplied(Literal literal);
    bool propagateClauses(Literal literal);
    bool propagateExclusions(Literal literal);
    bool propagateBounds(Literal literal);
    bool tightenBound(int bound);
    /// Literals that are so and from which `literal` followed.
    void antecedents(Literal literal, std::vector<Literal>& out) const;
    Reason addClause(std::span<const Literal> literals, int quality);
    int positionOf(Literal literal) const { return given_[std::size_t(literal.variable())].position; }
    Reason reasonOf(Literal literal) const { return given_[std::size_t(literal.variable())].reason; }
    void watch(Literal literal, Watch watch);
    bool settle(); ///< propagates at the lowest level
    /// Learns from `conflict_`; false when nothing can hold any more.
    bool learn();
    bool impliedByOthers(Literal literal, std::vector<int>& touched);
    int levelOfConflict() const;
    void failedBy(Literal assumption);
    void backTo(int level);
    Literal chosenBefore(int choice) const;
    Literal decide();
    void forgetSome();
    int levelNow() const { return int(starts_.size()); }
    bool tooLong();

    std::vector<std::int8_t> values_; ///< by code
    struct Given {
        int level = 0, position = 0; ///< in the trail
        Reason reason;
    };
    std::vector<Given> given_; ///< by variable: how it got its value
    std::vector<bool> phase_, model_;
    std::vector<int> choiceOfVariable_;
    std::vector<std::vector<Literal>> choices_;
    std::vector<Literal> trail_;
    std::vector<int> starts_;
    std::size_t head_ = 0;

    std::vector<int> arena_;
    std::vector<int> learnt_;
    struct Share {
        int bound, weight;
    };
    /// What is to be looked at when a literal becomes so.
    struct Follows {
        ShortList<Literal> implied; ///< clauses of two are kept so
        ShortList<Watch> watches;   ///< clauses that watch its opposite
        ShortList<int> exclusions;
        ShortList<Share> bounds;
    };
    std::pmr::monotonic_buffer_resource memory_; ///< of these lists
    std::vector<Follows> follows_;               ///< by code
    /// By code: whether there is anything in follows_, so that most literals need not be looked up at all.
    static constexpr std::uint8_t kImplied = 1, kWatches = 2, kExclusions = 4, kBounds = 8;
    std::vector<std::uint8_t> has_;
    std::vector<std::vector<Literal>> exclusions_;
    std::vector<Bound> bounds_;

    VariableOrder order_;

    std::vector<Literal> conflict_, core_;
    std::vector<char> seen_;
    std::vector<bool> levels_; ///< those of the clause being learnt
    std::vector<Literal> scratch_, clause_;
    Watcher* watcher_ = nullptr;
    std::function<bool()> cancelled_;
    bool possible_ = true, stopped_ = false;
    long spent_ = 0, limit_ = 0, conflicts_ = 0;
    long asked_ = -1'000'000; ///< effort at which it was last asked whether to go on
    std::size_t keep_ = 4000;
    Manner manner_ = Manner::Guided;
};

} // namespace bindrel
