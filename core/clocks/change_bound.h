// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/trial.h"

#include <vector>

namespace bindrel {

/// How many clocks in use must get another rate at the least while the first of a path's clocks are decided. Each clock
/// not decided yet may come from anything and be set to anything by itself, whatever the others do, so the number is
/// never too high; where the possible rates are too many to list, it is taken to keep its own.
class ChangeBound {
public:
    explicit ChangeBound(const ClockTrial& now);

    /// Counts clocks that are not on the path, and those of the path after `decided`, but no targets.
    int atLeast(const ClockTrial& trial, const std::vector<bool>& onPath, const std::vector<int>& targetOf,
                int decided);

private:
    struct Rates {
        std::vector<double> values;
        bool any = false;
    };
    const ClockTrial& now_;
    std::vector<double> nowRates_;
    std::vector<Rates> rates_;
};

} // namespace bindrel
