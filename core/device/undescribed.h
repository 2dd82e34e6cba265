// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/json/placed_json.h"

#include <string>
#include <vector>

namespace bindrel {

/// Puts a stand-in where a device's files say nothing, so that what they do say can be read and used: a clock that does
/// not run, an operating range without limits, instances at no address. Gives the names of what is missing, as people
/// say them ("clocks", "memory"); nothing that depends on those is computed or written.
std::vector<std::string> standIn(PlacedJson& device);

/// Id of the clock that stands where none is described.
inline constexpr const char* kUnknownClock = "UNKNOWN";

} // namespace bindrel
