// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/kind.h"
#include "core/source/writer.h"
#include "core/tuning/accuracy.h"

namespace bindrel {

/// Everything about a kind of need, in one value: what each stage asks of it. A stage owns its part of this (KindSpec,
/// TuningFacet, SourceFacet) and looks it up by the kind's id; no stage knows a kind. A kind is a folder here and a
/// line in all.cpp.
struct Kind {
    KindSpec spec;      ///< goals, signals, sharing, roles of the block
    TuningFacet tuning; ///< numbers, accuracy, how its pads are set up
    SourceFacet source; ///< C beyond bring-up, start and stop
};

} // namespace bindrel
