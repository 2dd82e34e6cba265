// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tables/grid.h"
#include "core/tables/table_fact.h"

#include <map>
#include <optional>

namespace bindrel {

/// What a column of a data sheet's table says.
struct Column {
    enum class What {
        Ignored,
        Pin,         ///< number or ball on a package
        Pad,         ///< name of the pad or of the power pin
        Type,        ///< supply, ground, input and output
        Code,        ///< signals selected by one code of the pad's function field
        Functions,   ///< signals with their codes: "7: UART1_TX"
        Fixed,       ///< signals that need no code
        Signal,      ///< of a table by signals: one signal a row
        Pads,        ///< where that can be, with codes: "PA2 (7), PB6 (7)"
        CodeOf,      ///< the code for all pads of its row
        Number,      ///< of an interrupt or a DMA request
        Name,        ///< whose interrupt that is
        Source,      ///< who makes that request
        Quantity,    ///< of a table of values: symbol or words of what the row gives
        Least,       ///< its lowest value
        Typical,     ///< its typical value
        Most,        ///< its highest value
        Unit,        ///< of the row's values
        Range,       ///< operating range, or another condition, in which the row holds
        Wait,        ///< number of wait states
        Fastest,     ///< fastest clock with the row's wait states, in an operating range
        FastestWith, ///< fastest clock with this number of wait states, in the row's operating range
        Net,         ///< of a board: the net of the row's pin or pad
    };
    std::string heading;
    What what = What::Ignored;
    std::string package; ///< of Pin; empty: the table has one
    int code = -1;       ///< of Code; of FastestWith the number of wait states
    std::string why;     ///< what it was recognised by
    std::string range{}; ///< of Fastest: an id, or a name that a fact explains; empty: the row says it
    std::string unit{};  ///< of the values below it, where the heading tells
};

/// The signal that a name in a table refers to.
struct TableSignal {
    std::string instance, signal;
    std::string direction; ///< "in", "out", "both", "analog"; empty: not said
    friend bool operator==(const TableSignal&, const TableSignal&) = default;
};

/// How a table is read: its columns, and the signal or the fact for each name (no signal and no fact: ignored).
/// Kept beside the table as text, so that the next edition is read without asking.
struct Columns {
    std::size_t body = 0; ///< first row of the grid below the headings
    std::vector<Column> columns;
    std::map<std::string, std::optional<TableSignal>, std::less<>> names;
    std::map<std::string, TableFact, std::less<>> facts;
};

/// Recognises headings and columns by their words and by the cells below them. Fails where there is no row of
/// headings with a pad, a pin, a signal or a number.
Expected<Columns> recogniseColumns(const Grid& grid, const std::string& name);

/// What a column is, in the words of that text: "code 7", "pin of Q64", "fastest clock of LOW in MHz".
std::string textOf(const Column& column);
/// Empty where the words are none of these; the heading and the reason stay empty.
std::optional<Column> columnFrom(const std::string& words);
/// The words that a column can have, for people to choose from.
std::vector<std::string> columnWords();

/// A signal as that text has it: "UART0.TX out"; empty for any other text.
std::optional<TableSignal> tableSignalFrom(const std::string& words);

/// The text beside a table: `column "F7" is code 7`, `name "TXD0" is UART0.TX out`, `name "fSYS" is limit of CPU`, a
/// line each.
std::string columnsText(const Columns& columns, const std::string& table);
/// Reads it for a table: headings are found by their text, whatever the column order of this edition. Fails with
/// a place where a line is not understood, and where a column is not in the table any more.
Expected<Columns> readColumns(const std::string& text, const std::string& name, const Grid& grid,
                              const std::string& table);

/// The cells of a row under their headings, as many as there are columns.
std::vector<std::string> cellsUnder(const Columns& columns, const Grid& grid, const Grid::Row& row);

const char* nameOf(Column::What what);

} // namespace bindrel
