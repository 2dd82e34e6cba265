// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/layers.h"

#include <string>
#include <vector>

namespace bindrel {

/// What two editions of a chip's files say differently.
struct DescriptionDifference {
    enum class Kind { Gone, New, Changed } kind = Kind::Changed;
    std::string pointer;
    std::string before, after; ///< shortened; empty where there is nothing
};

/// In the order of the older, then what only the newer has. What is gone or new is told at its top.
std::vector<DescriptionDifference> compareDescriptions(const PlacedJson& older, const PlacedJson& newer);

} // namespace bindrel
