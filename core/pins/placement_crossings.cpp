// SPDX-License-Identifier: GPL-3.0-or-later
// What lies between the pads of a part, and the order of those that stand in a row.
#include "core/pins/placement_model.h"

#include <algorithm>
#include <iterator>
#include <map>

namespace bindrel {

void PlacementModel::addRows(std::vector<Solver::Term>& out)
{
    std::vector<std::map<int, std::vector<std::pair<int, Sitting>>>> rows(
        std::size_t(space_.parts)); // by part and place: pads
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        for (std::size_t s = 0; s < entry.signals.size(); ++s) {
            if (entry.places[s] < 0)
                continue;
            auto& seats = rows[std::size_t(entry.part)][entry.places[s]];
            if (const PadIndex pad = padNow(p.need, s); p.mayStay && pad >= 0)
                seats.emplace_back(pad, Sitting{p.stays, p.stays});
            for (std::size_t i = 0; i < p.sites.size(); ++i)
                for (std::size_t c = 0; c < p.sites[i].choices[s].size(); ++c)
                    seats.emplace_back(entry.sites[i].choices[s][c].pad, p.sites[i].choices[s][c]);
        }
    }
    for (const auto& row : rows) {
        const Literal rises = row.size() > 1 ? solver.fresh() : Literal();
        for (auto at = row.begin(); at != row.end() && std::next(at) != row.end(); ++at) {
            const auto next = std::next(at);
            if (next->first != at->first + 1)
                continue;
            const Literal turned = solver.fresh();
            for (const auto& [padA, a] : at->second)
                for (const auto& [padB, b] : next->second) {
                    const int from = space_.alongOfPad[std::size_t(padA)], to = space_.alongOfPad[std::size_t(padB)];
                    if (space_.sideOfPad[std::size_t(padA)] == space_.sideOfPad[std::size_t(padB)] && from != to)
                        solver.atLeastOne({~a.use, ~a.seat, ~b.use, ~b.seat, from < to ? rises : ~rises, turned});
                }
            out.push_back({turned, 1});
        }
    }
}

/// Who may sit on each pad.
struct PlacementModel::Sitters {
    std::vector<std::map<PadIndex, std::vector<Literal>>> ofPart; ///< by pad
    std::vector<std::vector<Literal>> alone;                      ///< by pad: those of whom it is known who they are
    std::vector<Literal> shared, any; ///< by pad: that an outlet lies there, that anything does
    std::array<std::map<int, std::vector<PadIndex>>, 4> places; ///< by side and place along it: pads
};

PlacementModel::Sitters PlacementModel::whoMaySit()
{
    const std::size_t pads = space_.positionOfPad.size();
    Sitters out{std::vector<std::map<PadIndex, std::vector<Literal>>>(std::size_t(space_.parts)),
                std::vector<std::vector<Literal>>(pads),
                {},
                {},
                {}};
    for (const Participant& p : participants_) {
        const int part = space_.needs[std::size_t(p.need)].part;
        eachSeat(p, [&](PadIndex pad, const Sitting& sitting) {
            if (space_.positionOfPad[std::size_t(pad)] < 0 || !isOpen(solver, sitting))
                return;
            if (sitting.use == sitting.seat)
                out.alone[std::size_t(pad)].push_back(sitting.seat);
            if (part >= 0)
                out.ofPart[std::size_t(part)][pad].push_back(both(sitting));
        });
    }
    std::vector<std::vector<Literal>> shared(pads);
    for (const Outlet& outlet : outlets_)
        for (const auto& [way, seat] : outlet.seats)
            shared[std::size_t(padOf(outlet, way))].push_back(seat);
    for (std::size_t pad = 0; pad < pads; ++pad) {
        if (space_.positionOfPad[pad] >= 0)
            out.places[std::size_t(space_.sideOfPad[pad])][space_.alongOfPad[pad]].push_back(int(pad));
        out.shared.push_back(anyOfThese(shared[pad]));
        std::vector<Literal> all = out.alone[pad];
        if (out.shared.back().exists())
            all.push_back(out.shared.back());
        out.any.push_back(anyOfThese(std::move(all)));
    }
    return out;
}

/// For each part and each place that may lie between its pads: whether it does, and whether another sits there.
void PlacementModel::addBetween()
{
    between_.emplace();
    const Sitters sitters = whoMaySit();
    for (const auto& ofPart : sitters.ofPart) {
        Own own;
        for (const auto& [pad, literals] : ofPart)
            own.emplace(pad, exactlyAnyOf(literals));
        for (std::size_t side = 0; side < 4; ++side) {
            std::vector<int> along;
            for (const auto& [pad, literal] : own)
                if (std::size_t(space_.sideOfPad[std::size_t(pad)]) == side)
                    along.push_back(space_.alongOfPad[std::size_t(pad)]);
            if (along.size() < 2)
                continue;
            const auto [first, last] = std::minmax_element(along.begin(), along.end());
            const auto from = sitters.places[side].lower_bound(*first), to = sitters.places[side].upper_bound(*last);
            const std::map<int, Literal> before = placeByPlace(own, from, to),
                                         behind = placeByPlace(own, std::make_reverse_iterator(to),
                                                               std::make_reverse_iterator(from));
            for (const auto& [place, left] : before)
                if (const auto right = behind.find(place); right != behind.end())
                    for (const PadIndex pad : sitters.places[side].at(place))
                        addInside(pad, ~left, ~right->second, own, ofPart, sitters);
        }
    }
}

/// By place: whether one of the part's pads lies before it.
template <typename At> std::map<int, Literal> PlacementModel::placeByPlace(const Own& own, At from, At to)
{
    std::map<int, Literal> out;
    Literal so;
    for (At at = from; at != to; ++at) {
        std::vector<Literal> now;
        if (so.exists()) {
            out[at->first] = so;
            now.push_back(so);
        }
        for (const PadIndex pad : at->second)
            if (const auto mine = own.find(pad); mine != own.end())
                now.push_back(mine->second);
        if (!now.empty() && (now.size() > 1 || now.front() != so))
            so = anyOf(now);
    }
    return out;
}

/// A pad that lies between a part's pads unless one of two is so: it is not its own, or another's.
void PlacementModel::addInside(PadIndex pad, Literal outside, Literal outsideToo, const Own& own,
                               const std::map<PadIndex, std::vector<Literal>>& ofPart, const Sitters& sitters)
{
    const auto mine = own.find(pad);
    const Literal gap = solver.fresh();
    std::vector<Literal> clause{outside, outsideToo, gap};
    if (mine != own.end())
        clause.push_back(mine->second);
    solver.atLeastOne(clause);
    between_->spread.push_back({gap, 1});
    Literal other = sitters.any[std::size_t(pad)], unlessMine;
    if (mine != own.end()) {
        std::vector<Literal> others = sitters.alone[std::size_t(pad)];
        const std::vector<Literal>& ours = ofPart.at(pad);
        std::erase_if(others,
                      [&ours](Literal literal) { return std::find(ours.begin(), ours.end(), literal) != ours.end(); });
        other = anyOfThese(std::move(others));
        unlessMine = sitters.shared[std::size_t(pad)];
    }
    if (!other.exists() && !unlessMine.exists())
        return;
    const Literal crosses = solver.fresh();
    if (other.exists())
        solver.atLeastOne({outside, outsideToo, ~other, crosses});
    if (unlessMine.exists())
        solver.atLeastOne({outside, outsideToo, ~unlessMine, mine->second, crosses});
    between_->crossings.push_back({crosses, 1});
}

} // namespace bindrel
