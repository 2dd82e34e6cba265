// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/rates.h"
#include "core/tuning/pads.h"

#include <string>
#include <vector>

namespace bindrel {

/// What the chip takes from its supply while all needs run, roughly: sums of the data sheet's typical figures, as far
/// as the device's file gives them.
struct SupplyCurrent {
    struct Row {
        enum class What { Core, Clock, Instance, Pad } what = What::Clock;
        int index = -1; ///< into the device's cores, clocks, instances or pads
        Current current;
        std::string formula; ///< "150 MHz × 104 µA/MHz"
    };
    std::vector<Row> rows; ///< the largest first; none of zero
    Current total;
};

/// Clocks that run: a fixed part, and one for each megahertz of those that something uses, less in a range of lower
/// voltage. What moves with a clock comes from the core's voltage, at the regulator's share; fixed parts come from the
/// supply. Instances with needs at the clock that times them. Outputs: C V f at the load that the file takes.
SupplyCurrent supplyCurrent(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                            const std::vector<PadSetup>& pads);

} // namespace bindrel
