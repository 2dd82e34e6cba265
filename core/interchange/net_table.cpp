// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/net_table.h"

#include "core/base/say.h"
#include "core/base/table_cells.h"
#include "core/base/text.h"
#include "core/plan/board_entry.h"
#include "core/plan/board_facts.h"
#include "core/plan/pin_property.h"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>
#include <map>
#include <set>

namespace bindrel {

Expected<NetTable> readNetTable(const std::string& text, const Device& device)
{
    NetTable out;
    if (text.size() > 4'000'000)
        return problemOf(say("the table is longer than 4 MB; that is no table of one chip's nets."));
    if (!isUtf8(text))
        return problemOf(say("the table is not UTF-8 text; export it as such."));
    std::map<std::string, const PackagePin*, std::less<>> pins;
    std::vector<std::string> names;
    for (const PackagePin& pin : device.package.pins) {
        pins.emplace(uppered(pin.number), &pin);
        if (pin.kind == PackagePin::Kind::Pad) {
            pins.emplace(uppered(pin.name), &pin);
            names.push_back(pin.name);
        }
    }
    int pinColumn = 0;
    int netColumn = 1;
    bool first = true;
    std::map<std::string, std::pair<std::string, int>> known;
    for (const auto& [number, whole] : tableLines(text)) {
        const std::string_view line = whole;
        if (!isPrintable(joined(splitted(line, '\t'), " ")))
            return problemOf(say(
                "line {}: \"{}\" has a character that cannot be seen or changes the direction of writing; take it out.",
                number, printable(line.substr(0, 60))));
        const std::vector<std::string> cells = cellsOf(line, separatorOf(line));
        if (std::exchange(first, false)) {
            const PinIndex pin = columnOf(cells, {"pin", "ball", "pad", "number", "pin number"});
            // A sheet of our own has a signal beside the net; what is asked for is the net.
            const int named = columnOf(cells, {"net", "net name"});
            const int net = named >= 0 ? named : columnOf(cells, {"signal"});
            if (pin >= 0 && net >= 0) {
                pinColumn = pin;
                netColumn = net;
                continue;
            }
        }
        if (static_cast<int>(cells.size()) <= std::max(pinColumn, netColumn))
            return problemOf(
                say("line {}: \"{}\" has no net; write a pin and its net, with a comma, a tab or a blank between.",
                    number, std::string(line.substr(0, 60))));
        const std::string& pin = cells[size_t(pinColumn)];
        const std::string& net = cells[size_t(netColumn)];
        const auto found = pins.find(uppered(pin));
        if (found == pins.end())
            return problemOf(say("line {}: \"{}\" is neither a pin of {} nor a pad of {}.{}", number, pin,
                                 device.package.name, device.name, didYouMean(uppered(pin), names)));
        if (found->second->pad < 0) {
            out.notes.push_back(say("line {}: pin {} is {}", number, found->second->number, found->second->name));
            continue;
        }
        if (net.empty()) {
            out.notes.push_back(say("line {}: {} has no net", number, found->second->name));
            continue;
        }
        if (const Expected<std::string> checked = checkPinProperty("net", net); !checked)
            return problemOf(say("line {}: {}", number, checked.problem().message));
        const auto [at, fresh] = known.emplace(found->second->name, std::pair(net, number));
        if (!fresh && at->second.first != net)
            return problemOf(say("line {}: {} is on {} here and on {} in line {}.", number, found->second->name, net,
                                 at->second.first, at->second.second));
        if (fresh)
            out.entries.push_back({found->second->name, net, number});
    }
    return out;
}

namespace {

/// Terminals as the schematic has them now; a need's own stay. Nothing when they are called otherwise here, since then
/// somebody has named them.
std::optional<Part> withTerminalsOf(const Plan& plan, const Part& known, const Part& told)
{
    const auto has = [](const Part& part, const std::string& terminal) {
        return std::ranges::find(part.terminals, terminal) != part.terminals.end();
    };
    const auto shared =
        std::ranges::count_if(known.terminals, [&](const std::string& terminal) { return has(told, terminal); });
    if (std::size_t(shared) * 2 < known.terminals.size())
        return std::nullopt;
    Part out = known;
    out.terminals = told.terminals;
    for (const Need& need : plan.needs)
        for (const auto& [signal, terminal] : need.terminals)
            if (need.part == known.id && !has(out, terminal))
                out.terminals.push_back(terminal);
    std::erase_if(out.facts, [&](const auto& fact) { return !has(out, fact.first); });
    return out == known ? std::nullopt : std::optional(out);
}

/// The parts that the chip's signals lead to. What the board's file says of a part stands.
void addParts(const Snapshot& s, const NetTable& table, Edit& edit)
{
    std::map<std::string_view, const Part*> byReference;
    std::set<std::string> ids;
    for (const Part& part : s.board->parts) {
        byReference.emplace(part.reference, &part);
        ids.insert(part.id);
    }
    std::size_t end = s.plan.parts.size();
    std::set<std::string_view> told;
    for (const Part& part : table.parts) {
        told.insert(part.reference);
        const auto known = byReference.find(part.reference);
        if (known == byReference.end()) {
            Part fresh = part;
            for (int n = 2; !ids.insert(fresh.id).second; ++n)
                fresh.id = part.id + "-" + std::to_string(n);
            edit.changes.push_back(InsertPart{end++, std::move(fresh)});
        } else if (!s.filedBoard->part(known->second->id)) {
            if (std::optional<Part> now = withTerminalsOf(s.plan, *known->second, part)) {
                Edit replaced = editOfPart(s.plan, *std::move(now), {});
                std::ranges::move(replaced.changes, std::back_inserter(edit.changes));
            }
        }
    }
    for (const Part& part : s.plan.parts) {
        const bool gone = !table.parts.empty() && !part.reference.empty() && !told.contains(part.reference);
        const bool used = std::ranges::find(s.plan.needs, part.id, &Need::part) != s.plan.needs.end();
        if (gone && !used && !s.filedBoard->part(part.id))
            edit.changes.push_back(RemovePart{part.id});
    }
}

} // namespace

Edit editOfNets(const Snapshot& s, const NetTable& table)
{
    Edit edit{say("Nets of {}", sayCount(static_cast<long>(table.entries.size()), "{} pad", "{} pads")), {}};
    const bool filed = s.filedBoard->device == s.device->name;
    for (const NetTable::Entry& entry : table.entries) {
        const auto known = s.filedBoard->nets.find(entry.pad);
        const bool same = filed && known != s.filedBoard->nets.end() && known->second == entry.net;
        const auto now = s.board->nets.find(entry.pad);
        if (now != s.board->nets.end() && now->second == entry.net)
            continue;
        edit.changes.push_back(SetNet{entry.pad, same ? std::nullopt : std::optional(entry.net)});
    }
    for (const auto& [clock, crystal] : table.crystals)
        if (const auto known = s.board->crystals.find(clock); known == s.board->crystals.end() ||
                                                              known->second.rate != crystal.rate ||
                                                              !(known->second.tolerance == crystal.tolerance))
            edit.changes.push_back(SetCrystal{clock, crystal});
    // What a part's terminal says already is not said again.
    const auto saidByTerminal = [&s](const std::string& pad, TerminalFact::Level level) {
        for (const Need& need : s.plan.needs)
            for (const auto& [signal, at] : need.binding.pads)
                if (const TerminalFact* fact = at == pad ? terminalFact(*s.board, need, signal) : nullptr)
                    if (fact->pull == level)
                        return true;
        return false;
    };
    for (const auto& [pad, told] : table.resistors) {
        NetResistors wanted = told;
        if (wanted.pull && saidByTerminal(pad, *wanted.pull))
            wanted.pull.reset();
        const auto known = s.board->resistors.find(pad);
        if (known == s.board->resistors.end() ? wanted.none() : known->second == wanted)
            continue;
        const auto inFile = s.filedBoard->resistors.find(pad);
        const bool same = filed && inFile != s.filedBoard->resistors.end() && inFile->second == wanted;
        edit.changes.push_back(SetResistors{pad, same ? std::nullopt : std::optional(wanted)});
    }
    if (table.complete)
        for (const auto& known : s.board->resistors)
            if (!table.resistors.contains(known.first))
                edit.changes.push_back(SetResistors{known.first, filed && s.filedBoard->resistors.contains(known.first)
                                                                     ? std::optional(NetResistors())
                                                                     : std::nullopt});
    addParts(s, table, edit);
    if (table.complete)
        for (const auto& known : s.board->nets) {
            const std::string& pad = known.first;
            const bool there = std::any_of(table.entries.begin(), table.entries.end(),
                                           [&pad](const NetTable::Entry& entry) { return entry.pad == pad; });
            if (!there)
                edit.changes.push_back(SetNet{
                    pad, filed && s.filedBoard->nets.contains(pad) ? std::optional(std::string()) : std::nullopt});
        }
    return edit;
}

} // namespace bindrel
