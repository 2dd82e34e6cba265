// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"

#include <string>
#include <vector>

namespace bindrel {

/// Something about a device that loads but cannot be meant so.
struct LintRemark {
    std::string check; ///< "overlapping-fields"
    std::string text;
};

/// Checks beyond what the loader refuses: overlapping fields and registers, reset bits outside fields, addresses used
/// twice, pads on no pin, a port's bit on two pads, reset claims without a connection, signals that no pin reaches,
/// interrupts numbered twice, codes and control fields used twice.
std::vector<LintRemark> lint(const Device& device);

} // namespace bindrel
