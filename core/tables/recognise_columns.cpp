// SPDX-License-Identifier: GPL-3.0-or-later
// What the columns of a table say, by their headings and by the cells below them.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/base/whole_number.h"
#include "core/tables/columns.h"
#include "core/tables/headings.h"

#include <algorithm>
#include <map>
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

/// Of a heading that is none of the known words: a package's pins, where the column looks like that.
bool looksLikePins(const std::vector<std::vector<std::string>>& rows, std::size_t column)
{
    int pins = 0, other = 0;
    std::set<std::string> seen;
    for (const std::vector<std::string>& cells : rows) {
        std::string text = cells[column];
        if (const std::size_t mark = text.find('('); mark != std::string::npos && mark > 0)
            text = std::string(trimmed(text.substr(0, mark)));
        if (isBlankCell(text))
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
            column.why = say("its heading");
        } else if (byWaits && waitsIn(column.heading) >= 0) {
            column.what = What::FastestWith;
            column.code = waitsIn(column.heading);
            column.unit = unit.empty() ? column.unit : unit;
            column.why = say("its heading");
        } else if (byWaits && !mine && !waitHeadings && column.what == What::Ignored && !column.heading.empty()) {
            column.what = What::Fastest;
            column.range = rangeIn(column.range.empty() ? column.heading : column.range);
            column.unit = unit.empty() ? column.unit : unit;
            column.why = say("it stands beside the wait states");
        } else if (byWaits && !mine && waitHeadings && column.what != What::FastestWith && !any(What::Range)) {
            column.what = What::Range;
            column.why = say("it stands before the wait states");
        } else if ((byQuantity || byWaits) ? !mine : column.what >= What::Quantity) {
            column.what = What::Ignored;
            column.why.clear();
        }
    }
}

} // namespace

namespace {

/// Whether a row is the headings of a table of one of the kinds that are known.
bool isHeadingRow(const Grid& grid, std::size_t r)
{
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
    return has(What::Pad) || has(What::Signal) || (has(What::Number) && (has(What::Name) || has(What::Source))) ||
           (has(What::Quantity) && values) || (waits && headings.size() > 1);
}

/// The first row of headings near the top; `body` stays 0 where there is none.
void takeHeadings(const Grid& grid, Columns& out)
{
    constexpr std::size_t kHeadingWithin = 40;
    for (std::size_t r = 0; r < std::min(grid.rows.size(), kHeadingWithin); ++r) {
        if (!isHeadingRow(grid, r))
            continue;
        out.body = r + 1;
        for (const std::string& heading : headingsOf(grid.rows[r]))
            out.columns.push_back({heading, What::Ignored, {}, -1, {}});
        return;
    }
}

/// Whether the row below the headings is a second one, below headings that span several columns.
bool isSecondHeadingRow(const Columns& out, const Grid::Row& below)
{
    bool second = false, data = false, keyed = false;
    for (std::size_t c = 0; c < below.cells.size(); ++c) {
        const std::string& cell = below.cells[c];
        const What what = c < out.columns.size() ? byWords(out.columns[c].heading) : What::Ignored;
        const bool key = what == What::Pad || what == What::Signal || what == What::Number || what == What::Quantity ||
                         what == What::Wait;
        keyed = keyed || key;
        const bool says = !isBlankCell(cell) && (c >= out.columns.size() || cell != out.columns[c].heading);
        data = data || (key && says);
        // Below a heading that spans several columns, which is written once or in each of them.
        const std::string above = c < out.columns.size() ? out.columns[c].heading : std::string();
        const std::string before = c > 0 && c <= out.columns.size() ? out.columns[c - 1].heading : std::string();
        second = second || (!key && says && (above.empty() || above == before));
    }

    return second && keyed && !data;
}

void takeSecondHeadings(const Grid::Row& below, Columns& out)
{
    std::string unit; // of the heading that spans
    for (std::size_t c = 0; c < below.cells.size(); ++c) {
        if (c >= out.columns.size())
            out.columns.push_back({});
        if (!out.columns[c].heading.empty())
            unit = withUnit(out.columns[c].heading).second;
        if (!isBlankCell(below.cells[c])) {
            out.columns[c].unit = unit;
            out.columns[c].range = below.cells[c];
        }
        if (!isBlankCell(below.cells[c]) && below.cells[c] != out.columns[c].heading)
            out.columns[c].heading += (out.columns[c].heading.empty() ? "" : " ") + below.cells[c];
    }
    ++out.body;
}

/// Two columns that say the same: the first one; pins may be several, one a package.
void ignoreRepeated(Columns& out)
{
    std::set<What> taken;
    for (Column& column : out.columns)
        if (column.what != What::Ignored && column.what != What::Pin && column.what != What::Fixed &&
            column.what != What::Functions && column.what != What::Quantity && column.what != What::Fastest &&
            column.what != What::FastestWith && !taken.insert(column.what).second) {
            column.what = What::Ignored;
            column.why = say("another column says that already");
        }
}

/// In tables of signals and of numbers a pad column lists where the signal can be, and a name column whose number it
/// is.
void settleByTable(Columns& out, bool numbers)
{
    for (Column& column : out.columns) {
        if (column.what == What::Pad)
            column.what = numbers ? What::Name : What::Pads;
        if (column.what == What::Signal && numbers)
            column.what = What::Source;
        if (numbers && column.what != What::Number && column.what != What::Name && column.what != What::Source)
            column.what = What::Ignored;
    }
}

/// In a table of pads what stands below a heading can tell what that does not.
void settleByCells(const Grid& grid, Columns& out)
{
    std::vector<std::vector<std::string>> rows;
    constexpr std::size_t kSample = 400;
    for (std::size_t r = out.body; r < grid.rows.size() && rows.size() < kSample; ++r)
        rows.push_back(cellsUnder(out, grid, grid.rows[r]));
    for (std::size_t c = 0; c < out.columns.size(); ++c) {
        Column& column = out.columns[c];
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
            column.why = say("its heading");
        } else if (looksLikePins(rows, c)) {
            column.what = What::Pin;
            column.package = packageIn(column.heading);
            column.why = say("numbers of pins below it");
        }
    }
}

/// Several pin columns are distinguished by package.
void namePackages(Columns& out)
{
    std::size_t pins = 0;
    for (Column& column : out.columns)
        if (column.what == What::Pin) {
            ++pins;
            if (column.package.empty() && pins > 1)
                column.package = packageIn(column.heading).empty() ? std::to_string(pins) : packageIn(column.heading);
        }
}

} // namespace

Expected<Columns> recogniseColumns(const Grid& grid, const std::string& name)
{
    Columns out;
    takeHeadings(grid, out);
    if (out.body == 0)
        return problemInFile(
            name, grid.rows.empty() ? 0 : grid.rows.front().line,
            say("no row of headings is recognised: a table has a column \"pad\" (or \"name\"), \"signal\", a number "
                "with \"interrupt\" or \"source\", \"parameter\" with \"min\" or \"max\", or \"wait states\"."));
    if (out.body < grid.rows.size() && !grid.byPosition && isSecondHeadingRow(out, grid.rows[out.body]))
        takeSecondHeadings(grid.rows[out.body], out);
    const auto any = [&out](What what) {
        return std::any_of(out.columns.begin(), out.columns.end(),
                           [what](const Column& column) { return column.what == what; });
    };
    for (Column& column : out.columns) {
        column.what = byWords(column.heading);
        column.why = column.what == What::Ignored ? "" : say("its heading");
    }
    recogniseValues(out);
    ignoreRepeated(out);
    if (any(What::Quantity) || any(What::Fastest) || any(What::FastestWith))
        return out;
    if (any(What::Number) || (any(What::Signal) && (any(What::Pads) || any(What::Pad))))
        settleByTable(out, any(What::Number));
    else
        settleByCells(grid, out);
    namePackages(out);
    return out;
}

} // namespace bindrel
