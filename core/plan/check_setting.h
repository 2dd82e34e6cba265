// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/device.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// What can be decided about a clock: "on"/"off" for a source, the ids of a select's inputs, factors as numbers.
/// Empty for a clock without a choice.
std::vector<std::string> clockChoices(const Device& device, ClockIndex node);

/// Checks a text that was typed or read for a clock's setting and returns its canonical spelling: "/3", "÷3" and "3"
/// all give "3".
Expected<std::string> checkClockSetting(const Device& device, ClockIndex node, std::string_view text);

/// What a plan says about a source: "8 MHz, trimmed, monitored", "on", "off".
struct SourceDecision {
    std::optional<int> rate; ///< into ClockNode::rates
    bool on = false;
    bool off = false;
    bool trimmed = false;
    bool monitored = false;
};
/// Words that mean nothing for the node are a problem that names what would be right.
Expected<SourceDecision> readSourceDecision(const ClockNode& node, std::string_view text);

/// "40", "40.5", "40+1024/8192" as a setting in 1/unit; nothing when it is no permitted factor.
std::optional<std::int64_t> readFactor(const ClockNode& node, std::string_view text);
/// The same back: "40", "40.5", or "40+1/3000" where decimals would not be exact.
std::string factorText(const ClockNode& node, std::int64_t setting);

} // namespace bindrel
