// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/value_table.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/base/whole_number.h"
#include "core/makers/table_rows.h"
#include "core/tables/table_number.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <optional>
#include <set>

namespace bindrel {

namespace {

using What = Column::What;
using Fact = TableFact::What;
using Json = nlohmann::ordered_json;

class ValueReader {
public:
    ValueReader(const Grid& grid, const Columns& columns, const std::string& name)
        : grid_(grid), columns_(columns), name_(name)
    {
        file_ = out_.file.sections.addFile(name);
        out_.values = true;
    }

    Expected<ChipTable> read()
    {
        const bool values = has(What::Quantity);
        const auto isKey = [values](What what) {
            return values ? what == What::Quantity || what == What::Range || what == What::Least ||
                                what == What::Typical || what == What::Most
                          : what == What::Wait || what == What::Range || what == What::Fastest ||
                                what == What::FastestWith;
        };
        std::string above, rangeAbove;
        for (TableRow& row : joinedRows(grid_, columns_, isKey, name_, out_.file.remarks)) {
            if (values)
                readQuantity(row, above);
            else if (has(What::FastestWith))
                readRange(row);
            else
                readWait(row, rangeAbove);
        }
        finish();
        return std::move(out_);
    }

private:
    bool has(What what) const
    {
        return std::any_of(columns_.columns.begin(), columns_.columns.end(),
                           [what](const Column& column) { return column.what == what; });
    }
    void remark(int line, std::string message)
    {
        if (out_.file.remarks.size() < kMostTableRemarks)
            out_.file.remarks.push_back(problemInFile(name_, line, std::move(message)));
    }
    std::string cell(const TableRow& row, What what) const
    {
        for (std::size_t c = 0; c < columns_.columns.size(); ++c)
            if (columns_.columns[c].what == what && !isNothing(row.cells[c])) {
                std::string text = joined(splitted(row.cells[c], '\n'), " ");
                takeMarks(text);
                return text;
            }
        return {};
    }

    /// What the columns file says of a name; every name is recorded, so that the missing ones can be proposed.
    std::optional<TableFact> factOf(const std::string& name, const std::string& about, int line)
    {
        out_.quantities.emplace(name, ChipTable::Quantity{line, about});
        const auto said = columns_.facts.find(name);
        return said == columns_.facts.end() ? std::nullopt : std::optional(said->second);
    }
    /// The operating range of a row; empty where it holds in all, nothing where its condition is not known: a value
    /// that holds under one condition must not be taken for all.
    std::optional<std::string> rangeOf(const std::string& cell, int line)
    {
        if (isNothing(cell))
            return std::string();
        const std::optional<TableFact> fact = factOf(cell, {}, line);
        if (fact && fact->what == Fact::Range)
            return fact->of;
        if (fact)
            remark(line, say("\"{}\" stands among conditions and is said to be {}; the row is not read.",
                             printable(cell), textOf(*fact)));
        else if (columns_.names.contains(cell))
            return std::string();
        else
            remark(line, say("not read: nothing says which operating range the condition \"{}\" is. If it "
                             "changes nothing, the name can be ignored.",
                             printable(cell.substr(0, 80))));
        return std::nullopt;
    }

    /// A cell as a device file has it: "24 MHz"; empty with a remark where it cannot be that.
    std::string valueText(const std::string& cell, const std::string& columnUnit, const std::string& rowUnit,
                          std::initializer_list<Measure> measures, int line)
    {
        const TableNumber number = tableNumberIn(cell);
        if (!number.trouble.empty()) {
            remark(line, say("\"{}\" {}; it is not read.", printable(cell.substr(0, 60)), number.trouble));
            return {};
        }
        const std::string& said = !number.unit.empty() ? number.unit : !rowUnit.empty() ? rowUnit : columnUnit;
        const std::optional<TableUnit> unit = tableUnitOf(said);
        if (!unit || std::find(measures.begin(), measures.end(), unit->measure) == measures.end()) {
            remark(line, said.empty() ? say("\"{}\" has no unit; it is not read.", printable(cell.substr(0, 60)))
                                      : say("\"{}\" in \"{}\" cannot be that value; it is not read.",
                                            printable(cell.substr(0, 60)), printable(said.substr(0, 40))));
            return {};
        }
        return unit->measure == Measure::Temperature ? number.digits : number.digits + " " + unit->name;
    }

    struct Values {
        std::string least, typical, most;
    };
    std::optional<Values> valuesOf(const TableRow& row, std::initializer_list<Measure> measures)
    {
        Values out;
        const std::string unit = cell(row, What::Unit);
        for (std::size_t c = 0; c < columns_.columns.size(); ++c) {
            const Column& column = columns_.columns[c];
            std::string* into = column.what == What::Least     ? &out.least
                                : column.what == What::Typical ? &out.typical
                                : column.what == What::Most    ? &out.most
                                                               : nullptr;
            if (!into || isNothing(row.cells[c]))
                continue;
            *into = valueText(row.cells[c], column.unit, unit, measures, row.line);
            if (into->empty())
                return std::nullopt;
        }
        return out;
    }

    static std::initializer_list<Measure> measuresOf(Fact what)
    {
        static constexpr std::initializer_list<Measure> rate{Measure::Rate}, ratio{Measure::Ratio}, time{Measure::Time},
            voltage{Measure::Voltage}, temperature{Measure::Temperature}, current{Measure::Current},
            capacitance{Measure::Capacitance};
        switch (what) {
        case Fact::Limit:
        case Fact::Rate:
        case Fact::Crystal:
        case Fact::Toggle:
        case Fact::SlowToggle:
            return rate;
        case Fact::Tolerance:
            return ratio;
        case Fact::StartUp:
        case Fact::WakeTime:
            return time;
        case Fact::Supply:
        case Fact::Bank:
            return voltage;
        case Fact::Temperature:
            return temperature;
        case Fact::Drive:
        case Fact::ModeCurrent:
            return current;
        case Fact::Load:
            return capacitance;
        case Fact::Range:
            break;
        }
        return {};
    }

    struct Item {
        Json& json;
        std::string pointer;
    };
    /// The entry of a list with ids.
    static Item item(Json& list, const std::string& section, const std::string& id)
    {
        if (!list.is_array())
            list = Json::array();
        std::size_t at = 0;
        while (at < list.size() && list[at]["id"] != id)
            ++at;
        if (at == list.size())
            list.push_back(Json{{"id", id}});
        return {list[at], section + "/" + std::to_string(at)};
    }
    Item clock(const std::string& id) { return item(out_.file.sections.value()["clocks"], "/clocks", id); }
    Item range(const std::string& id) { return item(out_.file.sections.value()["ranges"]["list"], "/ranges/list", id); }
    Item mode(const std::string& id) { return item(out_.file.sections.value()["modes"], "/modes", id); }
    Item root() { return {out_.file.sections.value(), ""}; }
    /// An object below another one, made where it is missing.
    static Item below(const Item& of, const std::string& key)
    {
        return {of.json[key], of.pointer + "/" + pointerWord(key)};
    }

    /// Sets a value that the table may say once. What is said in two ways, under conditions that are not read, is
    /// neither.
    void set(const Item& at, const std::string& key, Json value, int line)
    {
        Json& into = at.json;
        const std::string pointer = at.pointer + "/" + pointerWord(key);
        const auto known = into.find(key);
        if (twofold_.contains(pointer))
            return;
        if (known != into.end() && *known != value) {
            remark(line, say("{} is said to be {} and {}: neither is read. Name the column that tells them "
                             "apart, or the row that counts.",
                             pointer, known->dump(), value.dump()));
            into.erase(key);
            twofold_.insert(pointer);
            return;
        }
        into[key] = std::move(value);
        out_.file.sections.put(pointer, file_, line);
    }

    void readQuantity(const TableRow& row, std::string& above)
    {
        // The symbol is the name; the words beside it are what it is recognised by.
        std::string name, about;
        for (std::size_t c = 0; c < columns_.columns.size(); ++c)
            if (columns_.columns[c].what == What::Quantity && !isNothing(row.cells[c])) {
                std::string text = joined(splitted(row.cells[c], '\n'), " ");
                takeMarks(text);
                (name.empty() ? name : about) = text;
            }
        // Merged cells: one quantity under several conditions.
        if (name.empty())
            name = above;
        above = name;
        if (name.empty()) {
            remark(row.line, say("the row has values and no name; it is not read."));
            return;
        }
        ++out_.rows;
        const std::optional<TableFact> fact = factOf(name, about, row.line);
        if (!fact) {
            if (!columns_.names.contains(name) && unknown_.insert(name).second)
                remark(row.line, say("\"{}\" is not read: nothing says which value it is.", printable(name)));
            return;
        }
        const std::optional<std::string> inRange = rangeOf(cell(row, What::Range), row.line);
        if (!inRange)
            return;
        if (fact->what == Fact::Range) {
            remark(row.line, say("\"{}\" is an operating range, not a value; the row is not read.", printable(name)));
            return;
        }
        const std::optional<Values> values = valuesOf(row, measuresOf(fact->what));
        if (values)
            take(*fact, *values, *inRange, name, row.line);
    }

    void take(const TableFact& fact, const Values& v, const std::string& inRange, const std::string& name, int line)
    {
        const auto lacks = [&](const char* what) {
            remark(line, say("\"{}\" has no {} value; it is not read as {}.", printable(name), what, textOf(fact)));
        };
        if (!inRange.empty() && fact.what != Fact::Limit) {
            remark(line, say("\"{}\" differs by operating range, which {} cannot; it is not read.", printable(name),
                             textOf(fact)));
            return;
        }
        const std::string one = !v.typical.empty() ? v.typical : v.least == v.most ? v.most : std::string();
        const std::string& most = v.most.empty() ? one : v.most;
        const bool both = !v.least.empty() && !v.most.empty();
        // What has no value must leave no trace, so the place is made only for one.
        const auto takeOne = [&](const auto& into, const char* key, const std::string& value, const char* needed) {
            if (value.empty())
                lacks(needed);
            else
                set(into(), key, value, line);
        };
        const auto takeBoth = [&](const auto& into, const char* key) {
            if (both)
                set(into(), key, Json::array({v.least, v.most}), line);
            else
                lacks(say("lowest and highest"));
        };
        const auto ofClock = [&] { return clock(fact.of); };
        const auto ofMode = [&] { return mode(fact.of); };
        const auto ofPads = [&] { return below(root(), "pad_defaults"); };
        switch (fact.what) {
        case Fact::Limit: {
            if (v.least.empty() && v.most.empty())
                return lacks(say("lowest or highest"));
            Json limit = Json::object();
            if (!v.least.empty())
                limit["min"] = v.least;
            if (!v.most.empty())
                limit["max"] = v.most;
            if (inRange.empty())
                set(clock(fact.of), "limit", std::move(limit), line);
            else
                set(below(clock(fact.of), "limits"), inRange, std::move(limit), line);
            return;
        }
        case Fact::Rate:
            return takeOne(ofClock, "rate", one, "typical");
        case Fact::Tolerance:
            return takeTolerance(fact, v, lacks, line);
        case Fact::StartUp:
            return takeOne(ofClock, "startup", v.most, "highest");
        case Fact::Crystal:
            return takeBoth(ofClock, "crystal");
        case Fact::Supply:
            return takeBoth([&] { return fact.of.empty() ? root() : range(fact.of); }, "supply");
        case Fact::Temperature: {
            const auto least = wholeNumber(v.least.starts_with('-') ? v.least.substr(1) : v.least, 300),
                       highest = wholeNumber(v.most.starts_with('-') ? v.most.substr(1) : v.most, 300);
            if (!least || !highest)
                return lacks(say("lowest and highest whole"));
            return set(root(), "temperature",
                       Json::array({v.least.starts_with('-') ? -*least : *least,
                                    v.most.starts_with('-') ? -*highest : *highest}),
                       line);
        }
        case Fact::Bank:
            return takeOne([&] { return below(root(), "banks"); }, fact.of.c_str(), one, "typical");
        case Fact::Toggle:
            return takeOne(ofPads, "max_toggle", v.most, "highest");
        case Fact::SlowToggle:
            return takeOne(ofPads, "slow_toggle", v.most, "highest");
        case Fact::Drive: {
            if (most.empty())
                return lacks("highest");
            const Item drives = below(below(root(), "pad_defaults"), "drives");
            if (!drives.json.is_array())
                drives.json = Json::array();
            if (std::find(drives.json.begin(), drives.json.end(), most) == drives.json.end())
                drives.json.push_back(most);
            out_.file.sections.put(drives.pointer, file_, line);
            return;
        }
        case Fact::Load:
            return takeOne(ofPads, "load", most, "highest");
        case Fact::ModeCurrent:
            return takeOne(ofMode, "draws", one.empty() ? v.most : one, "typical");
        case Fact::WakeTime:
            return takeOne(ofMode, "wake_time", v.most, "highest");
        case Fact::Range:
            return;
        }
    }

    /// How far below and above, each as a positive number.
    template <class Lacks> void takeTolerance(const TableFact& fact, const Values& v, const Lacks& lacks, int line)
    {
        const auto positive = [](const std::string& text) { return text.starts_with('-') ? text.substr(1) : text; };
        const std::string& above = v.most.empty() ? v.typical : v.most;
        if (above.empty())
            return lacks("highest");
        if (above.starts_with('-') || (!v.least.empty() && !v.least.starts_with('-') && v.least != above))
            return lacks(say("lowest below and highest above the nominal"));
        set(clock(fact.of), "tolerance",
            v.least.empty() || positive(v.least) == above ? Json(above) : Json::array({positive(v.least), above}),
            line);
    }

    /// The number of wait states: "2", "2 WS", "2 wait states (3 cycles)".
    static std::optional<std::int64_t> waitsIn(const std::string& text)
    {
        const std::size_t digits = text.find_first_not_of("0123456789");
        return wholeNumber(std::string_view(text).substr(0, digits), 64);
    }

    void noteFastest(const std::string& range, std::int64_t waits, const std::string& rate, int line)
    {
        auto& known = fastest_[range];
        const auto [at, fresh] = known.emplace(waits, std::pair(rate, line));
        if (!fresh && at->second.first != rate) {
            remark(line, say("{} of {}: said to allow {} and {}; none of its wait states are read.",
                             sayCount(long(waits), "{} wait state", "{} wait states"),
                             range.empty() ? say("the chip") : range, at->second.first, rate));
            twofold_.insert(range);
        }
    }

    /// A row for each number of wait states.
    void readWait(const TableRow& row, std::string& rangeAbove)
    {
        const std::string text = cell(row, What::Wait);
        const std::optional<std::int64_t> waits = waitsIn(text);
        std::string range = cell(row, What::Range);
        if (range.empty())
            range = rangeAbove;
        rangeAbove = range;
        if (!waits) {
            remark(row.line,
                   say("\"{}\" is no number of wait states; the row is not read.", printable(text.substr(0, 60))));
            return;
        }
        ++out_.rows;
        const std::optional<std::string> inRange = rangeOf(range, row.line);
        if (!inRange)
            return;
        for (std::size_t c = 0; c < columns_.columns.size(); ++c) {
            const Column& column = columns_.columns[c];
            if (column.what != What::Fastest || isNothing(row.cells[c]))
                continue;
            // A heading of one word can be an operating range's id; anything else must be explained.
            const bool id = column.range.find(' ') == std::string::npos && !columns_.facts.contains(column.range);
            if (!id && !columns_.facts.contains(column.range)) {
                out_.quantities.emplace(column.range, ChipTable::Quantity{row.line, {}});
                if (unknown_.insert(column.range).second)
                    remark(row.line, say("the column is not read: nothing says which operating range \"{}\" is.",
                                         printable(column.range)));
                continue;
            }
            const std::optional<std::string> range = column.range.empty() ? inRange
                                                     : id                 ? std::optional(column.range)
                                                                          : rangeOf(column.range, row.line);
            const std::string rate =
                valueText(row.cells[c], column.unit, cell(row, What::Unit), {Measure::Rate}, row.line);
            if (!rate.empty() && range)
                noteFastest(*range, *waits, rate, row.line);
        }
    }

    /// A row for each operating range, a column for each number of wait states.
    void readRange(const TableRow& row)
    {
        ++out_.rows;
        const std::optional<std::string> inRange = rangeOf(cell(row, What::Range), row.line);
        if (!inRange)
            return;
        for (std::size_t c = 0; c < columns_.columns.size(); ++c) {
            const Column& column = columns_.columns[c];
            if (column.what != What::FastestWith || isNothing(row.cells[c]))
                continue;
            const std::string rate =
                valueText(row.cells[c], column.unit, cell(row, What::Unit), {Measure::Rate}, row.line);
            if (!rate.empty())
                noteFastest(*inRange, column.code, rate, row.line);
        }
    }

    void finish()
    {
        for (const auto& [id, limits] : fastest_) {
            const int line = limits.begin()->second.second;
            if (twofold_.contains(id))
                continue;
            if (id.empty()) {
                remark(line, say("nothing says of which operating range these wait states are; they are not read."));
                continue;
            }
            Json list = Json::array();
            for (const auto& [waits, limit] : limits) {
                if (waits != std::int64_t(list.size()))
                    break;
                list.push_back(limit.first);
            }
            if (list.size() != limits.size()) {
                remark(line, say("the wait states of {} do not go up from 0 one by one; they are not read.", id));
                continue;
            }
            const Item into = range(id);
            set(into, "wait_states", std::move(list), line);
            for (const auto& [waits, limit] : limits)
                out_.file.sections.put(fmt::format("{}/wait_states/{}", into.pointer, waits), file_, limit.second);
        }
    }

    const Grid& grid_;
    const Columns& columns_;
    const std::string& name_;
    int file_ = 0;
    std::set<std::string> unknown_, twofold_;                                            ///< names; pointers and ranges
    std::map<std::string, std::map<std::int64_t, std::pair<std::string, int>>> fastest_; ///< range, wait states
    ChipTable out_;
};

} // namespace

bool isValueTable(const Columns& columns)
{
    return std::any_of(columns.columns.begin(), columns.columns.end(), [](const Column& column) {
        return column.what == What::Quantity || column.what == What::Fastest || column.what == What::FastestWith;
    });
}

Expected<ChipTable> readValueTable(const Grid& grid, const Columns& columns, const std::string& name)
{
    return ValueReader(grid, columns, name).read();
}

} // namespace bindrel
