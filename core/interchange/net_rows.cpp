// SPDX-License-Identifier: GPL-3.0-or-later
// Tables of nets whose columns a person can reassign.
#include "core/base/say.h"
#include "core/base/table_cells.h"
#include "core/base/text.h"
#include "core/interchange/net_table.h"
#include "core/plan/pin_property.h"
#include "core/tables/columns.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

using PinsByName = std::map<std::string, const PackagePin*, std::less<>>;

PinsByName pinsByName(const Device& device)
{
    PinsByName out;
    for (const PackagePin& pin : device.package.pins) {
        out.emplace(uppered(pin.number), &pin);
        if (pin.kind == PackagePin::Kind::Pad)
            out.emplace(uppered(pin.name), &pin);
    }
    return out;
}

std::string cellAt(const Grid::Row& row, int column)
{
    return column >= 0 && std::size_t(column) < row.cells.size() ? row.cells[std::size_t(column)] : std::string();
}

} // namespace

Expected<Grid> netGrid(const std::string& bytes)
{
    constexpr std::size_t kMostBytes = 4'000'000;
    if (bytes.starts_with("PK\x03\x04"))
        return readWorkbook(bytes, say("the workbook"));
    if (bytes.size() > kMostBytes)
        return problemOf(say("the table is longer than 4 MB; that is no table of one chip's nets."));
    if (!isUtf8(bytes))
        return problemOf(say("the table is not UTF-8 text; export it as such."));
    Grid out;
    for (const auto& [number, line] : tableLines(bytes)) {
        if (!isPrintable(joined(splitted(line, '\t'), " ")))
            return problemOf(say(
                "line {}: \"{}\" has a character that cannot be seen or changes the direction of writing; take it out.",
                number, printable(line.substr(0, 60))));
        out.rows.push_back({number, cellsOf(line, separatorOf(line)), {}});
    }
    return out;
}

std::size_t firstPinRow(const Grid& grid, int column, const Device& device)
{
    const PinsByName pins = pinsByName(device);
    std::size_t row = 0;
    while (row < grid.rows.size() && !pins.contains(uppered(cellAt(grid.rows[row], column))))
        ++row;
    return row;
}

NetColumns recogniseNetColumns(const Grid& grid, const Device& device)
{
    NetColumns out;
    std::size_t width = 0;
    for (const Grid::Row& row : grid.rows)
        width = std::max(width, row.cells.size());
    if (!grid.rows.empty()) {
        const std::vector<std::string>& head = grid.rows.front().cells;
        out.pinColumn = columnOf(head, {"pin", "ball", "pad", "number", "pin number"});
        const int named = columnOf(head, {"net", "net name"});
        out.netColumn = named >= 0 ? named : columnOf(head, {"signal"});
        if (out.pinColumn >= 0 && out.netColumn >= 0) {
            out.body = 1;
            return out;
        }
    }
    // No heading says it: the cells do.
    const PinsByName pins = pinsByName(device);
    std::vector<std::size_t> pinsIn(width, 0), textsIn(width, 0);
    for (const Grid::Row& row : grid.rows)
        for (std::size_t c = 0; c < row.cells.size(); ++c) {
            const bool pin = pins.contains(uppered(row.cells[c]));
            pinsIn[c] += pin;
            textsIn[c] += !pin && !row.cells[c].empty() && checkPinProperty("net", row.cells[c]);
        }
    out.pinColumn = out.netColumn = -1;
    for (std::size_t c = 0; c < width; ++c)
        if (pinsIn[c] > 0 && (out.pinColumn < 0 || pinsIn[c] > pinsIn[std::size_t(out.pinColumn)]))
            out.pinColumn = int(c);
    for (std::size_t c = 0; c < width; ++c)
        if (int(c) != out.pinColumn && textsIn[c] > 0 &&
            (out.netColumn < 0 || textsIn[c] > textsIn[std::size_t(out.netColumn)]))
            out.netColumn = int(c);
    // Headings are the rows before the first pin.
    if (out.pinColumn >= 0)
        out.body = firstPinRow(grid, out.pinColumn, device);
    return out;
}

NetTable readNetRows(const Grid& grid, const NetColumns& columns, const Device& device)
{
    NetTable out;
    if (columns.pinColumn < 0 || columns.netColumn < 0)
        return out;
    const PinsByName pins = pinsByName(device);
    std::map<std::string, std::pair<std::string, int>> known;
    std::set<std::string> twofold;
    for (std::size_t r = columns.body; r < grid.rows.size(); ++r) {
        const int line = grid.rows[r].line;
        const std::string pin = cellAt(grid.rows[r], columns.pinColumn), net = cellAt(grid.rows[r], columns.netColumn);
        const auto note = [&](std::string text) { out.notes.push_back(say("line {}: {}", line, text)); };
        const auto found = pins.find(uppered(pin));
        if (found == pins.end()) {
            if (!pin.empty() || !net.empty())
                note(say("\"{}\" is neither a pin of {} nor a pad of {}", printable(pin.substr(0, 40)),
                         device.package.name, device.name));
            continue;
        }
        const std::string& pad = found->second->name;
        if (found->second->pad < 0) {
            note(say("pin {} is {}", found->second->number, pad));
            continue;
        }
        if (net.empty()) {
            note(pad + say(" has no net"));
            continue;
        }
        if (const Expected<std::string> checked = checkPinProperty("net", net); !checked) {
            note(checked.problem().message);
            continue;
        }
        const auto [at, fresh] = known.emplace(pad, std::pair(net, line));
        if (!fresh && at->second.first != net) {
            note(say("{} is on {} here and on {} in line {}; neither is taken", pad, net, at->second.first,
                     at->second.second));
            twofold.insert(pad);
        } else if (fresh) {
            out.entries.push_back({pad, net, line});
        }
    }
    std::erase_if(out.entries, [&](const NetTable::Entry& entry) { return twofold.contains(entry.pad); });
    return out;
}

std::string netColumnsText(const Grid& grid, const NetColumns& columns, const std::string& table)
{
    Columns out;
    const Grid::Row none;
    const Grid::Row& head = columns.body > 0 ? grid.rows[columns.body - 1] : none;
    for (std::size_t c = 0; c < head.cells.size(); ++c) {
        Column column;
        column.heading = head.cells[c];
        column.what = int(c) == columns.pinColumn   ? Column::What::Pin
                      : int(c) == columns.netColumn ? Column::What::Net
                                                    : Column::What::Ignored;
        out.columns.push_back(std::move(column));
    }
    return columnsText(out, table);
}

Expected<NetColumns> readNetColumns(const std::string& text, const std::string& name, const Grid& grid,
                                    const std::string& table)
{
    const Expected<Columns> said = readColumns(text, name, grid, table);
    if (!said)
        return said.problem();
    NetColumns out;
    out.body = said->body;
    for (std::size_t c = 0; c < said->columns.size(); ++c) {
        const Column::What what = said->columns[c].what;
        if (what == Column::What::Net)
            out.netColumn = int(c);
        else if (what == Column::What::Pin || what == Column::What::Pad)
            out.pinColumn = int(c);
    }
    if (out.pinColumn < 0 || out.netColumn < 0)
        return problemInFile(name, 0, say("names no column of pins, or none of nets."));
    return out;
}

} // namespace bindrel
