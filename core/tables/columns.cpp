// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tables/columns.h"

#include "core/base/text.h"
#include "core/base/whole_number.h"
#include "core/tables/headings.h"

#include <fmt/format.h>

#include <algorithm>
#include <climits>
#include <cstdlib>
#include <set>

namespace bindrel {

namespace {
using What = Column::What;
}

const char* nameOf(What what)
{
    switch (what) {
    case What::Ignored:
        return "ignored";
    case What::Pin:
        return "pin";
    case What::Pad:
        return "pad";
    case What::Type:
        return "type";
    case What::Code:
        return "code";
    case What::Functions:
        return "functions";
    case What::Fixed:
        return "fixed";
    case What::Signal:
        return "signal";
    case What::Pads:
        return "pads";
    case What::CodeOf:
        return "code of the row";
    case What::Number:
        return "number";
    case What::Name:
        return "interrupt";
    case What::Source:
        return "request";
    case What::Quantity:
        return "quantity";
    case What::Least:
        return "lowest value";
    case What::Typical:
        return "typical value";
    case What::Most:
        return "highest value";
    case What::Unit:
        return "unit";
    case What::Range:
        return "range";
    case What::Wait:
        return "wait states";
    case What::Fastest:
        return "fastest clock";
    case What::FastestWith:
        return "fastest clock with";
    case What::Net:
        return "net";
    }
    return "";
}

namespace {

constexpr What kLast = What::Net;

bool hasUnit(What what)
{
    return what == What::Least || what == What::Typical || what == What::Most || what == What::Fastest ||
           what == What::FastestWith;
}

} // namespace

std::string textOf(const Column& column)
{
    std::string out = nameOf(column.what);
    if (column.what == What::Pin && !column.package.empty())
        out += " of " + column.package;
    if (column.what == What::Fastest && !column.range.empty())
        out += " of " + column.range;
    if (column.what == What::Code || column.what == What::FastestWith)
        out += fmt::format(" {}", column.code);
    if (hasUnit(column.what) && !column.unit.empty())
        out += " in " + column.unit;
    return out;
}

std::optional<Column> columnFrom(const std::string& words)
{
    for (int kind = int(What::Ignored); kind <= int(kLast); ++kind) {
        Column column;
        column.what = What(kind);
        const std::string word = nameOf(column.what);
        std::string rest = words;
        if (const std::size_t in = rest.rfind(" in "); hasUnit(column.what) && in != std::string::npos) {
            column.unit = std::string(trimmed(rest.substr(in + 4)));
            rest.resize(in);
        }
        const bool numbered = column.what == What::Code || column.what == What::FastestWith;
        if (rest == word && !numbered)
            return column;
        if (column.what == What::Pin && rest.starts_with("pin of ") && rest.size() > 7) {
            column.package = rest.substr(7);
            return column;
        }
        if (column.what == What::Fastest && rest.starts_with(word + " of ")) {
            column.range = std::string(trimmed(rest.substr(word.size() + 4)));
            if (!column.range.empty())
                return column;
        }
        if (numbered && rest.starts_with(word + " "))
            if (const auto number = wholeNumber(std::string_view(rest).substr(word.size() + 1), 999)) {
                column.code = int(*number);
                return column;
            }
    }
    return std::nullopt;
}

std::optional<TableSignal> tableSignalFrom(const std::string& text)
{
    const std::vector<std::string> words = splitted(text, ' ');
    const std::size_t dot = words[0].find('.');
    static const std::set<std::string> directions{"in", "out", "both", "analog"};
    if (dot == std::string::npos || dot == 0 || dot + 1 == words[0].size() || words.size() > 2 ||
        (words.size() == 2 && !directions.contains(words[1])))
        return std::nullopt;
    return TableSignal{words[0].substr(0, dot), words[0].substr(dot + 1), words.size() == 2 ? words[1] : ""};
}

std::vector<std::string> columnWords()
{
    std::vector<std::string> out;
    for (int kind = int(What::Ignored); kind <= int(kLast); ++kind)
        out.push_back(nameOf(What(kind)));
    return out;
}

std::vector<std::string> cellsUnder(const Columns& so, const Grid& grid, const Grid::Row& row)
{
    std::vector<std::string> out(so.columns.size());
    if (!grid.byPosition || so.body == 0) {
        for (std::size_t c = 0; c < std::min(out.size(), row.cells.size()); ++c)
            out[c] = row.cells[c];
        return out;
    }
    const std::vector<int>& at = grid.rows[so.body - 1].at;
    for (std::size_t c = 0; c < row.cells.size(); ++c) {
        // The heading that begins nearest; a number may be set flush right, so both ends count.
        std::size_t best = 0;
        int nearest = INT_MAX;
        for (std::size_t h = 0; h < std::min(at.size(), out.size()); ++h) {
            const int begin = std::abs(at[h] - row.at[c]);
            const int end = std::abs(at[h] + int(so.columns[h].heading.size()) - row.at[c] - int(row.cells[c].size()));
            if (std::min(begin, end) < nearest) {
                nearest = std::min(begin, end);
                best = h;
            }
        }
        if (!out.empty())
            out[best] += (out[best].empty() ? "" : " ") + row.cells[c];
    }
    return out;
}

std::string columnsText(const Columns& columns, const std::string& table)
{
    const auto quoted = [](const std::string& text) {
        std::string out = "\"";
        for (const char c : text)
            out += c == '"' ? "''" : std::string(1, c);
        return out + "\"";
    };
    std::string out = fmt::format("# How {} is read: its columns, and the signal for each name.\n", printable(table));
    for (const Column& column : columns.columns) {
        if (column.heading.empty())
            continue;
        out += fmt::format("column {} is {}\n", quoted(column.heading), textOf(column));
    }
    for (const auto& [name, fact] : columns.facts)
        out += fmt::format("name {} is {}\n", quoted(name), textOf(fact));
    for (const auto& [name, signal] : columns.names) {
        out += fmt::format("name {} is {}", quoted(name),
                           signal ? signal->instance + "." + signal->signal : std::string("ignored"));
        if (signal && !signal->direction.empty())
            out += " " + signal->direction;
        out += "\n";
    }
    return out;
}

namespace {

/// "Did you mean" for a fact whose first words are misspelt.
std::string nearestFact(const std::string& value)
{
    std::vector<std::string> words;
    for (const TableFactSpec& spec : tableFactSpecs())
        words.push_back(spec.words);
    const std::size_t of = value.rfind(" of ");
    return didYouMean(value.substr(0, of), words);
}

} // namespace

Expected<Columns> readColumns(const std::string& text, const std::string& name, const Grid& grid,
                              const std::string& table)
{
    Columns out;
    std::map<std::string, Column> said;
    int number = 0;
    for (std::string_view line : splitted(text, '\n')) {
        ++number;
        line = trimmed(line);
        if (line.empty() || line.front() == '#')
            continue;
        const std::size_t open = line.find('"'),
                          close = open == std::string_view::npos ? open : line.find('"', open + 1);
        const std::size_t is = close == std::string_view::npos ? close : line.find(" is ", close);
        const std::string what(trimmed(line.substr(0, open == std::string_view::npos ? 0 : open)));
        if (is == std::string_view::npos || (what != "column" && what != "name"))
            return problemInFile(name, number,
                                 "is neither: column \"HEADING\" is …, nor: name \"NAME\" is INSTANCE.SIGNAL.");
        std::string key(line.substr(open + 1, close - open - 1));
        for (std::size_t at = 0; (at = key.find("''", at)) != std::string::npos; ++at)
            key.replace(at, 2, "\"");
        const std::string value(trimmed(line.substr(is + 4)));
        if (what == "name") {
            if (value == "ignored") {
                out.names[key] = std::nullopt;
                continue;
            }
            if (const std::optional<TableFact> fact = tableFactFrom(value)) {
                out.facts[key] = *fact;
                continue;
            }
            const std::optional<TableSignal> signal = tableSignalFrom(value);
            if (!signal)
                return problemInFile(name, number,
                                     "a name stands for INSTANCE.SIGNAL, with in, out, both or analog behind it; for a "
                                     "value, as \"limit of CLOCK\"; or is ignored." +
                                         nearestFact(value));
            out.names[key] = *signal;
            continue;
        }
        std::optional<Column> column = columnFrom(value);
        if (!column)
            return problemInFile(name, number,
                                 fmt::format("\"{}\" is not what a column can be; use {}.{}", printable(value),
                                             listed(columnWords()), didYouMean(value, columnWords())));
        column->heading = key;
        column->why = "the file beside the table";
        said[key] = *column;
    }
    if (said.empty())
        return problemInFile(name, 0, "says nothing of any column.");
    // The row of headings that has the most of them; a heading over two rows is their words one after the other.
    std::size_t most = 0;
    for (std::size_t r = 0; r < std::min<std::size_t>(grid.rows.size(), 40); ++r)
        for (const bool twoRows : {false, true}) {
            std::vector<std::string> headings = headingsOf(grid.rows[r]);
            if (twoRows && (r + 1 >= grid.rows.size() || grid.byPosition))
                continue;
            if (twoRows) {
                const std::vector<std::string> below = headingsOf(grid.rows[r + 1]);
                headings.resize(std::max(headings.size(), below.size()));
                for (std::size_t c = 0; c < below.size(); ++c)
                    if (!isBlankCell(below[c]) && below[c] != headings[c])
                        headings[c] += (headings[c].empty() ? "" : " ") + below[c];
            }
            const std::size_t there = std::size_t(std::count_if(
                headings.begin(), headings.end(), [&said](const auto& h) { return !h.empty() && said.contains(h); }));
            if (there <= most)
                continue;
            most = there;
            out.body = r + (twoRows ? 2 : 1);
            out.columns.clear();
            for (const std::string& heading : headings) {
                const auto found = said.find(heading);
                out.columns.push_back(found == said.end() ? Column{heading, What::Ignored, {}, -1, {}} : found->second);
            }
        }
    for (const auto& entry : said) {
        const Column& column = entry.second;
        const bool there = std::any_of(out.columns.begin(), out.columns.end(),
                                       [&entry](const Column& c) { return c.heading == entry.first; });
        if (column.what != What::Ignored && !there)
            return problemInFile(table, 0,
                                 fmt::format("has no column \"{}\", which {} says is {}; correct that line.",
                                             printable(entry.first), name, nameOf(column.what)));
    }
    return out;
}

} // namespace bindrel
