// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/can/can_timing.h"
#include "core/kinds/kind.h"

namespace bindrel {

/// ISO 11898-1: the best split of the bit, and what it tolerates.
/// The most that the block's fields hold.
CanFields canFields(const TuningContext& context);
/// The bit timing for the need's goals; empty when there is none.
std::optional<CanTiming> canTiming(const TuningContext& context);
Accuracy canAccuracy(const TuningContext& context);
Setting solveCan(const TuningContext& context);
void declareCan(Writer& header, size_t need);
void defineCan(Writer& source, size_t need);

} // namespace bindrel
