// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/pin_sheet.h"

#include "core/base/say.h"
#include "core/device/net_resistors.h"
#include "core/interchange/csv.h"
#include "core/plan/board_facts.h"
#include "core/plan/pin_property.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

const std::vector<SheetColumn>& sheetColumns()
{
    static const std::vector<SheetColumn> all{
        {"pin", later("Pin"), ""},
        {"pad", later("Pad"), ""},
        {"signal", later("Signal"), ""},
        {"need", later("Need"), ""},
        {"name", later("Name"), "name"},
        {"net", later("Net"), "net"},
        {"code", later("Mux"), ""},
        {"direction", later("Direction"), ""},
        {"pull", later("Pull"), "pull"},
        {"drive", later("Drive"), "drive"},
        {"speed", later("Edges"), "speed"},
        {"level", later("Level"), "level"},
        {"open_drain", later("Drain"), "open_drain"},
        {"supply", later("Supply"), ""},
        {"part", later("Part"), ""},
        {"resistor", later("Resistor"), "resistor"},
    };
    return all;
}

namespace {

const char* directionText(const PadSetup& setup, const SignalSpec& signal)
{
    if (setup.gpio)
        return setup.output ? "out" : "in";
    switch (signal.direction) {
    case SignalSpec::Direction::In:
        return "in";
    case SignalSpec::Direction::Out:
        return "out";
    case SignalSpec::Direction::Both:
        return "both";
    case SignalSpec::Direction::Analog:
        break;
    }
    return "analog";
}

void append(std::string& text, const std::string& more)
{
    if (!more.empty())
        text += (text.empty() ? "" : " | ") + more;
}

} // namespace

std::vector<SheetRow> pinSheet(const Snapshot& s)
{
    enum {
        Pin,
        PadName,
        Signal,
        NeedTitle,
        Name,
        Net,
        Code,
        Direction,
        Pull,
        Drive,
        Speed,
        Level,
        OpenDrain,
        Supply,
        PartTitle,
        Resistor
    };
    std::vector<SheetRow> out;
    const auto& pins = s.device->package.pins;
    for (const PinIndex i : pins.indices()) {
        SheetRow row;
        row.pin = static_cast<int>(i);
        row.pad = pins[i].pad;
        row.cells.resize(sheetColumns().size());
        row.cells[Pin] = pins[i].number;
        row.cells[PadName] = pins[i].name;
        if (row.pad < 0) {
            row.cells[Direction] = pins[i].kind == PackagePin::Kind::Supply   ? "supply"
                                   : pins[i].kind == PackagePin::Kind::Ground ? "ground"
                                                                              : "dedicated";
            out.push_back(std::move(row));
            continue;
        }
        const Pad& pad = s.device->pads[row.pad];
        row.cells[Supply] = pad.bank;
        const auto& claims = s.bindings.padClaims[row.pad];
        for (const Claim& claim : claims) {
            const Need& need = s.plan.needs[claim.need];
            const Seat& seat = s.bindings.needs[claim.need].seats[size_t(claim.seat)];
            append(row.cells[NeedTitle], need.title);
            append(row.cells[Signal], seat.route >= 0           ? s.device->signalName(s.device->routes[seat.route])
                                      : seat.impossible.empty() ? pad.name
                                                                : say(seat.signal.title));
            const Part* part = s.board->part(need.part);
            append(row.cells[PartTitle], part ? part->title : std::string());
            append(row.cells[Name], pinProperty(need, seat.signal.id, "name").value_or(std::string()));
            row.need = claim.need;
            row.signal = seat.signal.id;
        }
        row.contested = claims.size() > 1;
        if (row.contested) {
            row.need = -1;
            row.cells[Direction] = say("in conflict");
        }
        // The board's word on the net goes before what the need calls it.
        const auto net = s.board->nets.find(pad.name);
        row.cells[Net] = net != s.board->nets.end() ? net->second
                         : row.need >= 0
                             ? pinProperty(s.plan.needs[row.need], row.signal, "net").value_or(std::string())
                             : std::string();
        if (const auto known = s.board->resistors.find(pad.name); known != s.board->resistors.end())
            row.cells[Resistor] = resistorsText(known->second);
        for (const PadSetup& setup : s.pads) {
            if (setup.pad != row.pad)
                continue;
            const SignalSpec& signal = s.bindings.needs[setup.need].seats[size_t(setup.seat)].signal;
            row.cells[Code] = setup.wired ? "fixed" : setup.code < 0 ? "" : std::to_string(setup.code);
            row.cells[Direction] = directionText(setup, signal);
            if (setup.wired)
                continue;
            row.cells[Pull] = nameOf(setup.pull);
            if (signal.direction == SignalSpec::Direction::Analog)
                continue;
            row.cells[Drive] = nameOf(setup.drive);
            if (pad.slowToggle.value > Rational(0))
                row.cells[Speed] = setup.fast ? "fast" : "slow";
            row.cells[OpenDrain] = setup.openDrain ? "yes" : "no";
            if (setup.gpio && setup.output)
                row.cells[Level] = setup.levelHigh ? "high" : "low";
        }
        out.push_back(std::move(row));
    }
    return out;
}

Expected<Change> cellChange(const Snapshot& s, const SheetRow& row, const std::string& id, const std::string& text)
{
    const auto column =
        std::find_if(sheetColumns().begin(), sheetColumns().end(), [&id](const SheetColumn& c) { return c.id == id; });
    if (column == sheetColumns().end() || !*column->property)
        return problemOf(say("{} follows from the wiring; change that.",
                             column == sheetColumns().end() ? id : std::string(say(column->title))));
    const std::string& pin = s.device->package.pins[row.pin].name;
    if (row.pad < 0)
        return problemOf(say("{} is no pad.", pin));
    const std::string property = column->property;
    const std::optional<std::string> value = text.empty() ? std::nullopt : std::optional(text);
    // A net is a fact about the board: of the pad, whoever has it.
    if (property == "net") {
        if (value)
            if (const Expected<std::string> checked = checkPinProperty("net", text); !checked)
                return checked.problem();
        const bool filed = s.filedBoard->device == s.device->name && s.filedBoard->nets.contains(pin);
        return Change(SetNet{pin, value ? value : filed ? std::optional(std::string()) : std::nullopt});
    }
    if (property == "resistor") {
        const bool filed = s.filedBoard->device == s.device->name && s.filedBoard->resistors.contains(pin);
        if (!value)
            return Change(SetResistors{pin, filed ? std::optional(NetResistors()) : std::nullopt});
        const Expected<NetResistors> resistors = resistorsFrom(text);
        if (!resistors)
            return resistors.problem();
        return Change(SetResistors{pin, *resistors});
    }
    if (row.need < 0)
        return problemOf(row.contested ? say("{} is in conflict; settle that first.", pin)
                                       : say("no need uses {}, so there is nothing to set it up for.", pin));
    if (value)
        if (const Expected<std::string> checked = checkPinProperty(property, text); !checked)
            return checked.problem();
    const Need& need = s.plan.needs[row.need];
    return pinPropertyChange(need, row.signal, property, value);
}

std::string pinSheetCsv(const std::vector<SheetRow>& rows)
{
    std::vector<std::string> titles;
    for (const SheetColumn& column : sheetColumns())
        titles.emplace_back(say(column.title));
    std::string out = csvLine(titles);
    for (const SheetRow& row : rows)
        out += csvLine({row.cells.begin(), row.cells.end()});
    return out;
}

} // namespace bindrel
