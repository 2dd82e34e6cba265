// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/device/device.h"
#include "core/plan/plan.h"

namespace bindrel {

/// Whom a need's instance can be opened to: cores and worlds that some fence of the chip admits, then "nobody". Empty:
/// the chip has no fences.
std::vector<std::string> openToChoices(const Device& device);
/// The message says what would be right; empty text is right always.
Expected<std::string> checkOpenTo(const Device& device, const std::string& name);

/// The code that a fence is to hold for the needs on its instance: as after reset where that suffices and nothing is
/// stated, else the one that admits the fewest. Empty: none admits all who must.
std::optional<std::uint32_t> fenceCode(const Device& device, const Fence& fence, const std::vector<const Need*>& needs);

} // namespace bindrel
