// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/bind_all.h"
#include "core/pins/placement.h"
#include "core/plan/edit.h"

namespace bindrel {

/// A pad (with the instance that reaches it) that could carry a signal, and what taking it would cost.
struct Option {
    enum class Cost {
        Current,    ///< it is there now
        Free,       ///< nothing else changes
        Moves,      ///< the need's other signals must move to another instance
        Room,       ///< other needs must make room, and can
        Contends,   ///< another need has the pad or the instance: taking it makes contention
        Impossible, ///< held, or routed to something else on the board
    };
    PadIndex pad = -1;
    InstanceIndex instance = -1; ///< -1 for a port's bit
    RouteIndex route = -1;
    int channel = 0; ///< of the instance, where the signal is one of several alike
    Cost cost = Cost::Free;
    std::string reason; ///< in words: "free", "UART1 moves here from …", "taken by Lid switch"
    bool taken = false; ///< another need has the pad or the instance, whatever it would cost to take it
    int others = 0;     ///< with Cost::Room: how many other needs move
    int wishes = 0;     ///< of the board's layout that the pad would break
};

/// Every pad that the chip can connect to the signal, in the order cheapest first, those that keep
/// what the board's layout asks for before others, then by pad name. What a rule forbids is impossible.
std::vector<Option> optionsFor(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                               NeedIndex need, std::string_view signal);

/// The edit that puts one signal on an option's pad. When the option lies on another instance the need moves there as a
/// whole: signals that have no free pad there are left open.
Edit takeOption(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings, NeedIndex need,
                std::string_view signal, const Option& option);

/// What it takes to put a signal on an option's pad without contention: which needs move where.
struct Room {
    Edit edit; ///< takes the option and moves the others, in one step
    PlacementCost cost;
    std::vector<std::string> moves;  ///< "Lid switch: pin PC6 → PB3"; the signal's own need first, then the others
    std::vector<std::string> others; ///< titles of the other needs that move
    bool proven = false;             ///< no way moves fewer
};
/// Moves the fewest needs out of the way. Fails with what stands in the way when that cannot be done.
Expected<Room> makeRoom(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                        NeedIndex need, std::string_view signal, const Option& option,
                        const std::function<bool()>& cancelled = {});
/// Says of an option that contends what making room would take: its cost becomes that of moves, or impossible, its
/// reason the chain of moves in short.
void priceOption(Option& option, const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                 NeedIndex need, std::string_view signal, const std::function<bool()>& cancelled = {});

/// An instance that could serve a need as a whole, with its signals placed anew where they must.
struct InstanceOption {
    InstanceIndex instance = -1;
    Option::Cost cost = Option::Cost::Free; ///< Current, Free, Room or Impossible
    std::string reason;                     ///< "free", "Gate encoder moves", "its pads are taken by …"
    Edit edit;                              ///< takes it; empty when it is impossible or taken already
};
/// Every instance of the kind that the need asks for, in the order of the device; none for a need that takes no
/// instance.
std::vector<InstanceOption> instanceOptions(const Device& device, const Board& board, const Plan& plan, NeedIndex need,
                                            const std::function<bool()>& cancelled = {});

/// The best way to bind one need completely without touching any other: free instance, free pads, near together,
/// sparing pads that other open needs could use. What the need has already is kept where it can be. Fails with what is
/// in the way when there is none.
Expected<Edit> bindNeed(const Device& device, const Board& board, const Plan& plan, std::string_view need);

} // namespace bindrel
