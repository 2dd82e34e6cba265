// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/table_rows.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

bool isNothing(std::string_view text)
{
    return text.empty() || text == "-" || text == "\u2013" || text == "\u2014" || text == "\u2212" || text == "--" ||
           text == "n/a" || text == "N/A";
}

std::vector<std::string> namesIn(const std::string& cell)
{
    std::vector<std::string> out;
    std::string name;
    int depth = 0;
    const auto end = [&] {
        const std::string one(trimmed(name));
        if (!isNothing(one))
            out.push_back(one);
        name.clear();
    };
    for (const char c : cell) {
        depth += c == '(' || c == '[' ? 1 : c == ')' || c == ']' ? -1 : 0;
        if ((c == '/' || c == ',' || c == ';' || c == '\n') && depth <= 0)
            end();
        else
            name += c;
    }
    end();
    return out;
}

std::vector<TableRow> joinedRows(const Grid& grid, const Columns& columns,
                                 const std::function<bool(Column::What)>& isKey, const std::string& name,
                                 std::vector<Problem>& remarks)
{
    std::vector<TableRow> out;
    for (std::size_t r = columns.body; r < grid.rows.size(); ++r) {
        TableRow row{grid.rows[r].line, cellsUnder(columns, grid, grid.rows[r])};
        std::size_t filled = 0, same = 0, keys = 0;
        for (std::size_t c = 0; c < row.cells.size(); ++c) {
            const bool some = !isNothing(row.cells[c]);
            filled += some;
            const std::string& heading = columns.columns[c].heading;
            same += some && (row.cells[c] == heading || heading.starts_with(row.cells[c] + " ") ||
                             heading.ends_with(" " + row.cells[c]));
            keys += some && isKey(columns.columns[c].what);
        }
        if (filled == 0 || same * 2 > filled)
            continue;
        const std::string& first =
            *std::find_if(row.cells.begin(), row.cells.end(), [](const auto& cell) { return !isNothing(cell); });
        // "Port A", "(1) Only on …", "Table 7 (continued)"
        const bool words = filled == 1 && first.find(' ') != std::string::npos;
        const bool note =
            first.starts_with('(') || lowered(first).starts_with("note") || lowered(first).starts_with("table ");
        if (note || (words && keys <= 1 && !(keys == 0 && !out.empty()))) {
            if (!note && remarks.size() < kMostTableRemarks)
                remarks.push_back(problemInFile(
                    name, row.line, say("\"{}\" is passed over as a heading.", printable(first.substr(0, 60)))));
            continue;
        }
        if (keys == 0 && !out.empty()) {
            for (std::size_t c = 0; c < row.cells.size(); ++c) {
                if (isNothing(row.cells[c]))
                    continue;
                std::string& cell = out.back().cells[c];
                const bool within = !cell.empty() && (cell.back() == '_' || cell.back() == '.' || cell.back() == '/' ||
                                                      row.cells[c].front() == '_' || row.cells[c].front() == '/');
                cell += (cell.empty() || isNothing(cell) || within ? "" : "\n") + row.cells[c];
            }
            continue;
        }
        out.push_back(std::move(row));
    }
    return out;
}

} // namespace bindrel
