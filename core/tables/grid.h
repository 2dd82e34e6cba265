// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// A table as rows of cells, whatever it was pasted or read from.
struct Grid {
    struct Row {
        int line = 0; ///< of the text, or of the sheet, from 1
        std::vector<std::string> cells;
        std::vector<int> at; ///< where each cell begins in its line; only where blanks separate
    };
    std::vector<Row> rows;
    bool byPosition = false; ///< cells belong to the heading above them by position, not by number
};

/// Tabs, semicolons, bars (with or without an outer frame, and a rule below the heading), commas, or two and more
/// blanks, whichever most lines have; quotes, also around line feeds, as in RFC 4180. Fails beyond a million cells or a
/// thousand columns.
Expected<Grid> readGrid(const std::string& text, const std::string& name);

/// The first sheet of a workbook (ECMA-376, .xlsx), or the one that is named; merged cells say the same in each of
/// their places. Formulas count by the value that was saved with them; links to elsewhere are not followed. Fails where
/// the file is none or grows beyond 64 MiB.
Expected<Grid> readWorkbook(const std::string& bytes, const std::string& name, const std::string& sheet = {});

/// By what the bytes are.
Expected<Grid> readTable(const std::string& bytes, const std::string& name);

} // namespace bindrel
