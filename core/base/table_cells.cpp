// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/table_cells.h"

#include "core/base/text.h"

namespace bindrel {

std::vector<std::string> cellsOf(std::string_view line, char separator)
{
    std::vector<std::string> out(1);
    bool quoted = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (c == '"') {
            if (quoted && i + 1 < line.size() && line[i + 1] == '"') {
                out.back() += '"';
                ++i;
            } else {
                quoted = !quoted;
            }
        } else if (c == separator && !quoted) {
            // Columns that are lined up with several blanks are still two columns.
            if (separator != ' ' || !out.back().empty())
                out.emplace_back();
        } else {
            out.back() += c;
        }
    }
    for (std::string& cell : out)
        cell = std::string(trimmed(cell));
    return out;
}

char separatorOf(std::string_view line)
{
    for (const char c : {'\t', ';', ','})
        if (line.find(c) != std::string_view::npos)
            return c;
    return ' ';
}

int columnOf(const std::vector<std::string>& headings, std::initializer_list<std::string_view> names)
{
    for (std::size_t i = 0; i < headings.size(); ++i)
        for (const std::string_view name : names)
            if (lowered(headings[i]) == name)
                return static_cast<int>(i);
    return -1;
}

} // namespace bindrel
