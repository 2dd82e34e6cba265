// SPDX-License-Identifier: GPL-3.0-or-later
// Wishes for the board among the statements of a placement.
#include "core/pins/placement_wishes.h"

#include "core/pins/placement_model.h"

#include <algorithm>

namespace bindrel {

namespace {

using Kind = Wish::Kind;

} // namespace

PlacementWishes::PlacementWishes(const Device& device, const Board& board, const Plan& plan)
    : device_(device), places_(device)
{
    for (ResolvedWish& wish : resolveWishes(device, board, plan).wishes) {
        if (wish.wish.kind == Kind::Swap)
            continue; // see core/pins/swaps.h
        if (!wish.isSingle()) {
            joint_.push_back(std::move(wish));
            continue;
        }
        if (wish.wish.kind == Kind::KeepFree)
            forAll_.push_back(single_.size());
        for (const WishedSignal& signal : wish.signals) {
            std::vector<std::size_t>& known = bySignal_[{signal.need, signal.signal}];
            if (known.empty() || known.back() != single_.size()) // named twice, wished once
                known.push_back(single_.size());
        }
        single_.push_back(std::move(wish));
    }
}

PlacementWishes::Single PlacementWishes::brokenBy(NeedIndex need, const std::string& signal, PadIndex pad) const
{
    Single out;
    const auto look = [&](std::size_t at) {
        if (!single_[at].breaks(device_, places_, pad))
            return;
        if (single_[at].rule)
            out.rule = true;
        else
            ++(single_[at].stands ? out.stands : out.count);
    };
    for (const std::size_t at : forAll_)
        look(at);
    if (const auto known = bySignal_.find({need, signal}); known != bySignal_.end())
        for (const std::size_t at : known->second)
            look(at);
    return out;
}

/// Where the signals of a wish may sit: nowhere, of a need that has no place here.
struct PlacementModel::WishSeats {
    struct Seat {
        PadIndex pad;
        InstanceIndex instance;
        Sitting sitting;
        bool exempt; ///< from rules: it keeps its pad, or its need the instance where that is what counts
    };
    struct Signal {
        int group;
        NeedIndex need;
        std::vector<Seat> seats;
    };
    const ResolvedWish& wish;
    std::vector<Signal> signals;
};

void PlacementModel::addWish(const ResolvedWish& wish, std::vector<Solver::Term>* soft)
{
    WishSeats all{wish, {}};
    for (const WishedSignal& signal : wish.signals) {
        const int at = of_[std::size_t(signal.need)];
        if (at < 0) {
            all.signals.push_back({signal.group, signal.need, {}});
            continue;
        }
        const Participant& p = participants_[std::size_t(at)];
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(signal.need)];
        WishSeats::Signal out{signal.group, signal.need, {}};
        for (std::size_t s = 0; s < entry.signals.size(); ++s) {
            if (entry.signals[s].id != signal.signal)
                continue;
            const Need& need = space_.plan.needs[signal.need];
            const bool byUnit = wish.wish.kind == Kind::OneUnit;
            if (const PadIndex pad = padNow(signal.need, s); p.mayStay && pad >= 0)
                out.seats.push_back(
                    {pad, space_.device.findInstance(need.binding.instance), {p.stays, p.stays}, !space_.strictRules});
            for (std::size_t i = 0; i < p.sites.size(); ++i)
                for (std::size_t c = 0; c < p.sites[i].choices[s].size(); ++c) {
                    const PlacementSpace::Choice& choice = entry.sites[i].choices[s][c];
                    const bool keeps = byUnit ? !need.binding.instance.empty() && !entry.sites[i].moves
                                              : need.binding.pads.contains(signal.signal) && !choice.moves;
                    if (isOpen(solver, p.sites[i].choices[s][c]))
                        out.seats.push_back({choice.pad, entry.sites[i].instance, p.sites[i].choices[s][c],
                                             keeps && !space_.strictRules});
                }
        }
        all.signals.push_back(std::move(out));
    }
    switch (wish.wish.kind) {
    case Kind::Order:
        addOrder(all, soft);
        break;
    case Kind::OneSide:
    case Kind::OneUnit:
        addHome(all, soft);
        break;
    case Kind::Away:
        addAway(all, soft);
        break;
    case Kind::Neighbours:
        addNeighbours(all, soft);
        break;
    case Kind::Sequence:
        addSequence(all, soft);
        break;
    case Kind::KeepFree:
    case Kind::Side:
    case Kind::NotSide:
    case Kind::Port:
    case Kind::NextTo:
    case Kind::Region:
    case Kind::Swap:
        break;
    }
}

/// Two in the wish's order: the way round that all of them take decides which pads go together.
void PlacementModel::addOrder(const WishSeats& all, std::vector<Solver::Term>* soft)
{
    const Literal rises = all.signals.size() > 1 ? solver.fresh() : Literal();
    for (std::size_t i = 0; i + 1 < all.signals.size(); ++i) {
        if (all.signals[i].seats.empty() || all.signals[i + 1].seats.empty())
            continue;
        const Literal broken = soft ? solver.fresh() : Literal();
        for (const WishSeats::Seat& a : all.signals[i].seats)
            for (const WishSeats::Seat& b : all.signals[i + 1].seats) {
                const int turn = space_.wishes->places().turn(a.pad, b.pad);
                if (!soft && a.exempt && b.exempt)
                    continue; // no matter of this search
                std::vector<Literal> clause{~a.sitting.use, ~a.sitting.seat, ~b.sitting.use, ~b.sitting.seat};
                if (turn != 0)
                    clause.push_back(turn > 0 ? rises : ~rises);
                if (soft)
                    clause.push_back(broken);
                solver.atLeastOne(clause);
            }
        if (soft)
            soft->push_back({broken, 1});
    }
}

/// All on one side, or on one instance: a home is chosen, and who is elsewhere breaks the wish.
void PlacementModel::addHome(const WishSeats& all, std::vector<Solver::Term>* soft)
{
    const bool bySide = all.wish.wish.kind == Kind::OneSide;
    const auto homeOf = [&](const WishSeats::Seat& seat) {
        return bySide ? space_.sideOfPad[std::size_t(seat.pad)] : int(seat.instance);
    };
    std::map<int, Literal> homes;
    std::map<int, std::vector<Literal>> exempt; // by home: those there that no rule binds
    for (const WishSeats::Signal& signal : all.signals)
        for (const WishSeats::Seat& seat : signal.seats) {
            if (homeOf(seat) < 0)
                continue; // takes no unit
            homes.try_emplace(homeOf(seat));
            if (!soft && seat.exempt)
                exempt[homeOf(seat)].push_back(both(seat.sitting));
        }
    std::vector<Literal> one;
    for (auto& [home, literal] : homes) {
        literal = solver.fresh();
        one.push_back(literal);
    }
    solver.atMostOne(one);
    // Who is bound by a rule goes where one of those is that are not.
    for (const auto& [there, literals] : exempt)
        for (const Literal literal : literals)
            for (const auto& [home, chosen] : homes)
                if (home != there) {
                    std::vector<Literal> clause{~literal, ~chosen};
                    if (const auto others = exempt.find(home); others != exempt.end())
                        clause.insert(clause.end(), others->second.begin(), others->second.end());
                    solver.atLeastOne(clause);
                }
    std::map<NeedIndex, Literal> ofNeed; // an instance is chosen by the need, a side by each signal
    for (const WishSeats::Signal& signal : all.signals) {
        Literal broken;
        if (soft && !signal.seats.empty()) {
            const auto [known, fresh] = ofNeed.try_emplace(signal.need);
            if (fresh || bySide) {
                known->second = solver.fresh();
                soft->push_back({known->second, 1});
            }
            broken = known->second;
        }
        for (const WishSeats::Seat& seat : signal.seats) {
            if ((!soft && seat.exempt) || homeOf(seat) < 0)
                continue;
            std::vector<Literal> clause{~seat.sitting.use, ~seat.sitting.seat, homes.at(homeOf(seat))};
            if (soft)
                clause.push_back(broken);
            solver.atLeastOne(clause);
        }
    }
}

void PlacementModel::addAway(const WishSeats& all, std::vector<Solver::Term>* soft)
{
    for (const WishSeats::Signal& one : all.signals)
        for (const WishSeats::Signal& other : all.signals) {
            if (one.group != 0 || other.group != 1)
                continue;
            Literal broken;
            for (const WishSeats::Seat& a : one.seats)
                for (const WishSeats::Seat& b : other.seats) {
                    if (a.pad == b.pad || !space_.wishes->places().near(a.pad, b.pad, all.wish.wish.places) ||
                        (!soft && a.exempt && b.exempt))
                        continue;
                    if (soft && !broken.exists()) {
                        broken = solver.fresh();
                        soft->push_back({broken, 1});
                    }
                    std::vector<Literal> clause{~a.sitting.use, ~a.sitting.seat, ~b.sitting.use, ~b.sitting.seat};
                    if (soft)
                        clause.push_back(broken);
                    solver.atLeastOne(clause);
                }
        }
}

void PlacementModel::addNeighbours(const WishSeats& all, std::vector<Solver::Term>* soft)
{
    for (std::size_t i = 0; i + 1 < all.signals.size(); ++i) {
        if (all.signals[i].seats.empty() || all.signals[i + 1].seats.empty())
            continue;
        const Literal broken = soft ? solver.fresh() : Literal();
        for (const WishSeats::Seat& a : all.signals[i].seats) {
            std::vector<Literal> clause{~a.sitting.use, ~a.sitting.seat};
            for (const WishSeats::Seat& b : all.signals[i + 1].seats)
                if (space_.wishes->places().near(a.pad, b.pad, 1) || (!soft && a.exempt && b.exempt))
                    clause.push_back(both(b.sitting));
            if (soft)
                clause.push_back(broken);
            else // where the other has no place at all, nothing is asked of this one
                clause.push_back(~participants_[std::size_t(of_[std::size_t(all.signals[i + 1].need)])].takesPart);
            solver.atLeastOne(clause);
        }
        if (soft)
            soft->push_back({broken, 1});
    }
}

/// Whether any of a group lies at a place of a side or behind it, at it or before it; by place.
struct PlacementModel::SeatChain {
    std::map<int, Literal> from, upTo;
};

/// `boundOnly`: of those only that a rule binds.
PlacementModel::SeatChain PlacementModel::chainOf(const WishSeats& all, int group, int side, bool boundOnly)
{
    const PadPlaces& places = space_.wishes->places();
    std::map<int, std::vector<Sitting>> seats;
    for (const WishSeats::Signal& signal : all.signals)
        for (const WishSeats::Seat& seat : signal.seats)
            if (signal.group == group && places.side(seat.pad) == side && !(boundOnly && seat.exempt))
                seats[places.around(seat.pad)].push_back(seat.sitting);
    SeatChain out;
    const auto link = [this](std::map<int, Literal>& chain, int place, const std::vector<Sitting>& here, Literal last) {
        const Literal so = chain[place] = solver.fresh();
        for (const Sitting& sitting : here)
            solver.atLeastOne({~sitting.use, ~sitting.seat, so});
        if (last.exists())
            solver.atLeastOne({~last, so});
        return so;
    };
    Literal last;
    for (const auto& [place, here] : seats)
        last = link(out.upTo, place, here, last);
    last = Literal();
    for (auto at = seats.rbegin(); at != seats.rend(); ++at)
        last = link(out.from, at->first, at->second, last);
    return out;
}

/// On each side none of a later group lies before one of an earlier one; or, the other way round, behind one.
void PlacementModel::addSequence(const WishSeats& all, std::vector<Solver::Term>* soft)
{
    const PadPlaces& places = space_.wishes->places();
    const Literal falls = all.wish.stands ? Literal() : solver.fresh();
    std::map<std::tuple<int, int, bool>, SeatChain> chains; // many pairs share one
    const auto chainFor = [&](int group, int side, bool boundOnly) -> const SeatChain& {
        const auto [known, fresh] = chains.try_emplace({group, side, boundOnly});
        if (fresh)
            known->second = chainOf(all, group, side, boundOnly);
        return known->second;
    };
    static const SeatChain none;
    for (const auto& [earlier, later] : all.wish.pairs) {
        std::map<const WishSeats::Signal*, Literal> broken;
        for (int side = 0; side < 4; ++side) {
            if (all.wish.stands && ((all.wish.sides >> side) & 1u) == 0)
                continue;
            const SeatChain& any = chainFor(earlier, side, false);
            if (any.from.empty())
                continue;
            // Two that no rule binds are no matter of this search.
            const SeatChain& bound = soft ? none : chainFor(earlier, side, true);
            for (const WishSeats::Signal& signal : all.signals) {
                if (signal.group != later)
                    continue;
                for (const WishSeats::Seat& seat : signal.seats) {
                    if (places.side(seat.pad) != side)
                        continue;
                    const SeatChain& chain = !soft && seat.exempt ? bound : any;
                    const auto rule = [&](Literal wrong, Literal unless) {
                        std::vector<Literal> clause{~seat.sitting.use, ~seat.sitting.seat, ~wrong};
                        if (unless.exists())
                            clause.push_back(unless);
                        if (soft) {
                            const auto [known, fresh] = broken.try_emplace(&signal);
                            if (fresh) {
                                known->second = solver.fresh();
                                soft->push_back({known->second, 1});
                            }
                            clause.push_back(known->second);
                        }
                        solver.atLeastOne(clause);
                    };
                    const int here = places.around(seat.pad);
                    if (const auto behind = chain.from.upper_bound(here); behind != chain.from.end())
                        rule(behind->second, falls);
                    const auto before = chain.upTo.lower_bound(here);
                    if (falls.exists() && before != chain.upTo.begin())
                        rule(std::prev(before)->second, ~falls);
                }
            }
        }
    }
}

void PlacementModel::addWishRules()
{
    if (!space_.wishes)
        return;
    for (const ResolvedWish& wish : space_.wishes->joint())
        if (wish.rule)
            addWish(wish, nullptr);
}

PlacementModel::Sum PlacementModel::countWishes(bool standing)
{
    if (!space_.wishes)
        return {};
    Sum out = countChoices(standing ? &PlacementSpace::Choice::stands : &PlacementSpace::Choice::wishes);
    for (const ResolvedWish& wish : space_.wishes->joint())
        if (!wish.rule && wish.stands == standing)
            addWish(wish, &out.terms);
    return out;
}

/// `standing` by need, null: it stays.
std::vector<BrokenAt> PlacementModel::brokenBy(const ResolvedWish& wish,
                                               const std::vector<const NeedPlacement*>& standing) const
{
    std::vector<PadIndex> pads;
    std::vector<InstanceIndex> instances;
    for (const WishedSignal& signal : wish.signals) {
        PadIndex pad(-1);
        InstanceIndex instance(-1);
        const int at = of_[std::size_t(signal.need)];
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(signal.need)];
        const NeedPlacement* stand = standing[std::size_t(signal.need)];
        for (std::size_t s = 0; at >= 0 && s < entry.signals.size(); ++s) {
            if (entry.signals[s].id != signal.signal)
                continue;
            if (stand && stand->site >= 0) {
                pad = entry.sites[std::size_t(stand->site)].choices[s][std::size_t(stand->choices[s])].pad;
                instance = entry.sites[std::size_t(stand->site)].instance;
            } else if (participants_[std::size_t(at)].mayStay) {
                pad = padNow(signal.need, s);
                instance = space_.device.findInstance(space_.plan.needs[signal.need].binding.instance);
            }
        }
        pads.push_back(pad);
        instances.push_back(instance);
    }
    return brokenAt(space_.wishes->places(), wish, pads, instances);
}

/// Wishes that several signals decide together and that are not rules.
int PlacementModel::wishesBroken(const std::vector<const NeedPlacement*>& standing, bool stands) const
{
    int out = 0;
    if (space_.wishes)
        for (const ResolvedWish& wish : space_.wishes->joint())
            if (!wish.rule && wish.stands == stands)
                out += int(brokenBy(wish, standing).size());
    return out;
}

std::vector<std::vector<NeedIndex>> PlacementModel::unwished(const Assignment& way, bool stands) const
{
    std::vector<std::vector<NeedIndex>> out;
    if (!space_.wishes)
        return out;
    std::vector<const NeedPlacement*> standing(space_.needs.size(), nullptr);
    for (const NeedPlacement& stand : way) {
        standing[std::size_t(stand.need)] = &stand;
        if (stand.site < 0)
            continue;
        const PlacementSpace::Site& site = space_.needs[std::size_t(stand.need)].sites[std::size_t(stand.site)];
        bool any = false;
        for (std::size_t s = 0; s < stand.choices.size(); ++s)
            any = any || (stands ? site.choices[s][std::size_t(stand.choices[s])].stands
                                 : site.choices[s][std::size_t(stand.choices[s])].wishes) > 0;
        if (any)
            out.push_back({stand.need});
    }
    for (const ResolvedWish& wish : space_.wishes->joint()) {
        if (wish.rule || wish.stands != stands || brokenBy(wish, standing).empty())
            continue;
        std::vector<NeedIndex>& needs = out.emplace_back();
        for (const WishedSignal& signal : wish.signals)
            if (std::find(needs.begin(), needs.end(), signal.need) == needs.end())
                needs.push_back(signal.need);
    }
    return out;
}

} // namespace bindrel
