// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/bindings.h"

#include <map>

namespace bindrel {

/// What other needs have taken already: each resource with the ways in which it is used.
class Taken {
public:
    void add(const Use& use, NeedIndex need);
    /// The need whose use clashes with this one; -1 when none does.
    int clash(const Use& use) const;

private:
    std::map<Resource, std::vector<std::pair<Use, int>>> uses_;
};

Taken takenBy(const Device& device, const Plan& plan, int exceptNeed);
void take(Taken& taken, const Device& device, const Need& need, const Binding& binding, int index);

/// How often each pad could be used by instances that open needs may want, beside those that are `placed` now; searches
/// spare such pads.
std::vector<int> padDemand(const Device& device, const Plan& plan, const Bindings& bindings,
                           const std::vector<NeedIndex>& placed);

/// Why a pad is not for a signal on this board, although the chip could connect it; empty when it is fine. `net` is
/// what the need says of the signal, empty when it names none: then a pad that is routed is only for a need that is
/// soldered to it (KindSpec::solderedToItsPads).
std::string boardObjection(const Device& device, const Board& board, PadIndex pad, RouteIndex route, const Need& need,
                           std::string_view net);
/// The net that a need names for a signal; empty when it names none.
std::string netOf(const Need& need, std::string_view signal);

} // namespace bindrel
