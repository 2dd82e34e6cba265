// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/counting.h"
#include "core/pins/placement.h"
#include "core/pins/placement_space.h"
#include "core/pins/placement_statements.h"

#include <array>
#include <map>
#include <optional>

namespace bindrel {

/// A placement as statements for the solver: who sits on which instance and pad, who excludes whom, and what that
/// costs.
class PlacementModel : public Statements, private Watcher {
public:
    struct PlacementScope {
        std::vector<NeedIndex> place; ///< must get a place
        std::vector<NeedIndex> move;  ///< stay or get another place
        std::vector<NeedIndex> stay;  ///< keep what they have
        bool clearStays =
            false; ///< those that could move must not stay in contention with each other or with those that stay
        bool choosable = false; ///< who takes part is decided by assumptions: see takesPart()
    };
    PlacementModel(const PlacementSpace& space, const PlacementScope& who);
    PlacementModel(const PlacementModel&) = delete;
    PlacementModel& operator=(const PlacementModel&) = delete;

    /// Where one need stands.
    struct NeedPlacement {
        NeedIndex need = -1;
        int site = -1;             ///< -1: it stays
        std::vector<int> choices;  ///< by signal, into the site's
        std::vector<int> channels; ///< of the DMA requests
        friend bool operator==(const NeedPlacement&, const NeedPlacement&) = default;
    };
    using Assignment = std::vector<NeedPlacement>; ///< of all that are placed or may move

    /// When counting alone has shown that not all can have a place: who is too many, most of whom could be spared. Else
    /// empty.
    const std::vector<NeedIndex>& tooMany() const { return tooMany_; }
    /// Counting alone rules all ways out: there is nothing to search, and not all of the model is made.
    bool isImpossible() const { return impossible_; }
    Literal takesPart(NeedIndex need) const { return participants_[std::size_t(of_[std::size_t(need)])].takesPart; }
    /// That a part uses a side; does not exist where it cannot.
    Literal partOn(int part, std::size_t side) const { return partOn_[std::size_t(part)][side]; }
    /// In how many contests a literal of stays() is.
    int contestsOf(Literal literal) const
    {
        const auto known = contests_.find(literal);
        return known == contests_.end() ? 0 : known->second;
    }
    const std::vector<NeedIndex>& movers() const { return movers_; }
    Literal stays(NeedIndex need) const { return participants_[std::size_t(of_[std::size_t(need)])].stays; }

    /// Looks for a way in which the assumptions hold. `Unknown` when it takes more than the effort.
    Solver::Answer solve(std::span<const Literal> assumptions, long effort,
                         Solver::Manner manner = Solver::Manner::Guided);
    /// After Yes: the way that was found.
    const Assignment& way() const { return way_; }
    PlacementCost costOf(const Assignment& way) const;
    /// For each wish that a way breaks, stated or not, the needs of those signals that it speaks of.
    std::vector<std::vector<NeedIndex>> unwished(const Assignment& way, bool stands) const;
    Binding bindingOf(const NeedPlacement& stand) const;
    /// Literals that say where a need stands.
    std::vector<Literal> saying(const NeedPlacement& stand) const;
    /// Rules out (if `gate` holds) that everybody stands where they do now, on the same instances and pads.
    void exclude(const Assignment& way);

    /// What a level of the cost counts; made when it is first asked for.
    struct Sum {
        std::vector<Solver::Term> terms;
        long base = 0;
    };
    const Sum& sumOf(PlacementLevel level);
    /// Whether a level has too many terms to be reasoned about.
    bool isHuge(PlacementLevel level) const;
    const PlacementSpace& space() const { return space_; }

private:
    /// A signal of an instance that several needs could use, one at a time. Where it lies is said once for all of them.
    struct Outlet {
        struct User {
            int participant, site, signal;
            Literal use;
        };
        int list, channel; ///< see PlacementSpace::ways()
        Literal used;
        std::vector<std::pair<int, Literal>> seats; ///< way, and that it is this one
        std::array<Literal, 4> onSide;              ///< made when first asked for
        std::vector<User> users;
    };
    struct SiteLiterals {
        Literal site;
        std::vector<std::vector<Sitting>> choices;                  ///< by signal
        std::vector<std::vector<std::pair<int, Literal>>> channels; ///< by DMA request
    };
    struct Participant {
        NeedIndex need = -1;
        bool placed = false, mayStay = false;
        Literal takesPart, stays;
        std::vector<SiteLiterals> sites;
    };
    /// Takers of a resource that get along have the same key: those who say the same, and the signals of one need. On a
    /// pad and on a DMA channel not even these.
    using Key = std::pair<int, int>;
    static Key keyOf(const PlacementSpace::Taking& taking, NeedIndex need)
    {
        return taking.as != 0 ? Key(0, taking.as) : Key(1, need);
    }
    /// The same where only one need uses the instance; whose signal it is need not be known then.
    static Key keyAt(const PlacementSpace::Taking& taking, InstanceIndex instance)
    {
        return taking.as != 0 ? Key(0, taking.as) : Key(1, -2 - int(instance));
    }
    /// What takes a resource. Those that stay are told apart: they need not get along with each other.
    struct Taker {
        int resource;
        bool stays;
        Key key;
        Literal literal;
        friend auto operator<=>(const Taker&, const Taker&) = default;
    };

    /// What a choice of the solver is about: where a need stands, or where one of its signals sits there.
    struct Guide {
        int participant = -1; ///< -1: a DMA channel, or where an outlet lies
        int site = -1;        ///< -1: which site
        int signal = -1;
        int outlet = -1;
    };

    bool possible(const Solver& solver, std::vector<Literal>& why) override;
    Literal pick(const Solver& solver, int choice) override;
    Literal pickSite(const Solver& state, int choice, const Participant& p) const;
    Literal pickSeat(const Solver& state, int choice, const Participant& p, const Guide& guide) const;
    /// Sides that its part uses already, a bit each.
    unsigned sidesOfPart(const Solver& state, const Participant& p) const;
    /// Sides on which all signals can still sit.
    unsigned commonSides(const Solver& state, const Participant& p, std::size_t site) const;
    std::vector<std::size_t> countContests() const;
    void participate(NeedIndex need, bool placed, bool mayStay);
    void addNeed(Participant& p);
    void addSite(Participant& p, std::size_t site);
    void agreeWithin(const Participant& p, std::size_t site);
    void findLists();
    std::vector<Sitting> addAlone(Participant& p, std::size_t site, std::size_t signal);
    std::vector<Sitting> addShared(Participant& p, std::size_t site, std::size_t signal);
    int outletFor(const PlacementSpace::Choice& choice, InstanceIndex instance, int list);
    void finishOutlets();
    void choose(std::vector<Literal> ways, Literal when, Guide guide);
    void exclusions();
    struct Alike;
    void countThings();
    Counting::Taker takerFor(const Participant& p) const;
    void countSignals(const Participant& p, Counting& pads, Counting& channels, Counting& lines) const;
    void countUnit(const Participant& p, Counting& units, std::map<int, Alike>& alike) const;
    /// How a plan says by which routes: signals of the instance by name, where the pads alone do not mean them. Nothing
    /// when it cannot be said.
    std::optional<std::map<std::size_t, std::string>> spelling(const NeedPlacement& stand) const;
    /// The routes that a plan means by the pads, given some names; empty when none agree.
    std::vector<int> routesImpliedByPads(const NeedPlacement& stand,
                                         const std::map<std::size_t, std::string>& names) const;
    const std::string& signalOf(const PlacementSpace::Choice& choice) const;
    int movesOf(const NeedPlacement& stand) const; ///< signals that move
    bool fitsBesideOthers(const NeedPlacement& stand) const;
    void read();
    void addSides();
    void constrainUserSides();
    bool canBePlacedOnItsOwn(const Participant& p) const;
    Sum countMoved();
    Sum countPads();
    Literal onSide(Outlet& outlet, std::size_t side);
    PadIndex padOf(const Outlet& outlet, int way) const { return space_.ways(outlet.list)[std::size_t(way)].pad; }
    Literal leavesPad(const Participant& p, std::size_t signal);
    Sum countSides(const std::vector<std::array<Literal, 4>>& on);
    Sum countScarce();
    /// Several signals that matter together for a wish; `soft` gets what is broken, where it may be.
    struct WishSeats;
    void addWish(const ResolvedWish& wish, std::vector<Solver::Term>* soft);
    void addOrder(const WishSeats& seats, std::vector<Solver::Term>* soft);
    void addHome(const WishSeats& seats, std::vector<Solver::Term>* soft);
    void addAway(const WishSeats& seats, std::vector<Solver::Term>* soft);
    void addNeighbours(const WishSeats& seats, std::vector<Solver::Term>* soft);
    void addSequence(const WishSeats& seats, std::vector<Solver::Term>* soft);
    struct SeatChain;
    SeatChain chainOf(const WishSeats& seats, int group, int side, bool boundOnly);
    void addWishRules();
    Sum countWishes(bool standing); ///< those that somebody stated, or those that follow from where parts stand
    std::vector<BrokenAt> brokenBy(const ResolvedWish& wish, const std::vector<const NeedPlacement*>& standing) const;
    int wishesBroken(const std::vector<const NeedPlacement*>& standing, bool stands) const;
    Sum countChoices(int PlacementSpace::Choice::*what);
    struct Sitters;
    Sitters whoMaySit();
    using Own = std::map<PadIndex, Literal>; ///< of a part: its pads, and that it has them
    void addBetween();
    template <typename At> std::map<int, Literal> placeByPlace(const Own& own, At from, At to);
    void addInside(PadIndex pad, Literal outside, Literal outsideToo, const Own& own,
                   const std::map<PadIndex, std::vector<Literal>>& ofPart, const Sitters& sitters);
    /// Neighbours in the row of a part that are the wrong way round on a side, for the better of its two ends first.
    void addRows(std::vector<Solver::Term>& out);
    /// Every pad that a need may sit on, with what says so; also where it stays.
    template <typename Visit> void eachSeat(const Participant& p, Visit visit) const
    {
        if (p.mayStay)
            for (const PadIndex pad : space_.needs[std::size_t(p.need)].padsNow)
                visit(pad, Sitting{p.stays, p.stays});
        for (std::size_t i = 0; i < p.sites.size(); ++i) {
            const auto& choices = space_.needs[std::size_t(p.need)].sites[i].choices;
            for (std::size_t s = 0; s < choices.size(); ++s)
                for (std::size_t c = 0; c < choices[s].size(); ++c)
                    visit(choices[s][c].pad, p.sites[i].choices[s][c]);
        }
    }
    PadIndex padNow(NeedIndex need, std::size_t signal) const;

    const PlacementSpace& space_;
    PlacementScope who_;
    std::vector<Participant> participants_;
    std::vector<int> of_; ///< by need: its participant, -1
    std::vector<NeedIndex> movers_;
    std::vector<Taker> takers_;
    std::map<Literal, int> contests_;
    std::vector<Counting> counting_;
    std::vector<NeedIndex> tooMany_;
    bool impossible_ = false;
    std::vector<Guide> guides_; ///< by choice of the solver
    std::vector<char> exclusive_,
        shared_; ///< by instance: only one need at a time; by list of ways: several needs could use it, one at a time
    std::vector<Outlet> outlets_;
    std::map<std::pair<int, int>, int> outletOf_; ///< by list and channel
    std::map<std::pair<int, int>, std::vector<Literal>>
        ofGroup_; ///< by instance that only one need uses, and group of routes
    std::map<std::pair<NeedIndex, std::size_t>, Literal> leaves_; ///< by need and signal
    std::vector<std::array<Literal, 4>> partOn_,
        needOn_; ///< by part, by need: whether it uses a side; `truth` where it does for certain
    struct Between {
        std::vector<Solver::Term> crossings, spread;
    };
    std::optional<Between> between_;
    std::map<PlacementLevel, Sum> sums_;
    Assignment way_;
};

} // namespace bindrel
