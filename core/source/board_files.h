// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

#include <vector>

namespace bindrel {

/// The widths, in bits, of what the chip reads at once; 32 always among them. There is a wait function for each.
std::vector<int> widthsOf(const Device& device);

} // namespace bindrel
