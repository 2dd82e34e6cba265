// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/options.h"

#include <functional>
#include <memory>
#include <vector>

namespace bindrel {

/// Something that would let a plan stand whose contention has no way out as it is. Each was tried by placing.
struct RelaxationOption {
    enum class Kind {
        LetGo,       ///< drop a hold
        LeaveOut,    ///< take one need off its pads
        OtherDevice, ///< another package of the chip, or another chip
    };
    Kind kind = Kind::LetGo;
    std::string text; ///< "release Uplink: 2 needs move"
    Edit edit;
};

/// What would free contention that nothing can untangle, the smallest change first. `others` are devices that the plan
/// could go to; `filed` is the board as its file says. Long: a placement for each thing that is tried.
std::vector<RelaxationOption> relaxationOptions(const Device& device, const Board& board, const Board& filed,
                                                const Plan& plan,
                                                const std::vector<std::shared_ptr<const Device>>& others,
                                                const std::function<bool()>& cancelled = {});

} // namespace bindrel
