// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/placement.h"
#include "core/plan/edit.h"

namespace bindrel {

/// A part of the library as it could be added to a plan, and where it would stand best.
struct PartOffer {
    Part part;   ///< as it would be called in the plan
    Edit stated; ///< adds the part and its needs, not bound
    Edit bound;  ///< the same, and binds them; equal to `stated` when there is no room
    bool fits = false;
    PlacementCost cost;             ///< `moved` counts needs that make room
    std::vector<std::string> where; ///< a line a need: "Uplink: UART2, tx PB3, rx PB4"; then who makes room
    std::string why;                ///< it does not fit
};

/// Ids and titles that the plan has already get a number. Nothing that is bound moves unless there is no other way.
/// Fails when the part asks for what no kind of need has.
Expected<PartOffer> offerPart(const Device& device, const Board& board, const Plan& plan, const Part& part,
                              const std::function<bool()>& cancelled = {});

} // namespace bindrel
