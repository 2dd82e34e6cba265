// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"
#include "core/makers/chip_table.h"

namespace bindrel {

/// A name of a table and what it is taken for.
struct TableName {
    std::string name; ///< as the columns file says it: "TIMER1_CH1N" for "CH1N" behind "TIMER1_CH1"
    int line = 0;
    std::string meaning;      ///< "UART0.TX out", "limit of CPU", "ignored"; empty: nothing fits
    bool known = false;       ///< the columns say it; otherwise it is proposed
    double confidence = 0;    ///< of a proposal
    std::string reason;       ///< why it is proposed, or why nothing is
    std::string alternatives; ///< what it could be as well: "SPI1.SCK, SPI2.SCK"
    bool isCondition = false; ///< of a table of values: stands for an operating range
};

/// How a table of a data sheet is understood with these columns, for a person to confirm.
struct TableLook {
    ChipTable table;
    std::vector<TableName> names;
};
Expected<TableLook> lookAtTable(const Grid& grid, const Columns& columns, const Device& device,
                                const std::string& table, const std::string& package);

/// The columns with a name's meaning as the columns file has it; fails where that is none.
Expected<Columns> withMeaning(Columns columns, const std::string& name, const std::string& meaning);

/// The text of the file beside the table: with the names that are proposed with at least this confidence, the others as
/// comments to fill in. What a person wrote there before stays as it is; what is new comes behind it.
std::string columnsFileText(const TableLook& look, const Columns& columns, const std::string& before,
                            const std::string& table, double least);

/// The text of that file with what the columns say now: lines of a column or a name are rewritten where they say
/// something else and commented out where nothing is said any more; all other lines stay; what is new comes at the end.
std::string columnsTextOver(const std::string& before, const Columns& columns, const std::string& table);

} // namespace bindrel
