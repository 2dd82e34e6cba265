// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tables/grid.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace bindrel {

namespace {

constexpr std::size_t kMostCells = 1'000'000, kMostColumns = 1000;

/// What separates cells: the sign that most of the first lines have; a blank means two and more of them.
char separatorFor(std::string_view text)
{
    std::array<std::pair<char, int>, 4> signs{{{'\t', 0}, {'|', 0}, {';', 0}, {',', 0}}};
    int lines = 0;
    for (std::string_view line : splitted(text.substr(0, 1 << 16), '\n')) {
        if (trimmed(line).empty())
            continue;
        if (++lines > 60)
            break;
        for (auto& [sign, count] : signs)
            count += line.find(sign) != std::string_view::npos;
    }
    for (const auto& [sign, count] : signs)
        if (count > 0 && count * 2 >= lines)
            return sign;
    return ' ';
}

bool isRule(const std::vector<std::string>& cells)
{
    bool any = false;
    for (const std::string& cell : cells) {
        if (cell.find_first_not_of("-:=+ ") != std::string::npos)
            return false;
        any = any || cell.size() > 1;
    }
    return any;
}

void readAligned(std::string_view line, Grid::Row& row)
{
    std::size_t at = 0;
    while (at < line.size()) {
        while (at < line.size() && (line[at] == ' ' || line[at] == '\t'))
            ++at;
        std::size_t end = at;
        while (end < line.size() && line[end] != '\t' &&
               !(line[end] == ' ' && (end + 1 >= line.size() || line[end + 1] == ' ' || line[end + 1] == '\t')))
            ++end;
        if (end > at) {
            row.cells.emplace_back(line.substr(at, end - at));
            row.at.push_back(int(at));
        }
        at = end;
    }
}

} // namespace

Expected<Grid> readGrid(const std::string& given, const std::string& name)
{
    std::string_view text = given;
    if (text.starts_with("\xEF\xBB\xBF"))
        text.remove_prefix(3);
    if (!isUtf8(text))
        return problemInFile(name, 0, say("is not text in UTF-8."));
    Grid out;
    const char separator = separatorFor(text);
    out.byPosition = separator == ' ';
    std::size_t cells = 0;
    int line = 0;
    const auto keep = [&](Grid::Row row) -> Outcome {
        for (std::string& cell : row.cells)
            cell = std::string(trimmed(cell));
        if (separator == '|') {
            // The frame's own bars have nothing outside.
            if (!row.cells.empty() && row.cells.back().empty())
                row.cells.pop_back();
            if (!row.cells.empty() && row.cells.front().empty())
                row.cells.erase(row.cells.begin());
        }
        if (row.cells.size() > kMostColumns)
            return problemInFile(name, row.line, say("has more than {} columns.", kMostColumns));
        cells += row.cells.size();
        if (cells > kMostCells)
            return problemInFile(name, row.line, say("has more than a million cells."));
        if (std::any_of(row.cells.begin(), row.cells.end(), [](const std::string& cell) { return !cell.empty(); }) &&
            !isRule(row.cells))
            out.rows.push_back(std::move(row));
        return {};
    };
    if (separator == ' ') {
        for (std::string_view one : splitted(text, '\n')) {
            Grid::Row row;
            row.line = ++line;
            if (!one.empty() && one.back() == '\r')
                one.remove_suffix(1);
            readAligned(one, row);
            if (const Outcome kept = keep(std::move(row)); !kept)
                return kept.problem();
        }
        return out;
    }
    Grid::Row row;
    row.line = line = 1;
    row.cells.emplace_back();
    bool quoted = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (c == '\n')
            ++line;
        if (c == '"' && (quoted || trimmed(row.cells.back()).empty())) {
            if (quoted && i + 1 < text.size() && text[i + 1] == '"') {
                row.cells.back() += '"';
                ++i;
            } else {
                quoted = !quoted;
            }
        } else if (c == separator && !quoted) {
            row.cells.emplace_back();
        } else if (c == '\n' && !quoted) {
            if (const Outcome kept = keep(std::move(row)); !kept)
                return kept.problem();
            row = {};
            row.line = line;
            row.cells.emplace_back();
        } else if (c != '\r') {
            row.cells.back() += c;
        }
        if (row.cells.back().size() > 100'000)
            return problemInFile(name, row.line,
                                 say("has a cell of more than 100,000 characters; is a quote not closed?"));
    }
    if (const Outcome kept = keep(std::move(row)); !kept)
        return kept.problem();
    return out;
}

Expected<Grid> readTable(const std::string& bytes, const std::string& name)
{
    return bytes.starts_with("PK\x03\x04") ? readWorkbook(bytes, name) : readGrid(bytes, name);
}

} // namespace bindrel
