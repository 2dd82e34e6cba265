// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"
#include "core/plan/plan.h"

#include <string>

namespace bindrel {

/// An output that another need's interrupts toggle.
struct ToggledOutput {
    NeedIndex need = -1; ///< that has the output; -1: nothing is to be toggled, or it cannot be
    std::string trouble; ///< why it cannot; empty when it can or nothing is asked for
};

/// By the goal "toggles" of a need.
ToggledOutput toggledBy(const Device& device, const Plan& plan, NeedIndex need);

} // namespace bindrel
