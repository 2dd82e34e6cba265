// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/device.h"

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// What can be decided about a clock: "on"/"off" for a source, the ids of a select's inputs, factors as numbers.
/// Empty for a clock without a choice.
std::vector<std::string> clockChoices(const Device& device, int node);

/// Checks a text that was typed or read for a clock's setting; gives it in its one spelling ("/3", "÷3" and "3" are 3).
Expected<std::string> checkClockSetting(const Device& device, int node, std::string_view text);

} // namespace bindrel
