// SPDX-License-Identifier: GPL-3.0-or-later
// What the solver tries first: what a person would.
#include "core/pins/placement_model.h"

#include <algorithm>
#include <tuple>

namespace bindrel {

Literal PlacementModel::pick(const Solver& state, int choice)
{
    const Guide& guide = guides_[std::size_t(choice)];
    if (guide.outlet >= 0) {
        // Nobody cares where something lies that nobody uses yet.
        for (const Outlet::User& user : outlets_[std::size_t(guide.outlet)].users)
            if (state.valueOf(user.use) > 0)
                return pickSeat(state, choice, participants_[std::size_t(user.participant)],
                                {user.participant, user.site, user.signal, -1});
        return {};
    }
    if (guide.participant < 0)
        return {};
    const Participant& p = participants_[std::size_t(guide.participant)];
    return guide.site < 0 ? pickSite(state, choice, p) : pickSeat(state, choice, p, guide);
}

unsigned PlacementModel::sidesOfPart(const Solver& state, const Participant& p) const
{
    const int part = space_.needs[std::size_t(p.need)].part;
    const std::array<Literal, 4>& sides = part < 0 ? needOn_[std::size_t(p.need)] : partOn_[std::size_t(part)];
    unsigned out = 0;
    for (std::size_t side = 0; side < 4; ++side)
        if (sides[side].exists() && state.valueOf(sides[side]) > 0)
            out |= 1u << side;
    return out;
}

unsigned PlacementModel::commonSides(const Solver& state, const Participant& p, std::size_t site) const
{
    unsigned all = 0xFu;
    const auto& choices = space_.needs[std::size_t(p.need)].sites[site].choices;
    for (std::size_t s = 0; s < choices.size(); ++s) {
        unsigned open = 0;
        for (std::size_t c = 0; c < choices[s].size(); ++c)
            if (isOpen(state, p.sites[site].choices[s][c]))
                open |= 1u << space_.sideOfPad[std::size_t(choices[s][c].pad)];
        all &= open;
    }
    return all;
}

/// The instance that has all pads on one side, best where the part's others are.
Literal PlacementModel::pickSite(const Solver& state, int choice, const Participant& p) const
{
    if (p.mayStay && state.valueOf(p.stays) == 0)
        return p.stays;
    const unsigned part = sidesOfPart(state, p);
    const auto literals = state.choiceOf(choice);
    Literal best;
    std::tuple<bool, int, int> least{};
    for (std::size_t i = 0; i < p.sites.size(); ++i) {
        const Literal literal = literals[i + (p.mayStay ? 1 : 0)];
        if (state.valueOf(literal) != 0)
            continue;
        const unsigned common = commonSides(state, p, i);
        const PlacementSpace::Site& site = space_.needs[std::size_t(p.need)].sites[i];
        const std::tuple key{site.moves, common == 0 ? 2 : part != 0 && (common & part) == 0 ? 1 : 0, site.scarce};
        if (!best.exists() || key < least) {
            best = literal;
            least = key;
        }
    }
    return best;
}

/// The pad that costs the least as things stand: near the others of its part.
Literal PlacementModel::pickSeat(const Solver& state, int choice, const Participant& p, const Guide& guide) const
{
    const auto literals = state.choiceOf(choice);
    const auto& choices =
        space_.needs[std::size_t(p.need)].sites[std::size_t(guide.site)].choices[std::size_t(guide.signal)];
    const std::vector<Sitting>& sittings = p.sites[std::size_t(guide.site)].choices[std::size_t(guide.signal)];
    const unsigned part = sidesOfPart(state, p);
    const unsigned common = commonSides(state, p, std::size_t(guide.site));
    Literal best;
    std::tuple<bool, int, int, int, bool, bool, int, int> least{};
    for (std::size_t c = 0; c < choices.size(); ++c) {
        if (!isOpen(state, sittings[c]))
            continue;
        const Literal literal = std::find(literals.begin(), literals.end(), sittings[c].use) != literals.end()
                                    ? sittings[c].use
                                    : sittings[c].seat;
        if (state.valueOf(literal) != 0)
            continue;
        const unsigned side = 1u << space_.sideOfPad[std::size_t(choices[c].pad)];
        const std::tuple key{choices[c].moves,
                             choices[c].unfit,
                             choices[c].wishes,
                             choices[c].stands,
                             part != 0 && (part & side) == 0,
                             (common & side) == 0,
                             choices[c].scarce,
                             choices[c].debug};
        if (!best.exists() || key < least) {
            best = literal;
            least = key;
        }
    }
    return best;
}

} // namespace bindrel
