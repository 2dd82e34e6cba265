// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/edit.h"
#include "core/plan/need_line.h"

namespace bindrel {

/// Adds a need that a line states. Where the line names pads, the need is bound with its signals on them, in their own
/// order or, where a pad cannot carry that, in another. Fails when no order can be.
Expected<Edit> addStated(const StatedNeed& stated, const Plan& plan, const Device& device, const Board& board);
/// The same for a need that was made of the line and changed since: its kind and goals are read from itself.
Expected<Edit> addOnPads(const Need& need, const std::vector<std::string>& pads, const Plan& plan, const Device& device,
                         const Board& board);

} // namespace bindrel
