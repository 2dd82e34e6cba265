// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/plan.h"

namespace bindrel {

/// The plan with other decisions about its clocks.
inline Plan withClockSet(Plan plan, const ClockSet& set)
{
    plan.range = set.range;
    plan.clocks = set.clocks;
    return plan;
}

} // namespace bindrel
