// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/board.h"
#include "core/device/device.h"
#include "core/plan/plan.h"

#include <string>
#include <vector>

namespace bindrel {

/// A plan as far as another device can take it by name. Nothing is placed: what has no pad or instance of its name
/// there is simply not bound.
struct Transplant {
    Plan plan;                     ///< on that device
    std::vector<std::string> lost; ///< decisions that it cannot take, as sentences
    /// A need that nothing on the device could serve.
    struct UnplaceableNeed {
        NeedIndex need = -1;
        std::string what;     ///< "Moss bus (CAN)"
        bool crystal = false; ///< it is an oscillator that is missing
    };
    std::vector<UnplaceableNeed> homeless;
};

/// "nothing on it could serve Moss bus (CAN) and Service port (USB device)".
std::string whyHomeless(const std::vector<Transplant::UnplaceableNeed>& homeless);

/// Clock settings stay where the device has the clock and can take the setting. Needs that name a clock of the old
/// device (crystals) go to the one of that name, else to an oscillator whose range takes their rate. What the plan says
/// of nets speaks of the old device's pads and does not come along.
Transplant transplant(const Device& device, const Board& board, const Plan& plan);

} // namespace bindrel
