// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/bindings.h"

#include <map>

namespace bindrel {

/// A complete way to bind one need, with its cost.
struct Candidate {
    Binding binding;
    long cost = 0;
};

/// What other needs have taken already: each resource with the ways in which it is used.
class Taken {
public:
    void add(const Use& use, int need);
    /// The need whose use clashes with this one; -1 when none does.
    int clash(const Use& use) const;
    bool clashes(const std::vector<Use>& uses) const;

private:
    std::map<Resource, std::vector<std::pair<Use, int>>> uses_;
};

Taken takenBy(const Device& device, const Plan& plan, int exceptNeed);
void take(Taken& taken, const Device& device, const Need& need, const Binding& binding, int index);

/// How often each pad could be used by instances that open needs may want; searches spare such pads.
std::vector<int> padDemand(const Device& device, const Plan& plan, const Bindings& bindings);

/// The cheapest complete bindings of a need that use nothing taken, cheapest first, at most `most`.
/// Cost: signals that move from where they are, a costlier instance than needed, debug pads, pads that others could use,
/// and the distance along the package's edge between the pads.
std::vector<Candidate> candidatesFor(const Device& device, const Board& board, const Plan& plan, const Need& need,
                                     const Taken& taken, const std::vector<int>& demand, std::size_t most);

/// Why a pad is not for a signal on this board, although the chip could connect it; empty when it is fine.
std::string boardObjection(const Device& device, const Board& board, int pad, int route);

} // namespace bindrel
