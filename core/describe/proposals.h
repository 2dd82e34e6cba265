// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

#include <string>
#include <vector>

namespace bindrel {

/// What a block or a field seems to mean, for a person to take or leave. It is better to propose nothing than something
/// wrong.
struct Proposal {
    std::string block; ///< that it is about
    std::string fact;  ///< as a line of facts: "role serial baud = RATE.DIV: code minus one"
    std::string reason;
    double confidence = 0; ///< from 0 to 1
};

/// Below this nothing is shown unless it is asked for.
inline constexpr double kLeastConfidence = 0.7;

/// Kinds of blocks that have none, fields for roles that are not named yet, gates and resets of instances that have
/// none; by block, in the order of the device.
std::vector<Proposal> proposalsFor(const Device& device);

} // namespace bindrel
