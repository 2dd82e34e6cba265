// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/device/board.h"
#include "core/device/device.h"
#include "core/pins/routes.h"
#include "core/plan/plan.h"

#include <string>
#include <vector>

namespace bindrel {

/// Where one signal of a need sits.
struct Seat {
    SignalSpec signal;
    PadIndex pad = -1;
    RouteIndex route = -1;  ///< into Device::routes; -1 for a port's bit, or when the pad cannot carry the signal
    int channel = 0;        ///< number that stands for # in the signal's pattern; 0 when it has none
    std::string impossible; ///< why the pad cannot carry the signal; empty when it can
};

/// A DMA request of a need and the channel that serves it.
struct Stream {
    std::string request; ///< "RX"
    int channel = -1;    ///< -1: none is chosen
    std::string impossible;
};

/// How a need stands.
struct BoundNeed {
    enum class State { Open, Bound, Contested };
    State state = State::Open;
    InstanceIndex instance = -1;
    bool shared = false;         ///< other needs use the instance too, in the same way (one time base, one converter)
    std::vector<Seat> seats;     ///< in the order of the kind's signals; pad -1 where none is chosen
    std::vector<Stream> streams; ///< in the order of the kind's requests
};

/// A thing that exists once.
struct Resource {
    enum class Kind {
        Pad,
        Instance,
        Unit,      ///< is in one mode at a time; the index is that of its first instance
        Line,      ///< external-interrupt line
        Setting,   ///< a multiplexer's field, which holds one code; index into Device::muxFields
        Channel,   ///< instance x 256 + number of the channel, of a timer or converter
        Exclusive, ///< index into Device::exclusives
        Dma,       ///< channel of the DMA controller
    };
    Kind kind = Kind::Pad;
    int index = -1;
    auto operator<=>(const Resource&) const = default;
};

struct Claim {
    NeedIndex need = -1;
    int seat = -1; ///< -1 for the claim of the need as a whole
};

/// What a need does with a resource. Two uses clash unless both say the same, non-empty, `as`.
struct Use {
    Resource resource;
    std::string as; ///< the code that a field must hold, the mode of a unit, the time base of a timer
    int seat = -1;

    bool clashes(const Use& other) const { return resource == other.resource && (as.empty() || as != other.as); }
};

/// A resource that more than one need, or one need twice, wants.
struct Contest {
    Resource resource;
    std::vector<Claim> claims;
    std::vector<std::string> as; ///< of each claim
};

/// Who sits on which pad, and what is contested. Indices of needs are those of the plan.
struct Bindings {
    IndexVector<NeedIndex, BoundNeed> needs;
    std::vector<Contest> contests;
    IndexVector<PadIndex, std::vector<Claim>> padClaims; ///< by pad

    int count(BoundNeed::State state) const;
};

Bindings bind(const Device& device, const Plan& plan);

/// One need by itself: its seats, and of several routes to a pad those that agree with each other.
BoundNeed seatNeed(const Device& device, const Need& need);

/// Everything that a need takes where it stands: its instance, and for each seat the pad, line, mux settings and so on.
std::vector<Use> usesOf(const Device& device, const Need& need, const BoundNeed& bound);
/// The part of it that the instance alone causes, and one seat alone.
void useInstance(std::vector<Use>& out, const Device& device, const Need& need, InstanceIndex instance);
void useSeat(std::vector<Use>& out, const Device& device, int seat, const SignalSpec& signal, PadIndex pad,
             RouteIndex route, int channel);

/// "PD3", "UART3", "interrupt line 4".
std::string nameOf(const Device& device, const Resource& resource);

} // namespace bindrel
