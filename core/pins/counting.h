// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index.h"
#include "core/pins/solver/solver.h"

namespace bindrel {

/// Things that exist once (pads, instances, channels) and what must each have one of its own. Whether there are enough
/// is a matching; when there are not, the takers that are too many and the things that they could share are a Hall set,
/// which says why.
class Counting {
public:
    struct Option {
        int thing;
        Literal use, seat; ///< it is taken when both are so; they can be the same
        Literal at = {};   ///< without which `use` cannot be so, if there is one: it says more in an explanation
    };
    struct Taker {
        std::vector<Literal> when; ///< it takes one as soon as all of these are so
        std::vector<Option> options;
        NeedIndex who;    ///< for tooMany()
        bool once = true; ///< it never has two of its options; not so where it stands for several
    };
    /// Takers that may share one thing: together they need one.
    void add(std::vector<Taker> alike)
    {
        now_.push_back({alike.size() == 1 && alike.front().when.size() == 1 ? alike.front().when.front() : Literal(),
                        Literal(), Literal()});
        groups_.push_back({std::move(alike), -1, -1});
    }
    void begin(int things) { owner_.assign(std::size_t(things), -1); }
    /// See Watcher::possible.
    bool possible(const Solver& solver, std::vector<Literal>& why);
    /// After that was false: who the takers of the Hall set are.
    std::vector<NeedIndex> tooMany() const;

private:
    struct Group {
        std::vector<Taker> takers;
        int taker = -1;  ///< that stands for the group now
        int option = -1; ///< that it has
    };
    /// What tells that nothing has changed for a group, near together since all are looked at before each decision.
    struct Now {
        Literal when;      ///< of a group of one that waits for one thing only
        Literal use, seat; ///< of the option that it has
    };
    static bool isOpen(const Solver& solver, const Option& option)
    {
        return solver.valueOf(option.use) >= 0 && solver.valueOf(option.seat) >= 0;
    }
    const Taker& standingFor(const Group& group) const { return group.takers[std::size_t(group.taker)]; }
    bool isUnchanged(const Solver& solver, std::size_t group) const;
    bool choose(const Solver& solver, std::size_t group);
    bool augment(const Solver& solver, int group);
    void explain(const Solver& solver, const Taker& taker, std::vector<Literal>& why) const;

    std::vector<Group> groups_;
    std::vector<Now> now_;   ///< by group
    std::vector<int> owner_; ///< by thing: the group that has it
    std::vector<int> seenThing_, seenGroup_;
    std::vector<NeedIndex> tooMany_;
    std::vector<char> isSeen_;
};

} // namespace bindrel
