// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/table_cells.h"

#include "core/base/text.h"

#include <algorithm>

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

std::vector<TableLine> tableLines(std::string_view text)
{
    std::vector<TableLine> out;
    bool indented = true;
    int number = 0;
    for (std::string_view line : splitted(text, '\n')) {
        ++number;
        if (number == 1 && line.starts_with("\xEF\xBB\xBF"))
            line.remove_prefix(3);
        const std::string_view bare = trimmed(line);
        if (bare.empty() || bare[0] == '#')
            continue;
        // From the first tab or other sign to the last sign.
        const std::size_t begin = std::min(line.find_first_not_of(' '), line.size());
        const auto end = std::size_t(bare.data() + bare.size() - line.data());
        out.push_back({number, std::string(line.substr(begin, end - begin))});
        indented = indented && out.back().text.front() == '\t';
    }
    for (TableLine& line : out)
        if (indented)
            line.text = std::string(trimmed(line.text));
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
