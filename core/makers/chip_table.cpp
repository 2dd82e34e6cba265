// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/makers/chip_table.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/base/whole_number.h"
#include "core/makers/table_rows.h"
#include "core/makers/value_table.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

using What = Column::What;
using Json = nlohmann::ordered_json;

/// A number behind or before a name: "UART1_TX (7)", "7: UART1_TX", "7 = UART1_TX"; -1 without one.
std::pair<std::string, int> withCode(const std::string& text)
{
    const auto number = [](std::string_view digits) {
        digits = trimmed(digits);
        // Codes are often written with letters before them.
        const std::size_t letters = digits.find_first_of("0123456789");
        if (letters <= 3 && std::all_of(digits.begin(), digits.begin() + std::ptrdiff_t(letters),
                                        [](char c) { return c >= 'A' && c <= 'Z'; }))
            digits.remove_prefix(letters);
        return int(wholeNumber(digits, 99).value_or(-1));
    };
    if (const std::size_t open = text.find_last_of('('); text.ends_with(')') && open != std::string::npos)
        if (const int code = number(std::string_view(text).substr(open + 1, text.size() - open - 2)); code >= 0)
            return {std::string(trimmed(text.substr(0, open))), code};
    for (const char sign : {':', '='})
        if (const std::size_t at = text.find(sign); at != std::string::npos)
            if (const int code = number(text.substr(0, at)); code >= 0)
                return {std::string(trimmed(text.substr(at + 1))), code};
    return {text, -1};
}

class TableReader {
public:
    TableReader(const Grid& grid, const Columns& columns, const std::string& name, const std::string& package)
        : grid_(grid), columns_(columns), name_(name)
    {
        file_ = out_.file.sections.addFile(name);
        std::vector<std::string> packages;
        for (std::size_t c = 0; c < columns.columns.size(); ++c)
            if (columns.columns[c].what == What::Pin) {
                packages.push_back(columns.columns[c].package);
                if (pinColumn_ < 0 && (package.empty() || columns.columns[c].package == package))
                    pinColumn_ = int(c);
            }
        if (!package.empty() && pinColumn_ < 0)
            trouble_ = say("has no pins of a package \"{}\".{}", printable(package),
                           packages.empty() ? std::string(say(" It has none at all."))
                                            : say(" It has ") + listed(packages) + ".");
        package_ = pinColumn_ < 0 ? std::string() : columns.columns[std::size_t(pinColumn_)].package;
        const auto has = [&columns](What what) {
            return std::any_of(columns.columns.begin(), columns.columns.end(),
                               [what](const Column& column) { return column.what == what; });
        };
        bySignal_ = has(What::Signal) && has(What::Pads);
        out_.numbers = has(What::Number);
        if (trouble_.empty() && !bySignal_ && !out_.numbers && !has(What::Pad))
            trouble_ = say("has no column of pads, of signals with their pads, or of numbers.");
    }

    Expected<ChipTable> read()
    {
        if (!trouble_.empty())
            return at(0, trouble_);
        for (const Row& row : joinedRows(grid_, columns_, isKey, name_, out_.file.remarks)) {
            const Outcome done = out_.numbers ? readNumber(row) : bySignal_ ? readSignal(row) : readPad(row);
            if (!done)
                return done.problem();
        }
        finish();
        return std::move(out_);
    }

private:
    using Row = TableRow;

    Problem at(int line, std::string message) const { return problemInFile(name_, line, std::move(message)); }
    void remark(int line, std::string message)
    {
        if (out_.file.remarks.size() < kMostTableRemarks)
            out_.file.remarks.push_back(at(line, std::move(message)));
    }
    static bool isKey(What what)
    {
        return what == What::Pin || what == What::Pad || what == What::Signal || what == What::Number;
    }
    std::string cell(const Row& row, What what) const
    {
        for (std::size_t c = 0; c < columns_.columns.size(); ++c)
            if (columns_.columns[c].what == what && !isNothing(row.cells[c]))
                return row.cells[c];
        return {};
    }

    /// The signal that the columns file gives for a name; null if none. Every name is recorded, so that the missing
    /// ones can be proposed.
    const TableSignal* signalOf(const std::string& name, const std::string& longName, int line)
    {
        out_.names.emplace(name, line);
        if (!longName.empty()) {
            out_.longNames.emplace(name, longName);
            if (const auto said = columns_.names.find(longName); said != columns_.names.end())
                return said->second ? &*said->second : nullptr;
        }
        const auto said = columns_.names.find(name);
        if (said == columns_.names.end()) {
            if (unknown_.insert(name).second)
                remark(line, say("\"{}\" is not read: nothing says which signal it is.", printable(name)));
            return nullptr;
        }
        return said->second ? &*said->second : nullptr;
    }

    /// The signals of a cell, each with its code (-1 without one).
    std::vector<std::pair<TableSignal, int>> signalsIn(std::string text, int line)
    {
        std::vector<std::pair<TableSignal, int>> out;
        std::string before;
        for (const std::string& piece : namesIn(text)) {
            auto [name, code] = withCode(piece);
            marks_ = takeMarks(name) || marks_;
            if (isNothing(name))
                continue;
            // "TIMER1_CH1/CH1N": the second one is of the same instance.
            std::string longName;
            const std::size_t cut = before.find_first_of("_.");
            if (cut != std::string::npos && name.find_first_of("_.") == std::string::npos)
                longName = before.substr(0, cut + 1) + name;
            else
                before = name;
            if (const TableSignal* signal = signalOf(name, longName, line))
                out.emplace_back(*signal, code);
        }
        return out;
    }

    void noteSignal(const TableSignal& signal, int line)
    {
        if (signal.direction.empty())
            return;
        Json& signals = instances_[signal.instance]["signals"];
        if (!signals.contains(signal.signal)) {
            signals[signal.signal] = signal.direction;
            out_.file.sections.put(
                "/instances/" + pointerWord(signal.instance) + "/signals/" + pointerWord(signal.signal), file_, line);
        }
    }
    void lead(const std::string& pad, int code, const TableSignal& signal, int line)
    {
        noteSignal(signal, line);
        const std::string key = std::to_string(code), value = signal.instance + "." + signal.signal;
        Json& routes = pads_[pad]["routes"];
        const auto known = routes.find(key);
        const std::string pointer = "/pads/" + pointerWord(pad) + "/routes/" + key;
        if (known == routes.end()) {
            routes[key] = value;
            out_.file.sections.put(pointer, file_, line);
            return;
        }
        if (known->is_string() ? *known == value : std::find(known->begin(), known->end(), value) != known->end())
            return;
        if (known->is_string())
            *known = Json::array({*known, value});
        else
            known->push_back(value);
    }
    void fix(const std::string& pad, const TableSignal& signal, int line)
    {
        noteSignal(signal, line);
        Json& fixed = pads_[pad]["fixed"];
        const std::string value = signal.instance + "." + signal.signal;
        if (!fixed.is_array())
            fixed = Json::array();
        if (std::find(fixed.begin(), fixed.end(), value) == fixed.end()) {
            fixed.push_back(value);
            out_.file.sections.put("/pads/" + pointerWord(pad) + "/fixed", file_, line);
        }
    }

    Outcome readPad(const Row& row)
    {
        MakersPin pin;
        pin.name = cell(row, What::Pad);
        marks_ = takeMarks(pin.name) || marks_;
        // "PA3 (RESET)", "PA3-OSC_IN": the pad is the word before.
        if (const std::size_t blank = pin.name.find_first_of(" \n("); blank != std::string::npos)
            pin.name.resize(blank);
        pin.number = pinColumn_ < 0 ? std::string() : row.cells[std::size_t(pinColumn_)];
        marks_ = takeMarks(pin.number) || marks_;
        pin.line = row.line;
        pin.column = 1;
        if (isNothing(pin.number))
            pin.number.clear();
        if (pin.name.empty()) {
            remark(row.line, say("the row has a pin and no name; it is not read."));
            return {};
        }
        ++out_.rows;
        const std::string type = lowered(cell(row, What::Type));
        const PowerName power = powerOf(pin.name);
        pin.kind = type == "supply" || type == "power" || type == "s" || type == "p"  ? MakersPin::Kind::Supply
                   : type == "ground" || type == "g"                                  ? MakersPin::Kind::Ground
                   : type == "dedicated" || type == "nc" || lowered(pin.name) == "nc" ? MakersPin::Kind::Dedicated
                   : power == PowerName::Supply                                       ? MakersPin::Kind::Supply
                   : power == PowerName::Ground                                       ? MakersPin::Kind::Ground
                                                                                      : MakersPin::Kind::Pad;
        // A package of several columns, and this pin is not on the one that is read.
        const bool absent = pinColumn_ >= 0 && pin.number.empty();
        if (!absent && pinColumn_ >= 0) {
            for (const std::string& number : namesIn(pin.number)) {
                MakersPin one = pin;
                one.number = number;
                if (!numbers_.insert(number).second)
                    return at(row.line, say("the pin {} is listed twice.", printable(number)));
                pins_.push_back(std::move(one));
            }
        }
        if (pin.kind != MakersPin::Kind::Pad || absent)
            return {};
        if (pinColumn_ < 0)
            onlyPads_.emplace(pin.name, row.line);
        for (std::size_t c = 0; c < columns_.columns.size(); ++c) {
            const Column& column = columns_.columns[c];
            if (isNothing(row.cells[c]))
                continue;
            if (column.what == What::Code)
                for (const auto& [signal, code] : signalsIn(row.cells[c], row.line))
                    lead(pin.name, column.code, signal, row.line);
            else if (column.what == What::Fixed)
                for (const auto& [signal, code] : signalsIn(row.cells[c], row.line))
                    fix(pin.name, signal, row.line);
            else if (column.what == What::Functions)
                for (const auto& [signal, code] : signalsIn(row.cells[c], row.line)) {
                    if (code >= 0)
                        lead(pin.name, code, signal, row.line);
                    else
                        remark(row.line, say("{}.{} has no code, so nothing can lead it to {}.", signal.instance,
                                             signal.signal, pin.name));
                }
        }
        return {};
    }

    Outcome readSignal(const Row& row)
    {
        std::string name = cell(row, What::Signal);
        marks_ = takeMarks(name) || marks_;
        if (name.empty()) {
            remark(row.line, say("the row has no signal; it is not read."));
            return {};
        }
        ++out_.rows;
        const std::string codeText = cell(row, What::CodeOf);
        const int rowCode = withCode("(" + codeText + ")").second;
        const TableSignal* signal = signalOf(name, {}, row.line);
        if (!signal)
            return {};
        for (const std::string& piece : namesIn(cell(row, What::Pads))) {
            const auto [pad, own] = withCode(piece);
            const int code = own >= 0 ? own : rowCode;
            onlyPads_.emplace(pad, row.line);
            if (code >= 0)
                lead(pad, code, *signal, row.line);
            else if (signal->direction == "analog" || lowered(codeText) == "fixed")
                fix(pad, *signal, row.line);
            else
                remark(row.line, say("{} on {} has no code; the entry is not read. Add its code, or give the "
                                     "signal the direction analog.",
                                     name, pad));
        }
        return {};
    }

    Outcome readNumber(const Row& row)
    {
        const std::string text = cell(row, What::Number);
        if (text.empty() || text.size() > 4 || text.find_first_not_of("0123456789") != std::string::npos) {
            remark(row.line, say("\"{}\" is no number; the row is not read.", printable(text)));
            return {};
        }
        const bool request = cell(row, What::Name).empty();
        std::string name = request ? cell(row, What::Source) : cell(row, What::Name);
        marks_ = takeMarks(name) || marks_;
        if (isNothing(name) || lowered(name) == "reserved")
            return {};
        ++out_.rows;
        const TableSignal* signal = signalOf(name, {}, row.line);
        if (!signal)
            return {};
        const char* section = request ? "dma" : "interrupts";
        instances_[signal->instance][section][signal->signal] = std::stoi(text);
        out_.file.sections.put("/instances/" + pointerWord(signal->instance) + "/" + section + "/" +
                                   pointerWord(signal->signal),
                               file_, row.line);
        return {};
    }

    void finish()
    {
        Json& value = out_.file.sections.value();
        if (!pins_.empty()) {
            putPins(out_.file, file_, package_.empty() ? "package" : package_, pins_);
        } else if (!onlyPads_.empty()) {
            value["pads"] = Json::object();
            for (const auto& [pad, line] : onlyPads_) {
                value["pads"][pad] = Json::object();
                out_.file.sections.put("/pads/" + pointerWord(pad), file_, line);
            }
        }
        for (auto& [pad, says] : pads_)
            if (value.contains("pads") && value["pads"].contains(pad))
                value["pads"][pad].update(says);
        if (!instances_.empty()) {
            value["instances"] = Json::object();
            for (auto& [instance, says] : instances_)
                value["instances"][instance] = says;
        }
        if (marks_)
            remark(0, say("footnotes are marked in the table; what they say is not read."));
    }

    const Grid& grid_;
    const Columns& columns_;
    const std::string& name_;
    std::string trouble_, package_;
    int file_ = 0, pinColumn_ = -1;
    bool bySignal_ = false, marks_ = false;
    std::vector<MakersPin> pins_;
    std::set<std::string> numbers_, unknown_;
    std::map<std::string, int> onlyPads_;
    std::map<std::string, Json> pads_, instances_;
    ChipTable out_;
};

} // namespace

Expected<ChipTable> readChipTable(const Grid& grid, const Columns& columns, const std::string& name,
                                  const std::string& package)
{
    return isValueTable(columns) ? readValueTable(grid, columns, name)
                                 : TableReader(grid, columns, name, package).read();
}

} // namespace bindrel
