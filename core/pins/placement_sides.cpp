// SPDX-License-Identifier: GPL-3.0-or-later
// Which sides of the package parts and needs use.
#include "core/pins/placement_model.h"

#include <algorithm>

namespace bindrel {

/// That a signal lies on a side.
Literal PlacementModel::onSide(Outlet& outlet, std::size_t side)
{
    Literal& out = outlet.onSide[side];
    if (out.exists())
        return out;
    std::vector<Literal> seats;
    for (const auto& [way, seat] : outlet.seats)
        if (std::size_t(space_.sideOfPad[std::size_t(padOf(outlet, way))]) == side)
            seats.push_back(seat);
    out = seats.size() == outlet.seats.size() ? outlet.used : exactlyAnyOf(seats);
    return out;
}

void PlacementModel::addSides()
{
    std::vector<std::array<std::vector<Literal>, 4>> ofPart(std::size_t(space_.parts));
    std::vector<std::array<std::vector<Sitting>, 4>> ofNeed(space_.needs.size());
    for (const Participant& p : participants_) {
        std::array<std::vector<Sitting>, 4>& sides = ofNeed[std::size_t(p.need)];
        eachSeat(p, [&](PadIndex pad, const Sitting& sitting) {
            if (sitting.use == sitting.seat && space_.positionOfPad[std::size_t(pad)] >= 0)
                sides[std::size_t(space_.sideOfPad[std::size_t(pad)])].push_back(sitting);
        });
    }
    for (Outlet& outlet : outlets_)
        for (std::size_t side = 0; side < 4; ++side) {
            if (std::none_of(outlet.seats.begin(), outlet.seats.end(), [&](const auto& seat) {
                    return std::size_t(space_.sideOfPad[std::size_t(padOf(outlet, seat.first))]) == side;
                }))
                continue;
            // Who uses it uses the only side that it can lie on.
            const Literal there = onSide(outlet, side);
            for (const Outlet::User& user : outlet.users)
                ofNeed[std::size_t(participants_[std::size_t(user.participant)].need)][side].push_back(
                    {user.use, there == outlet.used ? user.use : there});
        }
    needOn_.assign(space_.needs.size(), {});
    partOn_.assign(std::size_t(space_.parts), {});
    for (std::size_t n = 0; n < space_.needs.size(); ++n)
        for (std::size_t side = 0; side < 4; ++side) {
            needOn_[n][side] = anyOfThese(ofNeed[n][side]);
            if (const int part = space_.needs[n].part; part >= 0 && needOn_[n][side].exists())
                ofPart[std::size_t(part)][side].push_back(needOn_[n][side]);
        }
    for (std::size_t part = 0; part < partOn_.size(); ++part)
        for (std::size_t side = 0; side < 4; ++side)
            partOn_[part][side] = anyOfThese(ofPart[part][side]);
    constrainUserSides();
}

/// What follows for who would use an outlet from the sides that it must not be on: one of these must be allowed, and
/// where only one is, the outlet must have a pad there. A look at each of its pads would show the same, but later.
void PlacementModel::constrainUserSides()
{
    std::vector<Literal> clause;
    for (const Outlet& outlet : outlets_)
        for (const Outlet::User& user : outlet.users) {
            const std::array<Literal, 4>& on = needOn_[std::size_t(participants_[std::size_t(user.participant)].need)];
            clause.assign(1, ~user.use);
            for (std::size_t side = 0; side < 4; ++side)
                if (outlet.onSide[side].exists())
                    clause.push_back(on[side]);
            if (clause.size() == 2)
                continue;
            solver.atLeastOne(clause);
            std::size_t at = 1;
            for (std::size_t side = 0; side < 4; ++side)
                if (outlet.onSide[side].exists()) {
                    std::vector<Literal> only = clause;
                    only[at++] = outlet.onSide[side];
                    solver.atLeastOne(only);
                }
        }
}

/// How many sides beyond one, for each that uses some: a literal for a second, a third and a fourth.
PlacementModel::Sum PlacementModel::countSides(const std::vector<std::array<Literal, 4>>& on)
{
    Sum out;
    for (const std::array<Literal, 4>& sides : on) {
        std::vector<Literal> open;
        long certain = 0;
        for (const Literal side : sides) {
            if (side == truth)
                ++certain;
            else if (side.exists() && solver.valueOf(side) >= 0)
                open.push_back(side);
        }
        if (certain > 0) {
            out.base += certain - 1;
            for (const Literal side : open)
                out.terms.push_back({side, 1});
            continue;
        }
        Literal before;
        for (std::size_t more = 2; more <= open.size(); ++more) {
            const Literal literal = solver.fresh();
            // Unless it is so, at most more - 1 sides are in use.
            std::vector<Solver::Term> terms;
            for (const Literal side : open)
                terms.push_back({side, 1});
            derive(literal, open, int(more));
            terms.push_back({~literal, int(open.size() + 1 - more)});
            solver.bound(std::move(terms), long(open.size()));
            if (before.exists())
                solver.implies(literal, before);
            before = literal;
            out.terms.push_back({literal, 1});
        }
    }
    return out;
}

} // namespace bindrel
