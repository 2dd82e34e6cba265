// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/findings/finding.h"

#include <string>
#include <vector>

namespace bindrel {

/// Registers as the initialisation and all start functions leave them, for people with drivers of their own.

/// One register as its cells say it.
struct RegisterRow {
    std::string name;                  ///< "UART1.CTL"
    std::string address, reset, value; ///< "0x4D007500"
    std::string fields;                ///< those that the plan decides: "BITS=3 ON=1"

    std::vector<std::string> cells() const { return {name, address, reset, value, fields}; }
};

const std::vector<std::string>& registerHeadings();
/// In the order of addresses.
std::vector<RegisterRow> registerRows(const Facts& facts);

std::string registerSheetCsv(const Facts& facts);
std::string registerSheetJson(const Facts& facts);
/// A header of C with three constants for each: address, value, and the mask of the bits that the plan decides. It
/// needs nothing else and declares nothing.
std::string registerSheetHeader(const Facts& facts);

} // namespace bindrel
