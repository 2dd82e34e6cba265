// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"
#include "core/tables/table_fact.h"

#include <optional>
#include <string>

namespace bindrel {

/// Which value of the chip a row of a data sheet's table may give.
struct FactProposal {
    std::optional<TableFact> fact; ///< empty: nothing fits
    std::string reason;
    double confidence = 0;
};

/// Proposes the value that a symbol with the words beside it means ("fSYS", "System clock frequency"), or the operating
/// range that a condition names. Clocks, ranges and modes are known by their ids and names; what none of them is named
/// in, and is not the trade's word for a supply, a temperature or a pad's speed, stays open.
FactProposal proposeFact(const Device& device, const std::string& name, const std::string& about);

} // namespace bindrel
