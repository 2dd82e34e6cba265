// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/kind.h"

namespace bindrel {

/// ISO 11898-1: the best split of the bit, and what it tolerates.
Accuracy canAccuracy(const TuningContext& context);

} // namespace bindrel
