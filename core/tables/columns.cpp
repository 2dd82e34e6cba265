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
        {"symbol", What::Quantity},
        {"parameter", What::Quantity},
        {"characteristic", What::Quantity},
        {"quantity", What::Quantity},
        {"min", What::Least},
        {"minimum", What::Least},
        {"lowest", What::Least},
        {"typ", What::Typical},
        {"typical", What::Typical},
        {"nominal", What::Typical},
        {"max", What::Most},
        {"maximum", What::Most},
        {"highest", What::Most},
        {"unit", What::Unit},
        {"units", What::Unit},
        {"range", What::Range},
        {"operating range", What::Range},
        {"voltage range", What::Range},
        {"condition", What::Range},
        {"conditions", What::Range},
        {"wait states", What::Wait},
        {"ws", What::Wait},
        {"number of wait states", What::Wait},
        {"flash wait states", What::Wait},
        {"latency", What::Wait},
    };
    const auto found = known.find(plain(heading));
    return found == known.end() ? What::Ignored : found->second;
}

/// "f max (MHz)" as "f max" and "MHz"; a unit may also stand in square brackets, or behind a stroke or a comma.
std::pair<std::string, std::string> withUnit(const std::string& heading)
{
    for (const char* unit : {"Hz", "kHz", "MHz", "GHz", "V",       "mV",      "A",  "mA", "uA", "\u00b5A", "\u03bcA",
                             "nA", "s",   "ms",  "us",  "\u00b5s", "\u03bcs", "ns", "pF", "%",  "ppm",     "\u00b0C"}) {
        for (const auto& [open, close] : {std::pair{"(", ")"}, {"[", "]"}})
            if (const std::string piece = std::string(open) + unit + close;
                heading.find(piece) != std::string::npos && heading.size() > piece.size()) {
                std::string words = heading;
                words.erase(heading.find(piece), piece.size());
                return {joined(splitted(std::string(trimmed(words)), ' '), " "), unit};
            }
        for (const char* open : {"/ ", "/", ", ", " in "})
            if (const std::string end = std::string(open) + unit; heading.ends_with(end) && heading.size() > end.size())
                return {std::string(trimmed(heading.substr(0, heading.size() - end.size()))), unit};
    }
    return {heading, {}};
}

/// The number of a heading like "2 WS", "2 wait states", "0WS"; -1 for another one.
int waitsIn(const std::string& heading)
{
    const std::string text = plain(withUnit(heading).first);
    const std::size_t digits = text.find_first_not_of("0123456789");
    if (digits == 0 || digits == std::string::npos || digits > 2)
        return -1;
    const std::string words(trimmed(text.substr(digits)));
    static const std::set<std::string> known{"ws", "wait state", "wait states", "wait"};
    return known.contains(words) ? int(wholeNumber(text.substr(0, digits), 99).value_or(-1)) : -1;
}

/// What a column of values says, by its heading with or without a unit.
What valueByWords(const std::string& heading)
{
    std::string words = plain(withUnit(heading).first);
    // Below a heading that spans the three: "Value min".
    if (const std::size_t blank = words.rfind(' '); blank != std::string::npos)
        words = words.substr(blank + 1);
    const What what = byWords(words);
    return what == What::Least || what == What::Typical || what == What::Most ? what : What::Ignored;
}

/// The operating range that a heading names: "f max (LOW)", "LOW", "Range LOW"; what is left of it.
std::string rangeIn(const std::string& heading)
{
    std::string out;
    for (const std::string& word : splitted(withUnit(heading).first, ' ')) {
        static const std::set<std::string> general{"",      "range",     "operating", "max",   "maximum", "f",
                                                   "clock", "frequency", "fastest",   "limit", "in",      "at",
                                                   "rate",  "fmax",      "up",        "to",    "highest"};
        const std::string bare = plain(word);
        if (!general.contains(bare))
            out += (out.empty() ? "" : " ") + word;
    }
    while (out.starts_with('(') && out.ends_with(')'))
        out = out.substr(1, out.size() - 2);
    return out;
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

namespace {

/// Whether a table is one of values or of wait states, and what its columns are then; in any other table these words
/// mean nothing.
void recogniseValues(Columns& out)
{
    const auto any = [&out](What what) {
        return std::any_of(out.columns.begin(), out.columns.end(),
                           [what](const Column& column) { return column.what == what; });
    };
    bool values = false, waitHeadings = false;
    for (const Column& column : out.columns) {
        values = values || valueByWords(column.heading) != What::Ignored;
        waitHeadings = waitHeadings || waitsIn(column.heading) >= 0;
    }
    // "Name" is a pad's, but beside values with their unit and no pins.
    if (values && any(What::Unit) && !any(What::Pin) && !any(What::Quantity))
        for (Column& column : out.columns)
            if (column.what == What::Pad)
                column.what = What::Quantity;
    const bool pads = any(What::Pad) && !any(What::Quantity);
    const bool byQuantity = !pads && any(What::Quantity) && values;
    const bool byWaits = !pads && !byQuantity && (any(What::Wait) || waitHeadings);
    for (Column& column : out.columns) {
        const bool ofValues = column.what == What::Unit || column.what == What::Range;
        const bool mine = byQuantity ? ofValues || column.what == What::Quantity
                          : byWaits  ? ofValues || column.what == What::Wait
                                     : false;
        const auto [words, unit] = withUnit(column.heading);
        if (byQuantity && valueByWords(column.heading) != What::Ignored) {
            column.what = valueByWords(column.heading);
            column.unit = unit.empty() ? column.unit : unit;
            column.why = "its heading";
        } else if (byWaits && waitsIn(column.heading) >= 0) {
            column.what = What::FastestWith;
            column.code = waitsIn(column.heading);
            column.unit = unit.empty() ? column.unit : unit;
            column.why = "its heading";
        } else if (byWaits && !mine && !waitHeadings && column.what == What::Ignored && !column.heading.empty()) {
            column.what = What::Fastest;
            column.range = rangeIn(column.range.empty() ? column.heading : column.range);
            column.unit = unit.empty() ? column.unit : unit;
            column.why = "it stands beside the wait states";
        } else if (byWaits && !mine && waitHeadings && column.what != What::FastestWith && !any(What::Range)) {
            column.what = What::Range;
            column.why = "it stands before the wait states";
        } else if ((byQuantity || byWaits) ? !mine : column.what >= What::Quantity) {
            column.what = What::Ignored;
            column.why.clear();
        }
    }
}

} // namespace

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
        const auto tellsValues = [](const std::string& heading) { return valueByWords(heading) != What::Ignored; };
        bool values = std::any_of(headings.begin(), headings.end(), tellsValues);
        if (r + 1 < grid.rows.size() && !values) {
            const std::vector<std::string> below = headingsOf(grid.rows[r + 1]);
            values = std::count_if(below.begin(), below.end(), tellsValues) > 1;
        }
        const bool waits = has(What::Wait) || std::any_of(headings.begin(), headings.end(),
                                                          [](const std::string& h) { return waitsIn(h) >= 0; });
        if (!has(What::Pad) && !has(What::Signal) && !(has(What::Number) && (has(What::Name) || has(What::Source))) &&
            !(has(What::Quantity) && values) && !(waits && headings.size() > 1))
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
            "no row of headings is recognised: a table has a column \"pad\" (or \"name\"), \"signal\", a number "
            "with \"interrupt\" or \"source\", \"parameter\" with \"min\" or \"max\", or \"wait states\".");
    // Second heading row, below headings that span several columns.
    if (out.body < grid.rows.size() && !grid.byPosition) {
        const Grid::Row& below = grid.rows[out.body];
        bool second = false, data = false, keyed = false;
        for (std::size_t c = 0; c < below.cells.size(); ++c) {
            const std::string& cell = below.cells[c];
            const What what = c < out.columns.size() ? byWords(out.columns[c].heading) : What::Ignored;
            const bool key = what == What::Pad || what == What::Signal || what == What::Number ||
                             what == What::Quantity || what == What::Wait;
            keyed = keyed || key;
            const bool says = !isNothing(cell) && (c >= out.columns.size() || cell != out.columns[c].heading);
            data = data || (key && says);
            // Below a heading that spans several columns, which is written once or in each of them.
            const std::string above = c < out.columns.size() ? out.columns[c].heading : std::string();
            const std::string before = c > 0 && c <= out.columns.size() ? out.columns[c - 1].heading : std::string();
            second = second || (!key && says && (above.empty() || above == before));
        }
        if (second && keyed && !data) {
            std::string unit; // of the heading that spans
            for (std::size_t c = 0; c < below.cells.size(); ++c) {
                if (c >= out.columns.size())
                    out.columns.push_back({});
                if (!out.columns[c].heading.empty())
                    unit = withUnit(out.columns[c].heading).second;
                if (!isNothing(below.cells[c])) {
                    out.columns[c].unit = unit;
                    out.columns[c].range = below.cells[c];
                }
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
    recogniseValues(out);
    // Two columns that say the same: the first one; pins may be several, one a package.
    std::set<What> taken;
    for (Column& column : out.columns)
        if (column.what != What::Ignored && column.what != What::Pin && column.what != What::Fixed &&
            column.what != What::Functions && column.what != What::Quantity && column.what != What::Fastest &&
            column.what != What::FastestWith && !taken.insert(column.what).second) {
            column.what = What::Ignored;
            column.why = "another column says that already";
        }
    std::vector<std::vector<std::string>> rows;
    constexpr std::size_t kSample = 400;
    for (std::size_t r = out.body; r < grid.rows.size() && rows.size() < kSample; ++r)
        rows.push_back(cellsUnder(out, grid, grid.rows[r]));
    if (any(What::Quantity) || any(What::Fastest) || any(What::FastestWith))
        return out;
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
