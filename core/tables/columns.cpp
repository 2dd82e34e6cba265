// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tables/columns.h"

#include "core/base/text.h"
#include "core/base/whole_number.h"

#include <fmt/format.h>

#include <algorithm>
#include <climits>
#include <cstdlib>
#include <set>

namespace bindrel {

namespace {

using What = Column::What;

bool isDigit(char c)
{
    return c >= '0' && c <= '9';
}

/// "17", "C4", "AB12".
bool isPinNumber(std::string_view text)
{
    std::size_t i = 0;
    while (i < text.size() && i < 2 && text[i] >= 'A' && text[i] <= 'Z')
        ++i;
    const std::size_t digits = text.size() - i;
    return digits > 0 && digits <= (i == 0 ? 4 : 2) && std::all_of(text.begin() + long(i), text.end(), isDigit);
}

bool isNothing(std::string_view text)
{
    static const std::set<std::string, std::less<>> dashes{"",   "-",   "\u2013", "\u2014", "\u2212",
                                                           "--", "n/a", "N/A",    "nc",     "."};
    return dashes.contains(text);
}

/// Letters and digits in lower case, one blank between words.
std::string plain(std::string_view text)
{
    std::string out;
    for (const char c : lowered(text)) {
        if ((c >= 'a' && c <= 'z') || isDigit(c) || (static_cast<unsigned char>(c) & 0x80))
            out += c;
        else if (!out.empty() && out.back() != ' ')
            out += ' ';
    }
    while (!out.empty() && out.back() == ' ')
        out.pop_back();
    return out;
}

/// The number of a heading like "AF7", "Function 7", "7"; -1 for another one.
int codeIn(const std::string& heading)
{
    std::string text = plain(heading);
    std::size_t digits = text.size();
    while (digits > 0 && isDigit(text[digits - 1]))
        --digits;
    const std::string number = text.substr(digits);
    // "Peripheral function F1": the last word says it.
    if (const std::size_t blank = text.rfind(' ');
        blank != std::string::npos && blank + 2 < text.size() && !isDigit(text[blank + 1]) && digits > blank + 1)
        text = text.substr(blank + 1), digits = text.size() - number.size();
    if (number.empty() || number.size() > 2)
        return -1;
    std::string word = text.substr(0, digits);
    while (!word.empty() && word.back() == ' ')
        word.pop_back();
    static const std::set<std::string> words{"",
                                             "af",
                                             "alt",
                                             "f",
                                             "fn",
                                             "func",
                                             "function",
                                             "mux",
                                             "mode",
                                             "code",
                                             "option",
                                             "alternate",
                                             "alternate function",
                                             "alt function",
                                             "select",
                                             "sel",
                                             "p"};
    return words.contains(word) ? int(wholeNumber(number, 999).value_or(-1)) : -1;
}

What byWords(const std::string& heading)
{
    static const std::map<std::string, What> known{
        {"pin", What::Pin},
        {"pin no", What::Pin},
        {"pin number", What::Pin},
        {"no", What::Pin},
        {"ball", What::Pin},
        {"ball no", What::Pin},
        {"ball number", What::Pin},
        {"pad", What::Pad},
        {"name", What::Pad},
        {"pin name", What::Pad},
        {"pad name", What::Pad},
        {"ball name", What::Pad},
        {"port", What::Pad},
        {"port pin", What::Pad},
        {"gpio", What::Pad},
        {"i o name", What::Pad},
        {"type", What::Type},
        {"kind", What::Type},
        {"pin type", What::Type},
        {"functions", What::Functions},
        {"alternate functions", What::Functions},
        {"multiplexed functions", What::Functions},
        {"analog", What::Fixed},
        {"analog function", What::Fixed},
        {"analog functions", What::Fixed},
        {"fixed", What::Fixed},
        {"fixed functions", What::Fixed},
        {"additional functions", What::Fixed},
        {"direct functions", What::Fixed},
        {"signal", What::Signal},
        {"signal name", What::Signal},
        {"pads", What::Pads},
        {"pins", What::Pads},
        {"available on", What::Pads},
        {"code", What::CodeOf},
        {"function", What::CodeOf},
        {"mux code", What::CodeOf},
        {"interrupt number", What::Number},
        {"interrupt", What::Name},
        {"irq", What::Number},
        {"irq number", What::Number},
        {"irq no", What::Number},
        {"vector", What::Number},
        {"position", What::Number},
        {"request", What::Number},
        {"request number", What::Number},
        {"dma request", What::Number},
        {"request no", What::Number},
        {"source", What::Source},
        {"request source", What::Source},
        {"peripheral", What::Name},
        {"interrupt name", What::Name},
        {"interrupt source", What::Name},
    };
    const auto found = known.find(plain(heading));
    return found == known.end() ? What::Ignored : found->second;
}

std::vector<std::string> headingsOf(const Grid::Row& row)
{
    std::vector<std::string> out;
    for (const std::string& cell : row.cells)
        out.push_back(joined(splitted(cell, '\n'), " "));
    return out;
}

/// Of a heading that is none of the known words: a package's pins, where the column looks like that.
bool looksLikePins(const std::vector<std::vector<std::string>>& rows, std::size_t column)
{
    int pins = 0, other = 0;
    std::set<std::string> seen;
    for (const std::vector<std::string>& cells : rows) {
        std::string text = cells[column];
        if (const std::size_t mark = text.find('('); mark != std::string::npos && mark > 0)
            text = std::string(trimmed(text.substr(0, mark)));
        if (isNothing(text))
            continue;
        if (isPinNumber(text) && seen.insert(text).second)
            ++pins;
        else
            ++other;
    }
    return pins >= 3 && other * 5 <= pins;
}

std::string packageIn(const std::string& heading)
{
    std::string out;
    for (const std::string& word : splitted(heading, ' ')) {
        const std::string low = plain(word);
        if (low.empty() || low == "pin" || low == "pins" || low == "number" || low == "no" || low == "ball" ||
            low == "package" || low == "of" || low == "on")
            continue;
        out += (out.empty() ? "" : " ") + word;
    }
    return out.substr(0, 48);
}

} // namespace

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
    }
    return "";
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

Expected<Columns> recogniseColumns(const Grid& grid, const std::string& name)
{
    Columns out;
    constexpr std::size_t kHeadingWithin = 40;
    for (std::size_t r = 0; r < std::min(grid.rows.size(), kHeadingWithin); ++r) {
        const std::vector<std::string> headings = headingsOf(grid.rows[r]);
        const auto has = [&headings](What what) {
            return std::any_of(headings.begin(), headings.end(),
                               [what](const std::string& heading) { return byWords(heading) == what; });
        };
        if (!has(What::Pad) && !has(What::Signal) && !(has(What::Number) && (has(What::Name) || has(What::Source))))
            continue;
        out.body = r + 1;
        out.columns.clear();
        for (const std::string& heading : headings)
            out.columns.push_back({heading, What::Ignored, {}, -1, {}});
        break;
    }
    if (out.body == 0)
        return problemInFile(
            name, grid.rows.empty() ? 0 : grid.rows.front().line,
            "no row of headings is recognised: a table has a column \"pad\" (or \"name\"), \"signal\", or a "
            "number with \"interrupt\" or \"source\".");
    // Second heading row, below headings that span several columns.
    if (out.body < grid.rows.size() && !grid.byPosition) {
        const Grid::Row& below = grid.rows[out.body];
        bool second = false, data = false, keyed = false;
        for (std::size_t c = 0; c < below.cells.size(); ++c) {
            const std::string& cell = below.cells[c];
            const What what = c < out.columns.size() ? byWords(out.columns[c].heading) : What::Ignored;
            const bool key = what == What::Pad || what == What::Signal || what == What::Number;
            keyed = keyed || key;
            const bool says = !isNothing(cell) && (c >= out.columns.size() || cell != out.columns[c].heading);
            data = data || (key && says);
            // Below a heading that spans several columns, which is written once or in each of them.
            const std::string above = c < out.columns.size() ? out.columns[c].heading : std::string();
            const std::string before = c > 0 && c <= out.columns.size() ? out.columns[c - 1].heading : std::string();
            second = second || (!key && says && (above.empty() || above == before));
        }
        if (second && keyed && !data) {
            for (std::size_t c = 0; c < below.cells.size(); ++c) {
                if (c >= out.columns.size())
                    out.columns.push_back({});
                if (!isNothing(below.cells[c]) && below.cells[c] != out.columns[c].heading)
                    out.columns[c].heading += (out.columns[c].heading.empty() ? "" : " ") + below.cells[c];
            }
            ++out.body;
        }
    }
    const auto any = [&out](What what) {
        return std::any_of(out.columns.begin(), out.columns.end(),
                           [what](const Column& column) { return column.what == what; });
    };
    for (Column& column : out.columns) {
        column.what = byWords(column.heading);
        column.why = column.what == What::Ignored ? "" : "its heading";
    }
    // Two columns that say the same: the first one; pins may be several, one a package.
    std::set<What> taken;
    for (Column& column : out.columns)
        if (column.what != What::Ignored && column.what != What::Pin && column.what != What::Fixed &&
            column.what != What::Functions && !taken.insert(column.what).second) {
            column.what = What::Ignored;
            column.why = "another column says that already";
        }
    std::vector<std::vector<std::string>> rows;
    constexpr std::size_t kSample = 400;
    for (std::size_t r = out.body; r < grid.rows.size() && rows.size() < kSample; ++r)
        rows.push_back(cellsUnder(out, grid, grid.rows[r]));
    const bool bySignal = any(What::Signal) && (any(What::Pads) || any(What::Pad));
    const bool numbers = any(What::Number);
    for (std::size_t c = 0; c < out.columns.size(); ++c) {
        Column& column = out.columns[c];
        if (bySignal || numbers) {
            // In these tables a pad column lists where the signal can be, and a name column whose number it is.
            if (column.what == What::Pad)
                column.what = numbers ? What::Name : What::Pads;
            if (column.what == What::Signal && numbers)
                column.what = What::Source;
            if (numbers && column.what != What::Number && column.what != What::Name && column.what != What::Source)
                column.what = What::Ignored;
            continue;
        }
        if (column.what == What::Pin) {
            column.package = {};
            continue;
        }
        if (column.what == What::CodeOf || column.what == What::Signal || column.what == What::Pads)
            column.what = What::Ignored;
        if (column.what != What::Ignored || !column.why.empty())
            continue;
        if (const int code = codeIn(column.heading); code >= 0) {
            column.what = What::Code;
            column.code = code;
            column.why = "its heading";
        } else if (looksLikePins(rows, c)) {
            column.what = What::Pin;
            column.package = packageIn(column.heading);
            column.why = "numbers of pins below it";
        }
    }
    // Several pin columns are distinguished by package.
    std::size_t pins = 0;
    for (Column& column : out.columns)
        if (column.what == What::Pin) {
            ++pins;
            if (column.package.empty() && pins > 1)
                column.package = packageIn(column.heading).empty() ? std::to_string(pins) : packageIn(column.heading);
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
        out += fmt::format("column {} is {}", quoted(column.heading), nameOf(column.what));
        if (column.what == What::Pin && !column.package.empty())
            out += " of " + column.package;
        if (column.what == What::Code)
            out += fmt::format(" {}", column.code);
        out += "\n";
    }
    for (const auto& [name, signal] : columns.names) {
        out += fmt::format("name {} is {}", quoted(name),
                           signal ? signal->instance + "." + signal->signal : std::string("ignored"));
        if (signal && !signal->direction.empty())
            out += " " + signal->direction;
        out += "\n";
    }
    return out;
}

Expected<Columns> readColumns(const std::string& text, const std::string& name, const Grid& grid,
                              const std::string& table)
{
    Columns out;
    std::map<std::string, Column> said;
    std::vector<std::string> kinds;
    for (int what = int(What::Ignored); what <= int(What::Source); ++what)
        kinds.push_back(nameOf(What(what)));
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
            const std::vector<std::string> words = splitted(value, ' ');
            const std::size_t dot = words[0].find('.');
            static const std::set<std::string> directions{"in", "out", "both", "analog"};
            if (dot == std::string::npos || dot == 0 || dot + 1 == words[0].size() || words.size() > 2 ||
                (words.size() == 2 && !directions.contains(words[1])))
                return problemInFile(name, number,
                                     "a name stands for INSTANCE.SIGNAL, with in, out, both or analog behind it, or is "
                                     "ignored.");
            out.names[key] =
                TableSignal{words[0].substr(0, dot), words[0].substr(dot + 1), words.size() == 2 ? words[1] : ""};
            continue;
        }
        Column column;
        column.heading = key;
        column.why = "the file beside the table";
        bool known = false;
        for (int kind = int(What::Ignored); kind <= int(What::Source); ++kind) {
            const std::string word = nameOf(What(kind));
            if (value == word) {
                column.what = What(kind);
                known = column.what != What::Code;
            } else if (What(kind) == What::Pin && value.starts_with("pin of ")) {
                column.what = What::Pin;
                column.package = value.substr(7);
                known = true;
            } else if (What(kind) == What::Code && value.starts_with("code ") &&
                       wholeNumber(std::string_view(value).substr(5), 999)) {
                column.what = What::Code;
                column.code = int(*wholeNumber(std::string_view(value).substr(5)));
                known = true;
            }
        }
        if (!known)
            return problemInFile(name, number,
                                 fmt::format("\"{}\" is not what a column can be; use {}.{}", printable(value),
                                             listed(kinds), didYouMean(value, kinds)));
        said[key] = column;
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
                    if (!isNothing(below[c]) && below[c] != headings[c])
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
