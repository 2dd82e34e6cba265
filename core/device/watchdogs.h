// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

namespace bindrel {

/// Whether the chip's reset starts a watchdog: always, or by a setting in non-volatile memory.
bool runsFromReset(const Device& device, InstanceIndex watchdog);

/// Watchdogs that the chip's reset starts, each with what feeds it: somebody must from then on.
std::vector<FieldCode> runningWatchdogs(const Device& device);

} // namespace bindrel
