// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/snapshot.h"
#include "core/tables/grid.h"

#include <map>
#include <string>
#include <vector>

namespace bindrel {

/// Which net each pad is on, as a schematic program or a spreadsheet tells it.
struct NetTable {
    struct Entry {
        std::string pad;
        std::string net;
        int line = 0; ///< of the text, from 1
    };
    std::vector<Entry> entries;     ///< in the order of the text
    std::vector<std::string> notes; ///< lines that say nothing of a pad, and why, each with its line number
    /// Crystals with a rate and a tolerance in the netlist, by the clock that they drive.
    std::map<std::string, CrystalFact> crystals;
    std::map<std::string, NetResistors> resistors; ///< by pad: those that the netlist shows
    /// What the chip is wired to, by the schematic's designators: connectors, other chips. Its terminals are the pins
    /// on nets of the chip.
    std::vector<Part> parts;
    bool complete = false; ///< a schematic's: a pad that it does not have has no net
};

/// Reads lines of pin and net, between commas, semicolons, tabs or blanks; quotes as in RFC 4180. A pin is a number of
/// the package ("17", "C4") or a pad's name. A first line with titles says which columns they are ("Pin", "Net", in any
/// order, among others); without one they are the first two. Pins of supply and ground are passed over. Fails when a
/// line cannot be understood, or a pad has two nets; nothing is read half.
Expected<NetTable> readNetTable(const std::string& text, const Device& device);

/// Which columns of a table say the pin (or pad) and the net; rows before `body` are headings.
struct NetColumns {
    int pinColumn = -1, netColumn = -1;
    std::size_t body = 0;

    bool operator==(const NetColumns&) const = default;
};
/// A table as rows of cells: text with any separator, or the first sheet of a workbook. Rows without a cell, and
/// comments (#), are left out.
Expected<Grid> netGrid(const std::string& bytes);
/// The first row whose cell in this column names a pin or a pad of the device; the number of rows when none does.
std::size_t firstPinRow(const Grid& grid, int column, const Device& device);
/// By the headings; where these do not say it, by what stands below: the column that names the most pins or pads of the
/// device, and beside it the one with the most texts that can be nets. A part that is not found is -1.
NetColumns recogniseNetColumns(const Grid& grid, const Device& device);
/// The nets that the rows give. What a row does not say, or says in a way that cannot be, is not read and in the notes
/// with its line.
NetTable readNetRows(const Grid& grid, const NetColumns& columns, const Device& device);
/// The same as lines for the file beside a table (core/tables/columns.h), and back.
std::string netColumnsText(const Grid& grid, const NetColumns& columns, const std::string& table);
Expected<NetColumns> readNetColumns(const std::string& text, const std::string& name, const Grid& grid,
                                    const std::string& table);

/// The edit that makes the plan's nets those of the table: what the board's file says already is not said again, and
/// nets that the table does not have stay, unless it is complete.
Edit editOfNets(const Snapshot& snapshot, const NetTable& table);

} // namespace bindrel
