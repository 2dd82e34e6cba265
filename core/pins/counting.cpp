// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/counting.h"

#include <algorithm>
#include <limits>

namespace bindrel {

bool Counting::isUnchanged(const Solver& solver, std::size_t group) const
{
    const Now& now = now_[group];
    if (!now.when.exists())
        return false;
    return now.use.exists()
               ? solver.valueOf(now.when) > 0 && solver.valueOf(now.use) >= 0 && solver.valueOf(now.seat) >= 0
               : solver.valueOf(now.when) <= 0;
}

/// Of those that take one now, the one with the fewest left stands for the group.
bool Counting::choose(const Solver& solver, std::size_t number)
{
    Group& group = groups_[number];
    group.taker = group.option = -1;
    now_[number].use = Literal();
    std::size_t least = std::numeric_limits<std::size_t>::max();
    for (std::size_t t = 0; t < group.takers.size(); ++t) {
        const Taker& taker = group.takers[t];
        if (!std::all_of(taker.when.begin(), taker.when.end(), [&solver](Literal l) { return solver.valueOf(l) > 0; }))
            continue;
        const std::size_t open =
            group.takers.size() == 1
                ? 0
                : std::size_t(std::count_if(taker.options.begin(), taker.options.end(),
                                            [&solver](const Option& o) { return isOpen(solver, o); }));
        if (open < least) {
            least = open;
            group.taker = int(t);
        }
    }
    return group.taker >= 0;
}

bool Counting::augment(const Solver& solver, int number)
{
    Group& group = groups_[std::size_t(number)];
    seenGroup_.push_back(number);
    const std::vector<Option>& options = standingFor(group).options;
    for (const bool free : {true, false}) // what nobody has first
        for (std::size_t o = 0; o < options.size(); ++o) {
            const int thing = options[o].thing;
            if (isSeen_[std::size_t(thing)] || (owner_[std::size_t(thing)] < 0) != free || !isOpen(solver, options[o]))
                continue;
            isSeen_[std::size_t(thing)] = 1;
            seenThing_.push_back(thing);
            if (free || augment(solver, owner_[std::size_t(thing)])) {
                owner_[std::size_t(thing)] = number;
                group.option = int(o);
                now_[std::size_t(number)].use = options[o].use;
                now_[std::size_t(number)].seat = options[o].seat;
                return true;
            }
        }
    return false;
}

/// Why a taker can have nothing but what was seen: it has decided, or what else it could have is ruled out.
void Counting::explain(const Solver& solver, const Taker& taker, std::vector<Literal>& why) const
{
    const auto decided = [&](Literal Option::*what, Literal use) {
        if (!taker.once)
            return Literal();
        const auto found = std::find_if(taker.options.begin(), taker.options.end(), [&](const Option& option) {
            return solver.valueOf(option.*what) > 0 && (!use.exists() || option.use == use);
        });
        return found == taker.options.end() ? Literal() : (*found).*what;
    };
    const Literal use = decided(&Option::use, {}), seat = use.exists() ? decided(&Option::seat, use) : Literal();
    for (const Option& option : taker.options) {
        if (isSeen_[std::size_t(option.thing)])
            continue;
        if (use.exists() && option.use != use)
            why.push_back(~use);
        else if (seat.exists() && option.seat != seat)
            why.push_back(~seat);
        else if (option.at.exists() && solver.valueOf(option.at) < 0)
            why.push_back(option.at);
        else
            why.push_back(solver.valueOf(option.use) < 0 ? option.use : option.seat);
    }
}

bool Counting::possible(const Solver& solver, std::vector<Literal>& why)
{
    isSeen_.resize(owner_.size(), 0);
    std::vector<int> without;
    for (std::size_t g = 0; g < groups_.size(); ++g) {
        if (isUnchanged(solver, g))
            continue;
        Group& group = groups_[g];
        if (group.taker >= 0) {
            const Taker& taker = standingFor(group);
            const bool takes = std::all_of(taker.when.begin(), taker.when.end(),
                                           [&solver](Literal l) { return solver.valueOf(l) > 0; });
            if (takes && group.option >= 0 && isOpen(solver, taker.options[std::size_t(group.option)]))
                continue;
            if (group.option >= 0)
                owner_[std::size_t(taker.options[std::size_t(group.option)].thing)] = -1;
        }
        if (choose(solver, g))
            without.push_back(int(g));
    }
    for (std::size_t at = 0; at < without.size(); ++at) {
        seenThing_.clear();
        seenGroup_.clear();
        const bool found = augment(solver, without[at]);
        if (!found) {
            why.clear();
            for (const int g : seenGroup_) {
                const Taker& taker = standingFor(groups_[std::size_t(g)]);
                for (const Literal literal : taker.when)
                    why.push_back(~literal);
                explain(solver, taker, why);
            }
            std::sort(why.begin(), why.end());
            why.erase(std::unique(why.begin(), why.end()), why.end());
            tooMany_.clear();
            for (const int g : seenGroup_)
                for (const Taker& taker : groups_[std::size_t(g)].takers)
                    tooMany_.push_back(taker.who);
            // Those that were not reached are looked at the next time.
            for (std::size_t rest = at; rest < without.size(); ++rest)
                groups_[std::size_t(without[rest])].taker = -1;
        }
        for (const int thing : seenThing_)
            isSeen_[std::size_t(thing)] = 0;
        if (!found)
            return false;
    }
    return true;
}

std::vector<NeedIndex> Counting::tooMany() const
{
    std::vector<NeedIndex> out = tooMany_;
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

} // namespace bindrel
