// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

namespace bindrel {

/// The setting that a clock's control comes out of reset with: a factor in 1/unit, or the place among inputs or rates;
/// empty when its code means none.
std::optional<std::int64_t> resetSettingOf(const Device& device, const ClockNode& node);

/// Lets a field come out of reset with another code than the file says, and what follows: how clocks stand, the
/// operating range, whether a watchdog runs. What a code means nothing for stays as it was; the lint tells of it.
void resetTo(Device& device, const FieldRef& ref, std::uint32_t code);

} // namespace bindrel
