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

/// Checks beyond what the loader refuses; docs/formats/device.md lists them all, with what each means.
std::vector<LintRemark> lint(const Device& device);

} // namespace bindrel
