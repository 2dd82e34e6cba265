// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tables/columns.h"
#include "core/tables/table_marks.h"

#include <functional>

namespace bindrel {

/// More would not be read by anybody.
inline constexpr std::size_t kMostTableRemarks = 200;

/// A row of a data sheet's table, with the cells that ran on in the rows below it.
struct TableRow {
    int line = 0;
    std::vector<std::string> cells; ///< as many as there are columns; pieces that ran on are parted by line feeds
};

/// An empty cell, or a dash as data sheets have for "does not apply".
bool isNothing(std::string_view text);
/// The names in a cell, parted by strokes, commas, semicolons and line feeds.
std::vector<std::string> namesIn(const std::string& cell);

/// The rows below the headings. Repeated headings, headings of groups and footnotes are left out, the second with a
/// remark; a row that has none of the cells that begin one (`isKey`) goes on in the one above.
std::vector<TableRow> joinedRows(const Grid& grid, const Columns& columns,
                                 const std::function<bool(Column::What)>& isKey, const std::string& name,
                                 std::vector<Problem>& remarks);

} // namespace bindrel
