// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/board.h"
#include "core/device/device.h"
#include "core/plan/kind.h"
#include "core/plan/plan.h"

#include <string>
#include <vector>

namespace bindrel {

/// Where one signal of a need sits.
struct Seat {
    SignalSpec signal;
    int pad = -1;
    int route = -1;         ///< into Device::routes; -1 for a port's bit, or when the pad cannot carry the signal
    int channel = 0;        ///< number that stands for # in the signal's pattern; 0 when it has none
    std::string impossible; ///< why the pad cannot carry the signal; empty when it can
};

/// How a need stands.
struct BoundNeed {
    enum class State { Open, Bound, Contested };
    State state = State::Open;
    int instance = -1;
    std::vector<Seat> seats; ///< in the order of the kind's signals; pad -1 where none is chosen
};

/// A thing that exists once.
struct Resource {
    enum class Kind { Pad, Instance, Line };
    Kind kind = Kind::Pad;
    int index = -1; ///< pad, instance, or number of the external-interrupt line
    auto operator<=>(const Resource&) const = default;
};

struct Claim {
    int need = -1;
    int seat = -1; ///< -1 for the claim on the instance
};

/// A resource that more than one need, or one need twice, wants.
struct Contest {
    Resource resource;
    std::vector<Claim> claims;
};

/// Who sits on which pad, and what is contested. Indices of needs are those of the plan.
struct Bindings {
    std::vector<BoundNeed> needs;
    std::vector<Contest> contests;
    std::vector<std::vector<Claim>> padClaims; ///< by pad

    int count(BoundNeed::State state) const;
};

Bindings bind(const Device& device, const Plan& plan);

/// "PD3", "UART3", "interrupt line 4".
std::string nameOf(const Device& device, const Resource& resource);

/// Whether an instance's signal fits a pattern ("CH#N"); the channel is the number that # stands for, 0 without one.
struct PatternMatch {
    bool fits = false;
    int channel = 0;
};
PatternMatch matchSignal(std::string_view pattern, std::string_view signal);

/// The route by which `pad` carries `signal` on `instance`, -1 when there is none.
int findRoute(const Device& device, int instance, const SignalSpec& signal, int pad, int* channel = nullptr);

} // namespace bindrel
