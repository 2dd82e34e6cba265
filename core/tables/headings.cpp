// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tables/headings.h"

#include "core/base/text.h"

#include <set>

namespace bindrel {

bool isBlankCell(std::string_view text)
{
    static const std::set<std::string, std::less<>> dashes{"",   "-",   "\u2013", "\u2014", "\u2212",
                                                           "--", "n/a", "N/A",    "nc",     "."};
    return dashes.contains(text);
}

std::vector<std::string> headingsOf(const Grid::Row& row)
{
    std::vector<std::string> out;
    for (const std::string& cell : row.cells)
        out.push_back(joined(splitted(cell, '\n'), " "));
    return out;
}

} // namespace bindrel
