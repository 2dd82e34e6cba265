// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

#include <string>
#include <vector>

namespace bindrel {

/// How far an instance is described, each level including those before it.
enum class CoverageLevel {
    Named,    ///< it is there; nothing is known of what it does
    Known,    ///< its kind is known, but no way to its pads
    Placed,   ///< a need can be placed on it
    Computed, ///< goals become register values
    Written,  ///< C is written for it and rehearsed
};
const char* nameOf(CoverageLevel level); ///< "cannot be used", "kind known", "can be placed", …

struct InstanceCoverage {
    InstanceIndex instance;
    std::string kind; ///< empty: not known
    CoverageLevel level = CoverageLevel::Named;
    std::string next; ///< what the next level lacks; empty at the last
};

/// Each instance, in the order of the device.
std::vector<InstanceCoverage> coverageOf(const Device& device);

} // namespace bindrel
