// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/snapshot.h"

#include <filesystem>
#include <string>
#include <vector>

namespace bindrel {

/// A column of the pin sheet. Those that name a property of pins (core/plan/pin_property.h) can be edited where a need
/// has the pad; the net, and the resistor that pulls it, can be edited of every pad.
struct SheetColumn {
    const char* id;       ///< "pull"; key in files
    const char* title;    ///< "Pull"
    const char* property; ///< that it shows, empty for columns that only tell
};
const std::vector<SheetColumn>& sheetColumns();

/// A pin of the package with everything that is known of it, as texts in the order of the columns.
struct SheetRow {
    PinIndex pin = -1; ///< into Package::pins
    PadIndex pad = -1; ///< -1 for supply, ground and dedicated pins
    std::vector<std::string> cells;
    /// Whose signal the pad carries; -1 when none does, or several do.
    NeedIndex need = -1;
    std::string signal;
    bool contested = false;
};
std::vector<SheetRow> pinSheet(const Snapshot& snapshot);

/// The change that writes a text into a cell; an empty text takes back what was said. Fails with what would be right.
Expected<Change> cellChange(const Snapshot& snapshot, const SheetRow& row, const std::string& column,
                            const std::string& text);

/// Comma-separated values (RFC 4180) with a line of titles. Texts that a spreadsheet would take for a formula get a
/// leading apostrophe.
std::string pinSheetCsv(const std::vector<SheetRow>& rows);
/// A workbook with one sheet, its titles frozen and filters set.
Outcome writePinSheetXlsx(const std::vector<SheetRow>& rows, const std::string& title,
                          const std::filesystem::path& path);

} // namespace bindrel
