// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/bindings.h"

#include <array>
#include <functional>
#include <map>
#include <optional>

namespace bindrel {

/// What a placement is judged by, what weighs most first.
enum class PlacementLevel { Moved, Pads, Unfit, Wishes, Stands, Sides, Splits, Crossings, Scarce, Debug, Spread };
inline constexpr std::size_t kPlacementLevels = 11;

/// What a placement costs, the first difference deciding.
struct PlacementCost {
    int moved = 0;     ///< needs of which something was bound that stands elsewhere
    int pads = 0;      ///< signals that leave their pad
    int unfit = 0;     ///< signals on pads that do not bear their voltage, carry their load or reach their rate
    int wishes = 0;    ///< times that what the person who lays out the board wishes is not kept
    int stands = 0;    ///< signals that do not lie as the parts stand: away from theirs, or across another's tracks
    int sides = 0;     ///< sides of the package that parts use beyond one each
    int splits = 0;    ///< sides that needs use beyond one each: a bus with its clock here and its data there
    int crossings = 0; ///< pads that lie between the pads of another part on its side, and neighbours of a row the
                       ///< wrong way round: each makes wires cross. Of a run that may be swapped any signal may be
                       ///< the neighbour; once its terminals are dealt out there may be fewer
    int scarce = 0;    ///< pads that needs left open could use, weak pads that drive, instances richer than asked for
    int debug = 0;     ///< pads that the chip uses for its debug port after reset
    int spread = 0;    ///< places between the first and the last pad of a part on a side that are not its own
    int at(PlacementLevel level) const;
    friend auto operator<=>(const PlacementCost&, const PlacementCost&) = default;
};

/// How good a level of a way is known to be, given those that weigh more.
struct PlacementProof {
    /// Level by level: the least that it can be at all. Empty where that is not known.
    std::array<std::optional<int>, kPlacementLevels> least;
    /// Whether nothing can be better up to and with this level.
    bool provenTo(PlacementLevel level, const PlacementCost& cost) const;
    bool proven(const PlacementCost& cost) const { return provenTo(PlacementLevel::Spread, cost); }
};

struct Placement {
    std::vector<std::pair<NeedIndex, Binding>> bindings; ///< by need; only what differs from the plan
    /// By need: where its signals lead at the part, for needs whose terminals are swapped.
    std::vector<std::pair<NeedIndex, std::map<std::string, std::string, std::less<>>>> terminals;
    PlacementCost cost;
    PlacementProof proof;
    std::vector<std::string> notKept; ///< wishes that this placement breaks; improved() is called before they are known
};

/// The plan as it is once a placement is taken.
Plan withPlacement(Plan plan, const Placement& way);

struct PlacementRequest {
    std::vector<NeedIndex> needs; ///< that must be placed: what they have now is a preference, not a fact
    bool mayMove = false;         ///< whether bound needs that nobody holds may move, as few as possible
    std::size_t count = 1;        ///< best ways wanted
    bool ranked = true;           ///< else the first ways that are found do, in any order
    /// Counted steps (each some ten nanoseconds) for the whole search; beyond them the best so far is given. Very large
    /// plans get more, in proportion.
    long effort = 12'000'000;
    std::function<bool()> cancelled; ///< asked now and then; may be empty
    bool leaveContests =
        false; ///< with mayMove: contention among the others is not to be cleared, only room to be made
    /// Rules among the board's wishes bind signals that get a pad or another one; with this those too that keep theirs.
    bool strictRules = false;
    std::function<void(const Placement&)>
        improved; ///< told of each way that is better than the one before; may be empty
};

struct PlacementResult {
    std::vector<Placement> ways; ///< best first
    bool proven = false;         ///< no way moves less than the first; or, without ways, there is none
    bool cancelled = false;
    /// Without ways: needs that cannot stand together, so that leaving out any one of them makes room for the others.
    std::vector<NeedIndex> culprits;
    /// More such sets that share no need with these or with each other: each stays a reason when the others are gone.
    std::vector<std::vector<NeedIndex>> moreCulprits;
    /// Without ways: rules for the layout without all of which there would be one, as few as say it. Empty where
    /// the reason is another.
    std::vector<std::string> rules;
    /// Whether the culprits were made as few as they can be; else some of them may be spared.
    bool minimal = false;
};

/// Finds where needs can stand: instance, pads, DMA channels. Hard rules are those of contention; what the board has
/// routed and what is held is left alone. Deterministic. A first way is made better level by level, while a bound from
/// below rises; see docs/decisions/0018. When several ways are asked for and needs may move, they differ in who moves
/// as long as that costs at most one move more.
PlacementResult place(const Device& device, const Board& board, const Plan& plan, const PlacementRequest& request);

} // namespace bindrel
