// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/bindings.h"
#include "core/pins/placement_wishes.h"
#include "core/pins/swaps.h"

#include <deque>
#include <map>
#include <memory>
#include <tuple>

namespace bindrel {

/// What a placement chooses from, made once for a plan: for every need the instances that could serve it, for each
/// signal the routes, and everything that these take as small numbers.
class PlacementSpace {
public:
    struct Taking {
        int resource = 0;
        int as = 0; ///< 0: nobody else may; else those who say the same may
    };
    /// Where a signal of an instance can lie, whoever uses it.
    struct SignalPath {
        PadIndex pad;
        RouteIndex route;
        int channel;
        std::vector<Taking> takes; ///< all but the pad
    };
    struct Choice {
        PadIndex pad;
        RouteIndex route;
        int channel = 0;
        const std::vector<Taking>* takes = nullptr; ///< all but the pad
        int way = 0;                                ///< into ways()
        bool moves = false;                         ///< the signal sits on another pad now, or there by another channel
        int scarce = 0, debug = 0, unfit = 0, wishes = 0, stands = 0; ///< see PlacementCost
    };
    /// A need on one instance.
    struct Site {
        InstanceIndex instance = -1;
        std::vector<Taking> takes;
        int scarce = 0;
        bool moves = false;                       ///< the need has another instance now
        std::vector<std::vector<Choice>> choices; ///< by signal
        std::vector<int> list;                    ///< by signal: number for ways()
    };
    struct Entry {
        std::vector<SignalSpec> signals;
        std::vector<std::string> requests;
        std::vector<Site> sites; ///< what it has now first, then the plainest
        int part = -1;           ///< -1: the firmware's own
        std::vector<int>
            places; ///< by signal: its terminal's place in the row of a part whose terminals stand in one; -1; see Rows
        bool wasBound = false;         ///< moving it counts; so it does of a need that has only some of its pads
        std::vector<Taking> now;       ///< what it takes as the plan has it, pads among them
        std::vector<PadIndex> padsNow; ///< by signal of the kind; those without a pad are left out
    };

    /// `placed`: needs that are to be placed whole. Other open ones that have some pads can move with those only, and
    /// what they could still want is spared. `strictRules`: see PlacementRequest.
    PlacementSpace(const Device& device, const Board& board, const Plan& plan, const std::vector<NeedIndex>& placed,
                   bool strictRules = false);
    PlacementSpace(const PlacementSpace&) = delete;
    PlacementSpace& operator=(const PlacementSpace&) = delete;

    const Device& device;
    const Plan& plan;
    const bool strictRules;
    const std::vector<SwapRun> swaps; ///< whose terminals follow from the pads
    std::vector<Entry> needs;
    std::unique_ptr<const PlacementWishes> wishes; ///< null: none is stated
    std::vector<int> sideOfPad, positionOfPad;     ///< position -1: on no pin
    std::vector<int> alongOfPad;                   ///< where on its side a pad is; of a ball its row or column
    int resources = 0, parts = 0;
    /// How many channels an instance has for signals like these, whatever their pads.
    std::size_t channelsOf(InstanceIndex instance, const std::vector<SignalSpec>& signals) const;
    Resource::Kind kindOf(int resource) const { return kinds_[std::size_t(resource)]; }
    int resourceOfPad(PadIndex pad) const { return pad; }
    /// Lists of ways: one for each instance and pattern of signal, the same for all needs.
    const std::vector<SignalPath>& ways(int list) const { return lists_[std::size_t(list)]; }
    std::size_t lists() const { return lists_.size(); }
    int resourceOfDma(int channel) const { return int(device.pads.size()) + channel; }

private:
    Taking number(const Use& use);
    int listOf(InstanceIndex instance, const SignalSpec& signal);
    void addSites(Entry& entry, const Need& need, const BoundNeed& bound, const Board& board,
                  const std::vector<int>& demand);
    struct Wire;
    std::vector<Wire> wiresOf(const Entry& entry, const Need& need, const BoundNeed& bound, const Board& board) const;
    Site siteFor(const Entry& entry, const Need& need, const BoundNeed& bound, const std::vector<Wire>& wires,
                 InstanceIndex instance, const Board& board, const std::vector<int>& demand);

    std::map<Resource, int> numbers_; ///< pads first, then DMA channels, then whatever is met
    std::vector<Resource::Kind> kinds_;
    std::map<std::string, int> ways_;
    std::vector<char> isRouted_;             ///< by pad: the board has a net there
    std::vector<std::vector<int>> routesOf_; ///< by instance, in the order of pads
    std::map<std::tuple<int, std::string, bool, bool>, int> listNumbers_;
    std::deque<std::vector<SignalPath>> lists_; ///< places stand, since choices point into them
};

} // namespace bindrel
