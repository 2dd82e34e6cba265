// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/placement.h"

#include <array>
#include <bitset>
#include <map>

namespace bindrel {

/// The space of a placement, made once for a plan: for every need the instances that could serve it, for each signal the
/// routes, and everything that these take as small numbers, so that a step of the search costs next to nothing.
class PlacementSpace {
public:
    static constexpr std::size_t kMaxPads = 1024;
    using Pads = std::bitset<kMaxPads>;

    struct Taking {
        int resource = 0;
        int as = 0; ///< 0: nobody else may; else those who say the same may
    };
    struct Choice {
        int pad = -1, route = -1, channel = 0;
        std::vector<Taking> takes; ///< all but the pad
        bool moves = false;        ///< the signal sits on another pad now
        int scarce = 0, debug = 0;
    };
    /// A need on one instance.
    struct Site {
        int instance = -1;
        std::vector<Taking> takes;
        int scarce = 0;
        bool moves = false; ///< the need has another instance now
        std::vector<std::vector<Choice>> choices; ///< by signal
        std::vector<Pads> pads;                   ///< by signal
    };
    struct Entry {
        std::vector<SignalSpec> signals;
        std::vector<std::string> requests;
        std::vector<Site> sites;
        int part = -1;    ///< -1: the firmware's own
        bool wasBound = false; ///< moving it counts; so it does of a need that has only some of its pads
        std::vector<Taking> now; ///< what it takes as the plan has it, pads among them
        std::vector<int> padsNow;
    };

    /// Needs that are open but have some pads are placed with those only, unless they are among `whole`.
    PlacementSpace(const Device& device, const Board& board, const Plan& plan, const std::vector<int>& whole);

    const Device& device;
    const Plan& plan;
    std::vector<Entry> needs;
    std::vector<int> sideOfPad, positionOfPad;
    std::vector<int> alongOfPad; ///< where on its side a pad is; of a ball its row or column
    int resources = 0, parts = 0;
    int takingOfPad(int pad) const { return pad; } ///< pads are the first resources
    int takingOfDma(int channel) const { return dma_[std::size_t(channel)]; }

private:
    Taking number(const Use& use);
    void addSites(Entry& entry, const Need& need, const Board& board, const std::vector<int>& demand);
    Site siteFor(const Entry& entry, const Need& need, int instance, const Board& board, const std::vector<int>& demand);

    std::map<Resource, int> numbers_;
    std::map<std::string, int> ways_;
    std::vector<int> dma_;
};

/// Depth-first search for the cheapest ways to place some needs among others that stay. The need with the least freedom is
/// placed next; when a later one has none left, the search jumps back to the decision that took it.
class Placer {
public:
    Placer(const PlacementSpace& space, long maxSteps, const std::function<bool()>& cancelled) : space_(space), maxSteps_(maxSteps), cancelled_(cancelled) {}

    struct Chosen {
        int site = -1;
        std::vector<const PlacementSpace::Choice*> choices;
        std::vector<int> channels; ///< of the DMA requests
    };
    struct Found {
        std::vector<Binding> bindings; ///< in the order of `vars`
        PlacementCost cost;
        std::vector<Chosen> chosen;
    };
    struct Answer {
        std::vector<Found> found; ///< best first
        bool exhausted = false;   ///< the whole space was seen, or no better can be
        bool feasibleUnknown() const { return found.empty() && !exhausted; }
    };
    /// Bounds the searches that follow.
    void limit(long maxSteps) { maxSteps_ = maxSteps; }
    /// `stay`: needs that keep what they have. With count 0 it only tells whether there is a way. Once a way is found, only a
    /// part of the steps goes into looking for better ones.
    /// `polish`: looks further for fewer sides where the search could not see everything.
    Answer solve(const std::vector<int>& vars, const std::vector<int>& stay, std::size_t count, bool polish = false);
    bool wasCancelled() const { return stopped_; }
    void cancel() { stopped_ = true; }

private:
    using Taking = PlacementSpace::Taking;
    using Choice = PlacementSpace::Choice;
    using Site = PlacementSpace::Site;

    void prepare();
    /// Makes the best way better where the search could not see everything: a part's needs, or those of two parts, are placed anew among the
    /// others, as long as that helps.
    void improve();
    void placeAnew(const std::vector<bool>& some, long steps);
    /// Puts a variable where it was found, and says what that costs.
    void pin(std::size_t var, const Chosen& chosen, PlacementCost& cost);
    /// What a signal on a pad adds to the cost, beyond sides and crossings.
    void charge(std::size_t var, std::size_t signal, const PlacementSpace::Choice& choice, PlacementCost& cost) const;
    void descend(PlacementCost cost);
    void placeSignal(std::size_t var, std::size_t signal, PlacementCost cost);
    void finish(std::size_t var, std::size_t request, PlacementCost cost);
    bool feasible(std::size_t var) const;
    int freedom(std::size_t var) const;
    bool enoughPads() const;
    /// Whether there are instances enough for needs that cannot share one: needs of another rate, and more channels than one has.
    bool enoughInstances() const;
    bool clashes(const PlacementSpace::Taking& taking) const { return count_[std::size_t(taking.resource)] > 0 && (taking.as == 0 || as_[std::size_t(taking.resource)] != taking.as); }
    bool clashes(const std::vector<PlacementSpace::Taking>& takings) const;
    void add(const PlacementSpace::Taking& taking, int by);
    void add(const std::vector<PlacementSpace::Taking>& takings, int by);
    void addPad(std::size_t var, int pad, int by);
    void sit(int part, int pad);
    void rise(int part, int pad);
    /// Crossings that a pad adds to those that are there; see PlacementCost.
    int crossingsOf(int part, int pad) const;
    bool agreesWithChosen(std::size_t var, std::size_t signal, const PlacementSpace::Choice& choice) const;
    bool takesFirstRoutes(std::size_t var) const;
    bool hopeless(const PlacementCost& cost) const;
    void boundFromBelow();
    bool stop();
    void record(const PlacementCost& cost);

    const PlacementSpace& space_;
    long maxSteps_;
    const std::function<bool()>& cancelled_;
    std::vector<int> vars_;
    std::vector<Chosen> chosen_;
    std::vector<bool> placed_;
    std::vector<int> count_, as_;
    PlacementSpace::Pads free_;
    std::vector<std::array<int, 4>> sides_;
    std::vector<std::vector<int>> padsOfPart_;
    /// From the first to the last pad of a part on a side; empty while low is above high.
    struct Reach {
        int low = 1, high = 0;
        bool empty() const { return low > high; }
    };
    std::vector<std::array<Reach, 4>> reach_;                      ///< by part
    std::vector<Reach> before_;                                    ///< what reaches were, to be taken back in turn
    std::array<std::vector<std::pair<int, int>>, 4> onSide_;       ///< along, part: of all pads in use
    /// How often a variable was left without room: those are placed earlier after each restart.
    std::vector<long> weights_;
    long restartAfter_ = 0; ///< steps of a run that has found nothing; steps at which the run began
    long runBegan_ = 0;
    bool restart_ = false;
    long runLimit_ = 0;       ///< steps at which placing some anew ends; 0: it is not that
    std::vector<int> stay_;
    std::vector<unsigned> allowed_; ///< sides that a part may use, a bit each
    std::vector<PlacementCost> least_; ///< what each variable costs at least, by itself
    PlacementCost rest_;               ///< of all that are not placed yet
    std::vector<Found> found_;
    std::size_t wanted_ = 1;
    long steps_ = 0, stepsAtFirst_ = 0; ///< needs that were begun
    long tries_ = 0, triesAtFirst_ = 0; ///< signals that were begun: within one need alone there can be millions
    int deadEnd_ = -1; ///< variable that has nowhere to go, while the search goes back to what took it
    bool stopped_ = false, complete_ = true, onlyWhether_ = false;
};

} // namespace bindrel
