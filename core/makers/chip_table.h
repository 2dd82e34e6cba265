// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/makers/makers_file.h"
#include "core/tables/columns.h"

namespace bindrel {

/// What could be read of a table.
struct ChipTable {
    MakersFile file;
    int rows = 0; ///< that said something
    /// Names of signals as the table writes them, with the first line of each; also "TIMER1_CH1N" where the table has
    /// "TIMER1_CH1/CH1N".
    std::map<std::string, int, std::less<>> names;
    /// For a short name of such a pair the long one: "CH1N" -> "TIMER1_CH1N".
    std::map<std::string, std::string, std::less<>> longNames;
    bool numbers = false; ///< of interrupts or DMA requests: names are of instances or requests, not of pads
    bool values = false;  ///< of values or wait states: names are of quantities and operating ranges
    /// Of such a table: what its rows and conditions are called, with the words beside the symbol.
    struct Quantity {
        int line = 0;
        std::string about;
    };
    std::map<std::string, Quantity, std::less<>> quantities;
};

/// Reads a table of pins and functions, of signals, of interrupts, of DMA requests or of values (value_table.h) as its
/// columns say: sections "package", "pads", "instances". A name that the columns do not give a signal is not read, with
/// a remark; so is each row that says nothing. Cells that run on in the next row, repeated headings, headings of groups
/// and marks of footnotes are understood. `package` chooses among several columns of pins; empty: the first.
Expected<ChipTable> readChipTable(const Grid& grid, const Columns& columns, const std::string& name,
                                  const std::string& package);

} // namespace bindrel
