// SPDX-License-Identifier: GPL-3.0-or-later
// What a placement costs: of a way in numbers, of all ways as sums for the solver.
#include "core/pins/placement_model.h"

#include <algorithm>
#include <bit>
#include <set>

namespace bindrel {

int PlacementCost::at(PlacementLevel level) const
{
    return std::array{moved, pads, unfit, sides, splits, crossings, scarce, debug, spread}[std::size_t(level)];
}

bool PlacementProof::provenTo(PlacementLevel level, const PlacementCost& cost) const
{
    for (std::size_t l = 0; l <= std::size_t(level); ++l)
        if (!least[l] || *least[l] < cost.at(PlacementLevel(l)))
            return false;
    return true;
}

PlacementCost PlacementModel::costOf(const Way& way) const
{
    PlacementCost cost;
    struct Sitting {
        int part, along, pad;
    };
    std::array<std::vector<Sitting>, 4> sitting;
    std::vector<unsigned> sidesOfPart(std::size_t(space_.parts), 0u);
    const auto sit = [&](int part, PadIndex pad, unsigned& sidesOfNeed) {
        if (space_.positionOfPad[std::size_t(pad)] < 0)
            return;
        const int side = space_.sideOfPad[std::size_t(pad)];
        sitting[std::size_t(side)].push_back({part, space_.alongOfPad[std::size_t(pad)], pad});
        sidesOfNeed |= 1u << side;
        if (part >= 0)
            sidesOfPart[std::size_t(part)] |= 1u << side;
    };
    const auto beyondOne = [](unsigned sides) { return std::max(0, std::popcount(sides) - 1); };
    std::vector<std::map<int, int>> rows(std::size_t(space_.parts)); // by part: place in its row, pad
    std::vector<const Stand*> standing(space_.needs.size(), nullptr);
    for (const Stand& stand : way)
        standing[std::size_t(stand.need)] = &stand;
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        const Stand* stand = standing[std::size_t(p.need)];
        unsigned sides = 0;
        if (!stand || stand->site < 0) {
            if (p.mayStay) {
                for (const PadIndex pad : entry.padsNow)
                    sit(entry.part, pad, sides);
                for (std::size_t s = 0; s < entry.signals.size(); ++s)
                    if (const PadIndex pad = padNow(p.need, s); entry.places[s] >= 0 && pad >= 0)
                        rows[std::size_t(entry.part)][entry.places[s]] = pad;
            }
            cost.splits += beyondOne(sides);
            continue;
        }
        const PlacementSpace::Site& site = entry.sites[std::size_t(stand->site)];
        bool moved = site.moves;
        cost.scarce += site.scarce;
        for (std::size_t s = 0; s < entry.signals.size(); ++s) {
            const PlacementSpace::Choice& choice = site.choices[s][std::size_t(stand->choices[s])];
            moved = moved || choice.moves;
            cost.pads += entry.wasBound && choice.moves;
            cost.unfit += choice.unfit;
            cost.scarce += choice.scarce;
            cost.debug += choice.debug;
            sit(entry.part, choice.pad, sides);
            if (entry.places[s] >= 0)
                rows[std::size_t(entry.part)][entry.places[s]] = choice.pad;
        }
        cost.moved += entry.wasBound && moved;
        cost.splits += beyondOne(sides);
    }
    for (const unsigned sides : sidesOfPart)
        cost.sides += beyondOne(sides);
    for (std::size_t side = 0; side < 4; ++side) {
        std::map<int, std::pair<int, int>> reach;
        for (const Sitting& one : sitting[side])
            if (one.part >= 0) {
                auto& [low, high] = reach.try_emplace(one.part, one.along, one.along).first->second;
                low = std::min(low, one.along);
                high = std::max(high, one.along);
            }
        for (const auto& [part, ends] : reach) {
            const auto inside = [&ends = ends](int along) { return ends.first < along && along < ends.second; };
            std::set<int> own;
            for (const Sitting& one : sitting[side])
                if (inside(one.along)) {
                    if (one.part == part)
                        own.insert(one.pad);
                    else
                        ++cost.crossings;
                }
            int places = 0;
            for (std::size_t pad = 0; pad < space_.positionOfPad.size(); ++pad)
                places += space_.positionOfPad[pad] >= 0 && space_.sideOfPad[pad] == int(side) && inside(space_.alongOfPad[pad]);
            cost.spread += places - int(own.size());
        }
    }
    cost.crossings += turnsOf(rows);
    return cost;
}

/// Where a signal of a need sits as the plan has it; -1 where it does not.
PadIndex PlacementModel::padNow(NeedIndex need, std::size_t signal) const
{
    const auto& pads = space_.plan.needs[std::size_t(need)].binding.pads;
    const auto now = pads.find(space_.needs[std::size_t(need)].signals[signal].id);
    const PadIndex pad = now == pads.end() ? PadIndex() : space_.device.findPad(now->second);
    return pad >= 0 && space_.positionOfPad[std::size_t(pad)] >= 0 ? pad : PadIndex();
}

int PlacementModel::turnsOf(const std::vector<std::map<int, int>>& rows) const
{
    int out = 0;
    for (const std::map<int, int>& row : rows) {
        int rising = 0, falling = 0;
        for (auto at = row.begin(); at != row.end() && std::next(at) != row.end(); ++at) {
            const auto next = std::next(at);
            if (next->first != at->first + 1 || space_.sideOfPad[std::size_t(at->second)] != space_.sideOfPad[std::size_t(next->second)])
                continue;
            const int a = space_.alongOfPad[std::size_t(at->second)], b = space_.alongOfPad[std::size_t(next->second)];
            rising += a < b;
            falling += a > b;
        }
        out += std::min(rising, falling);
    }
    return out;
}

void PlacementModel::addRows(std::vector<Solver::Term>& out)
{
    std::vector<std::map<int, std::vector<std::pair<int, Sitting>>>> rows(std::size_t(space_.parts)); // by part and place: pads
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
            if (std::none_of(outlet.seats.begin(), outlet.seats.end(), [&](const auto& seat) { return std::size_t(space_.sideOfPad[std::size_t(padOf(outlet, seat.first))]) == side; }))
                continue;
            // Who uses it uses the only side that it can lie on.
            const Literal there = onSide(outlet, side);
            for (const Outlet::User& user : outlet.users)
                ofNeed[std::size_t(participants_[std::size_t(user.participant)].need)][side].push_back({user.use, there == outlet.used ? user.use : there});
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
    sayWhereUsersMustBe();
}

/// What follows for who would use an outlet from the sides that it must not be on: one of these must be allowed, and where only one is, the outlet must have a
/// pad there. A look at each of its pads would show the same, but later.
void PlacementModel::sayWhereUsersMustBe()
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
            if (side == truth_)
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

/// Whether it can be placed otherwise than it is without moving.
bool PlacementModel::canBePlacedOnItsOwn(const Participant& p) const
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
    if (!entry.requests.empty())
        return true;
    for (std::size_t s = 0; s < entry.signals.size(); ++s) {
        if (padNow(p.need, s) < 0)
            return true;
        for (const PlacementSpace::Site& site : entry.sites)
            if (!site.moves && std::count_if(site.choices[s].begin(), site.choices[s].end(), [](const PlacementSpace::Choice& choice) { return !choice.moves; }) > 1)
                return true;
    }
    return false;
}

PlacementModel::Sum PlacementModel::countMoved()
{
    Sum out;
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        if (!p.placed || !entry.wasBound)
            continue;
        // What is placed anew on its own pads has moved nothing: for another DMA channel, for what is not bound of it yet, or by another route.
        if (p.mayStay && !canBePlacedOnItsOwn(p)) {
            out.terms.push_back({~p.stays, 1});
            continue;
        }
        std::vector<Literal> moving;
        for (std::size_t i = 0; i < p.sites.size(); ++i)
            if (entry.sites[i].moves)
                moving.push_back(p.sites[i].site);
        for (std::size_t s = 0; s < entry.signals.size(); ++s)
            if (const Literal leaves = leavesPad(p, s); leaves.exists())
                moving.push_back(leaves);
        if (!moving.empty())
            out.terms.push_back({anyOf(moving), 1});
    }
    return out;
}

PlacementModel::Sum PlacementModel::countPads()
{
    Sum out;
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        for (std::size_t s = 0; s < entry.signals.size() && p.placed && entry.wasBound; ++s)
            if (const Literal leaves = leavesPad(p, s); leaves.exists())
                out.terms.push_back({leaves, 1});
    }
    return out;
}

/// That a signal is taken away from where it is; does not exist where it cannot be.
Literal PlacementModel::leavesPad(const Participant& p, std::size_t signal)
{
    const auto [known, fresh] = leaves_.try_emplace({p.need, signal});
    if (!fresh)
        return known->second;
    std::vector<Literal> keeping;
    bool canLeave = false;
    for (std::size_t i = 0; i < p.sites.size(); ++i) {
        const std::vector<PlacementSpace::Choice>& choices = space_.needs[std::size_t(p.need)].sites[i].choices[signal];
        for (std::size_t c = 0; c < choices.size(); ++c)
            if (choices[c].moves)
                canLeave = true;
            else
                keeping.push_back(both(p.sites[i].choices[signal][c]));
    }
    if (!canLeave)
        return known->second;
    // It need not be so where the signal keeps its pad, or the need is not placed at all.
    if (p.mayStay)
        keeping.push_back(p.stays);
    keeping.push_back(~p.takesPart);
    known->second = solver.fresh();
    derive(~known->second, keeping, 1);
    keeping.push_back(known->second);
    solver.atLeastOne(keeping);
    return known->second;
}

PlacementModel::Sum PlacementModel::countScarce()
{
    Sum out;
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        // Of what it costs at least wherever it stands only the rest is counted; one that may stay need not cost anything.
        std::vector<long> least;
        for (std::size_t i = 0; i < p.sites.size(); ++i) {
            least.push_back(entry.sites[i].scarce);
            for (std::size_t s = 0; s < entry.signals.size(); ++s) {
                const std::vector<PlacementSpace::Choice>& choices = entry.sites[i].choices[s];
                const int cheapest = std::min_element(choices.begin(), choices.end(), [](const auto& a, const auto& b) { return a.scarce < b.scarce; })->scarce;
                least.back() += cheapest;
                for (std::size_t c = 0; c < choices.size(); ++c)
                    if (choices[c].scarce > cheapest)
                        out.terms.push_back({both(p.sites[i].choices[s][c]), choices[c].scarce - cheapest});
            }
        }
        const long all = p.mayStay || who_.choosable || least.empty() ? 0 : *std::min_element(least.begin(), least.end());
        out.base += all;
        for (std::size_t i = 0; i < p.sites.size(); ++i)
            if (least[i] > all)
                out.terms.push_back({p.sites[i].site, int(least[i] - all)});
    }
    return out;
}

PlacementModel::Sum PlacementModel::countChoices(int PlacementSpace::Choice::* what)
{
    Sum out;
    for (const Participant& p : participants_)
        for (std::size_t i = 0; i < p.sites.size(); ++i) {
            const PlacementSpace::Site& site = space_.needs[std::size_t(p.need)].sites[i];
            for (std::size_t s = 0; s < site.choices.size(); ++s)
                for (std::size_t c = 0; c < site.choices[s].size(); ++c)
                    if (site.choices[s][c].*what > 0)
                        out.terms.push_back({both(p.sites[i].choices[s][c]), site.choices[s][c].*what});
        }
    return out;
}

/// For each part and each place that may lie between its pads: whether it does, and whether another sits there.
void PlacementModel::addBetween()
{
    between_.emplace();
    const std::size_t pads = space_.positionOfPad.size();
    std::vector<std::map<int, std::vector<Literal>>> ofPart(std::size_t(space_.parts)); // by pad
    std::vector<std::vector<Literal>> ofPad(pads), sharedOfPad(pads);
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        const auto add = [&](PadIndex pad, const Sitting& sitting) {
            if (space_.positionOfPad[std::size_t(pad)] < 0 || !isOpen(solver, sitting))
                return;
            if (sitting.use == sitting.seat)
                ofPad[std::size_t(pad)].push_back(sitting.seat);
            if (entry.part >= 0)
                ofPart[std::size_t(entry.part)][pad].push_back(both(sitting));
        };
        eachSeat(p, add);
    }
    for (const Outlet& outlet : outlets_)
        for (const auto& [way, seat] : outlet.seats)
            if (const PadIndex pad = padOf(outlet, way); space_.positionOfPad[std::size_t(pad)] >= 0)
                sharedOfPad[std::size_t(pad)].push_back(seat);
    std::vector<Literal> used(pads), shared(pads);
    for (std::size_t pad = 0; pad < pads; ++pad) {
        shared[pad] = anyOfThese(sharedOfPad[pad]);
        std::vector<Literal> all = ofPad[pad];
        if (shared[pad].exists())
            all.push_back(shared[pad]);
        used[pad] = anyOfThese(all);
    }
    std::array<std::map<int, std::vector<int>>, 4> places; // by side and place along it: pads
    for (std::size_t pad = 0; pad < pads; ++pad)
        if (space_.positionOfPad[pad] >= 0)
            places[std::size_t(space_.sideOfPad[pad])][space_.alongOfPad[pad]].push_back(int(pad));
    for (const auto& seats : ofPart) {
        std::map<int, Literal> own;
        std::set<Literal> signals;
        for (const auto& [pad, literals] : seats) {
            own[pad] = exactlyAnyOf(literals);
            signals.insert(literals.begin(), literals.end());
        }
        for (std::size_t side = 0; side < 4; ++side) {
            std::vector<int> along;
            for (const auto& [pad, literal] : own)
                if (std::size_t(space_.sideOfPad[std::size_t(pad)]) == side)
                    along.push_back(space_.alongOfPad[std::size_t(pad)]);
            if (along.size() < 2)
                continue;
            const auto [first, last] = std::minmax_element(along.begin(), along.end());
            // Place by place from both ends: whether one of the part's pads lies before, and behind.
            std::map<int, Literal> before, behind;
            const auto grow = [&](std::map<int, Literal>& out, Literal& so, int place, const std::vector<int>& there) {
                if (so.exists())
                    out[place] = so;
                std::vector<Literal> from;
                if (so.exists())
                    from.push_back(so);
                for (const PadIndex pad : there)
                    if (const auto mine = own.find(pad); mine != own.end())
                        from.push_back(mine->second);
                if (!from.empty() && (from.size() > 1 || from.front() != so))
                    so = anyOf(from);
            };
            Literal so;
            for (auto at = places[side].lower_bound(*first); at != places[side].upper_bound(*last); ++at)
                grow(before, so, at->first, at->second);
            so = Literal();
            for (auto at = std::make_reverse_iterator(places[side].upper_bound(*last)); at != std::make_reverse_iterator(places[side].lower_bound(*first)); ++at)
                grow(behind, so, at->first, at->second);
            for (const auto& [place, left] : before) {
                const auto right = behind.find(place);
                if (right == behind.end())
                    continue;
                for (const PadIndex pad : places[side].at(place)) {
                    const auto mine = own.find(pad);
                    const Literal gap = solver.fresh();
                    std::vector<Literal> clause{~left, ~right->second, gap};
                    if (mine != own.end())
                        clause.push_back(mine->second);
                    solver.atLeastOne(clause);
                    between_->spread.push_back({gap, 1});
                    Literal other = used[std::size_t(pad)], perhaps;
                    if (mine != own.end()) {
                        std::vector<Literal> others;
                        const std::vector<Literal>& ours = seats.at(pad);
                        for (const Literal literal : ofPad[std::size_t(pad)])
                            if (std::find(ours.begin(), ours.end(), literal) == ours.end())
                                others.push_back(literal);
                        other = anyOfThese(others);
                        perhaps = shared[std::size_t(pad)];
                    }
                    if (!other.exists() && !perhaps.exists())
                        continue;
                    const Literal crosses = solver.fresh();
                    if (other.exists())
                        solver.atLeastOne({~left, ~right->second, ~other, crosses});
                    if (perhaps.exists())
                        solver.atLeastOne({~left, ~right->second, ~perhaps, mine->second, crosses});
                    between_->crossings.push_back({crosses, 1});
                }
            }
        }
    }
}

bool PlacementModel::isHuge(PlacementLevel level) const
{
    constexpr std::size_t kMost = 16'000;
    return (level == PlacementLevel::Crossings || level == PlacementLevel::Spread) && std::size_t(space_.parts) * space_.positionOfPad.size() > kMost;
}

const PlacementModel::Sum& PlacementModel::sumOf(PlacementLevel level)
{
    const auto known = sums_.find(level);
    if (known != sums_.end())
        return known->second;
    Sum sum;
    switch (level) {
    case PlacementLevel::Moved:
        sum = countMoved();
        break;
    case PlacementLevel::Pads:
        sum = countPads();
        break;
    case PlacementLevel::Sides:
        sum = countSides(partOn_);
        break;
    case PlacementLevel::Splits:
        sum = countSides(needOn_);
        break;
    case PlacementLevel::Crossings:
    case PlacementLevel::Spread:
        if (!between_)
            addBetween();
        sum.terms = level == PlacementLevel::Crossings ? between_->crossings : between_->spread;
        if (level == PlacementLevel::Crossings)
            addRows(sum.terms);
        break;
    case PlacementLevel::Scarce:
        sum = countScarce();
        break;
    case PlacementLevel::Debug:
        sum = countChoices(&PlacementSpace::Choice::debug);
        break;
    case PlacementLevel::Unfit:
        sum = countChoices(&PlacementSpace::Choice::unfit);
        break;
    }
    return sums_.emplace(level, std::move(sum)).first->second;
}

} // namespace bindrel
