// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <initializer_list>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// Cells of a line of a table, without blanks around them; quotes as in RFC 4180. Between several blanks, where these
/// separate, there is no cell.
std::vector<std::string> cellsOf(std::string_view line, char separator);

/// A line of a text table.
struct TableLine {
    int number = 0; ///< from 1
    std::string text;
};
/// The lines of a table that have something, without comments (#), a byte-order mark and blanks around them. Tabs at
/// the beginning stay, since they part empty cells, unless all lines are indented by them.
std::vector<TableLine> tableLines(std::string_view text);

/// What separates the cells of a line: a tab, semicolon or comma that it has, else blanks.
char separatorOf(std::string_view line);

/// The first heading that is one of these names (in lower case); -1 when there is none.
int columnOf(const std::vector<std::string>& headings, std::initializer_list<std::string_view> names);

} // namespace bindrel
