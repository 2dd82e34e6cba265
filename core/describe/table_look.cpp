// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/table_look.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/describe/quantity_names.h"
#include "core/describe/signal_names.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

std::string meaningOf(const std::optional<TableSignal>& signal)
{
    if (!signal)
        return "ignored";
    return signal->instance + "." + signal->signal + (signal->direction.empty() ? "" : " " + signal->direction);
}

/// What the columns say of a name.
std::optional<std::string> saidOf(const Columns& columns, const std::string& name)
{
    if (const auto fact = columns.facts.find(name); fact != columns.facts.end())
        return textOf(fact->second);
    if (const auto signal = columns.names.find(name); signal != columns.names.end())
        return meaningOf(signal->second);
    return std::nullopt;
}

} // namespace

Expected<TableLook> lookAtTable(const Grid& grid, const Columns& columns, const Device& device,
                                const std::string& table, const std::string& package)
{
    Expected<ChipTable> read = readChipTable(grid, columns, table, package);
    if (!read)
        return read.problem();
    TableLook out{*std::move(read), {}};
    const bool requests = std::any_of(columns.columns.begin(), columns.columns.end(),
                                      [](const Column& column) { return column.what == Column::What::Source; });
    const NamesOf of = !out.table.numbers ? NamesOf::Pads : requests ? NamesOf::Requests : NamesOf::Interrupts;
    for (const auto& [name, line] : out.table.names) {
        const auto longName = out.table.longNames.find(name);
        const std::string whole = longName == out.table.longNames.end() ? std::string() : longName->second;
        TableName entry{.name = whole.empty() ? name : whole, .line = line};
        std::optional<std::string> said = whole.empty() ? std::nullopt : saidOf(columns, whole);
        if (!said)
            said = saidOf(columns, name);
        if (said) {
            entry.meaning = *said;
            entry.known = true;
        } else {
            const SignalProposal proposal = proposeSignal(device, name, whole, of);
            entry.reason = proposal.reason;
            entry.confidence = proposal.confidence;
            entry.alternatives = joined(proposal.others, ", ");
            if (proposal.signal)
                entry.meaning = meaningOf(proposal.signal);
        }
        out.names.push_back(std::move(entry));
    }
    for (const auto& [name, quantity] : out.table.quantities) {
        TableName entry{.name = name, .line = quantity.line, .isCondition = quantity.about.empty()};
        if (const std::optional<std::string> said = saidOf(columns, name)) {
            entry.meaning = *said;
            entry.known = true;
        } else {
            const FactProposal proposal = proposeFact(device, name, quantity.about);
            entry.reason = proposal.reason;
            entry.confidence = proposal.confidence;
            if (proposal.fact)
                entry.meaning = textOf(*proposal.fact);
        }
        out.names.push_back(std::move(entry));
    }
    return out;
}

Expected<Columns> withMeaning(Columns columns, const std::string& name, const std::string& meaning)
{
    const std::string text(trimmed(meaning));
    columns.names.erase(name);
    columns.facts.erase(name);
    if (text.empty())
        return columns;
    if (text == "ignored") {
        columns.names[name] = std::nullopt;
        return columns;
    }
    if (const std::optional<TableFact> fact = tableFactFrom(text)) {
        columns.facts[name] = *fact;
        return columns;
    }
    if (const std::optional<TableSignal> signal = tableSignalFrom(text)) {
        columns.names[name] = *signal;
        return columns;
    }
    return problemOf(say("\"{}\" is no meaning of a name: use INSTANCE.SIGNAL with in, out, both or analog "
                         "behind it, a value such as \"limit of CLOCK\", or ignored.",
                         printable(text)));
}

std::string columnsFileText(const TableLook& look, const Columns& columns, const std::string& before,
                            const std::string& table, double least)
{
    Columns taken = columns;
    std::string open;
    for (const TableName& name : look.names) {
        if (name.known)
            continue;
        if (!name.meaning.empty() && name.confidence >= least) {
            if (Expected<Columns> with = withMeaning(taken, name.name, name.meaning))
                taken = *std::move(with);
        } else {
            open += fmt::format("# name \"{}\" is {}\n", name.name,
                                !look.table.values ? "INSTANCE.SIGNAL"
                                : name.isCondition ? "range RANGE"
                                                   : "limit of CLOCK");
        }
    }
    if (before.empty())
        return columnsText(taken, table) + open;
    for (const auto& [name, signal] : columns.names)
        taken.names.erase(name);
    for (const auto& [name, fact] : columns.facts)
        taken.facts.erase(name);
    taken.columns.clear();
    const std::string names = columnsText(taken, "");
    std::string out = before + (before.ends_with('\n') ? "" : "\n") + names.substr(names.find('\n') + 1);
    for (const std::string& line : splitted(open, '\n'))
        if (!line.empty() && before.find(line) == std::string::npos)
            out += line + "\n";
    return out;
}

std::string columnsTextOver(const std::string& before, const Columns& columns, const std::string& table)
{
    // Each line of the text that the columns make, by what it is about: column "F7", name "TXD0".
    const auto about = [](std::string_view line) {
        const std::size_t open = line.find('"'), close = open == line.npos ? open : line.find('"', open + 1);
        return close == line.npos ? std::string() : std::string(trimmed(line.substr(0, close + 1)));
    };
    std::map<std::string, std::string> now;
    std::vector<std::string> order;
    std::string head;
    for (const std::string& line : splitted(columnsText(columns, table), '\n'))
        if (line.starts_with('#'))
            head = line + "\n";
        else if (const std::string key = about(line); !key.empty() && now.emplace(key, line).second)
            order.push_back(key);
    std::string out = before.empty() ? head : std::string();
    std::set<std::string> seen;
    for (const std::string& raw : before.empty() ? std::vector<std::string>() : splitted(before, '\n')) {
        const std::string_view line = trimmed(raw);
        const std::string key = line.starts_with("column") || line.starts_with("name") ? about(line) : std::string();
        const auto said = now.find(key);
        if (key.empty())
            out += raw + "\n";
        else if (said == now.end())
            out += "# " + raw + "\n";
        else if (seen.insert(key).second)
            out += (said->second == line ? raw : said->second) + "\n";
    }
    // The last line feed of the text was a separator.
    if (before.ends_with('\n'))
        out.pop_back();
    for (const std::string& key : order)
        if (!seen.contains(key))
            out += now[key] + "\n";
    return out;
}

} // namespace bindrel
