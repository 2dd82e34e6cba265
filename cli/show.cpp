// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/table.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/clocks/modes.h"
#include "core/device/layers.h"
#include "core/image/gates.h"
#include "core/interchange/interrupt_sheet.h"
#include "core/interchange/pin_sheet.h"
#include "core/interchange/register_sheet.h"
#include "core/plan/stored_settings.h"
#include "core/quantity/format.h"
#include "core/tuning/supply_current.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel::cli {

namespace {

Table clockTable(const Snapshot& s)
{
    Table table{{"clock", "rate", "exact_hz", "tolerance", "low_ppm", "high_ppm", "operation", "min", "max",
                 "head_room", "because", "state", "users"},
                {}};
    for (const ClockIndex i : s.device->clocks.indices()) {
        const ClockState& c = s.rates.clocks[i];
        std::string users;
        for (const NeedIndex n : c.users)
            users += (users.empty() ? "" : ", ") + s.plan.needs[n].title;
        const auto broken = limitBreak(c);
        table.rows.push_back({s.device->clocks[i].id, format(c.rate), c.rate.value.text(), format(c.tolerance),
                              c.tolerance.low.value.text(), c.tolerance.high.value.text(),
                              operationText(*s.device, s.rates, int(i)), c.min ? format(*c.min) : "",
                              c.max ? format(*c.max) : "", headRoom(c) ? format(*headRoom(c), 3) : "",
                              c.maxBecause.empty() ? c.minBecause : c.maxBecause,
                              !c.running                      ? c.stopped
                              : !isSet(*s.device, s.rates, i) ? say("unused, not set")
                              : broken                        ? say("breaks a limit")
                              : !c.used                       ? say("set, unused")
                                                              : "runs",
                              users});
    }
    return table;
}

/// Limits of what runs, the tightest first.
Table limitTable(const Snapshot& s)
{
    Table table{{"clock", "rate", "min", "max", "head_room", "because"}, {}};
    std::vector<std::pair<Ratio, ClockIndex>> order;
    for (const ClockIndex i : s.rates.clocks.indices())
        if (const auto room = headRoom(s.rates.clocks[i]); room && isSet(*s.device, s.rates, i))
            order.emplace_back(*room, i);
    std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    for (const auto& [room, i] : order) {
        const ClockState& c = s.rates.clocks[i];
        table.rows.push_back({s.device->clocks[i].id, format(c.rate), c.min ? format(*c.min) : "",
                              c.max ? format(*c.max) : "", format(room, 3),
                              c.maxBecause.empty() ? c.minBecause : c.maxBecause});
    }
    return table;
}

Table modeTable(const Snapshot& s)
{
    Table table{
        {"mode", "entered", "alive", "works", "wakes", "core_runs_after", "wakes_at", "all_runs_after", "starts_again"},
        {}};
    const auto names = [](const auto& list, const auto& nameOf) {
        std::string out;
        for (const int item : list)
            out += (out.empty() ? "" : ", ") + nameOf(item);
        return out;
    };
    const auto title = [&s](NeedIndex need) { return s.plan.needs[need].title; };
    const auto id = [&s](ClockIndex clock) { return s.device->clocks[clock].id; };
    for (const LowPowerMode& mode : s.device->modes) {
        const ModeState state = modeState(*s.device, s.plan, s.bindings, s.rates, mode);
        std::vector<int> alive;
        for (ClockIndex i = 0; i < int(state.alive.size()); ++i)
            if (state.alive[i] && s.rates.clocks[i].used)
                alive.push_back(int(i));
        const std::optional<Waking> waking = wakingOf(*s.device, *s.board, s.plan, s.bindings, s.rates, mode);
        table.rows.push_back({mode.name, s.plan.modes.contains(mode.id) ? "yes" : "", names(alive, id),
                              names(state.working, title), names(state.wakers, title), format(state.wakeTime),
                              format((waking ? waking->rates : s.rates).clocks[s.device->cpuClock()].rate),
                              format(state.fullTime), names(state.restarted, id)});
    }
    return table;
}

/// What each need asks of its clock's accuracy, and what it gets.
Table accuracyTable(const Snapshot& s)
{
    Table table{{"need", "clock", "rate", "off_by", "may_be", "asks", "effect", "state"}, {}};
    for (const NeedIndex n : s.plan.needs.indices()) {
        const Accuracy& a = s.accuracy[n];
        if (a.clock < 0)
            continue;
        table.rows.push_back({s.plan.needs[n].id, s.device->clocks[a.clock].id, format(s.rates.clocks[a.clock].rate),
                              format(a.given), a.allowed ? format(*a.allowed) : "", a.asks, a.effect,
                              !a.allowed && a.trouble.empty() ? ""
                              : a.ok()                        ? "met"
                                                              : "missed"});
    }
    return table;
}

/// What is clocked, for whom, and what is off.
Table gateTable(const Snapshot& s)
{
    Table table{{"gate", "state", "bus", "instances", "needs"}, {}};
    const auto names = [](const auto& list, const auto& nameOf) {
        std::vector<std::string> out;
        for (const int item : list)
            out.push_back(nameOf(size_t(item)));
        return joined(out, ", ");
    };
    for (const Gate& gate : gatesOf(*s.device, s.bindings, s.image))
        table.rows.push_back({s.device->nameOf(gate.field.ref),
                              !gate.open    ? "off"
                              : gate.idle() ? say("on, unused")
                                            : "on",
                              gate.bus < 0 ? "" : s.device->clocks[gate.bus].id,
                              names(gate.instances, [&s](InstanceIndex i) { return s.device->instances[i].name; }),
                              names(gate.needs, [&s](NeedIndex n) { return s.plan.needs[n].title; })});
    return table;
}

Table tableOf(NeedTable sheet)
{
    Table table{std::move(sheet.headings), {}};
    for (NeedTable::Row& row : sheet.rows)
        table.rows.push_back(std::move(row.cells));
    return table;
}

Table interruptTable(const Snapshot& s)
{
    return tableOf(interruptSheet(s));
}

Table dmaTable(const Snapshot& s)
{
    return tableOf(dmaSheet(s));
}

Table pinTable(const Snapshot& s)
{
    Table table;
    for (const SheetColumn& column : sheetColumns())
        table.headings.emplace_back(column.id);
    for (SheetRow& row : pinSheet(s))
        table.rows.push_back(std::move(row.cells));
    return table;
}

/// What the chip takes from its supply while all needs run, the largest part first.
Table currentTable(const Snapshot& s)
{
    Table table{{"part", "of", "current", "formula"}, {}};
    const SupplyCurrent current = supplyCurrent(*s.device, s.plan, s.bindings, s.rates, s.pads);
    using What = SupplyCurrent::Row::What;
    for (const SupplyCurrent::Row& row : current.rows) {
        const int i = row.index;
        table.rows.push_back({row.what == What::Core       ? s.device->cores[CoreIndex(i)].id
                              : row.what == What::Clock    ? s.device->clocks[ClockIndex(i)].id
                              : row.what == What::Instance ? s.device->instances[InstanceIndex(i)].name
                                                           : s.device->pads[PadIndex(i)].name,
                              row.what == What::Core       ? "core"
                              : row.what == What::Clock    ? "clock"
                              : row.what == What::Instance ? "instance"
                                                           : "pad",
                              format(row.current, 3), row.formula});
    }
    table.rows.push_back({"all", "", format(current.total, 3), ""});
    return table;
}

/// What the chip's non-volatile memory is to hold, and what it then comes out of reset with.
Table storedTable(const Snapshot& s)
{
    Table table{{"setting", "value", "chosen", "address", "word", "bits", "decides", "choices"}, {}};
    for (const StoredWord& word : s.device->stored) {
        const std::uint32_t holds = storedValue(*s.device, s.plan, word).value_or(word.factory);
        for (const StoredSetting& setting : word.settings) {
            const std::uint32_t code = (holds & setting.bits.mask()) >> setting.bits.lsb;
            std::string value = std::to_string(code);
            std::vector<std::string> choices, decides;
            for (const EnumValue& known : setting.bits.values) {
                choices.push_back(known.name);
                if (known.code == code)
                    value = known.name;
            }
            for (const StoredSetting::Decides& one : setting.decides)
                decides.push_back(fmt::format("{}={}", s.device->nameOf(one.ref), one.codeFor(code)));
            const std::string id = word.name + "." + setting.bits.name;
            const int top = setting.bits.lsb + setting.bits.width - 1;
            table.rows.push_back(
                {id, value, s.plan.stored.contains(id) ? "yes" : "", fmt::format("0x{:08X}", word.address),
                 fmt::format("0x{:0{}X}", holds, word.bytes() * 2),
                 setting.bits.width == 1 ? std::to_string(top) : fmt::format("{}:{}", top, setting.bits.lsb),
                 joined(decides, ", "), joined(choices, ", ")});
        }
    }
    return table;
}

Table registerTable(const Snapshot& s)
{
    Table table{registerHeadings(), {}};
    for (const RegisterRow& row : registerRows(s.facts()))
        table.rows.push_back(row.cells());
    return table;
}

/// What can be shown, by name.
const std::map<std::string, Table (*)(const Snapshot&)>& tables()
{
    static const std::map<std::string, Table (*)(const Snapshot&)> all{
        {"accuracy", accuracyTable}, {"clocks", clockTable},      {"current", currentTable},
        {"dma", dmaTable},           {"gates", gateTable},        {"interrupts", interruptTable},
        {"limits", limitTable},      {"modes", modeTable},        {"nonvolatile", storedTable},
        {"pins", pinTable},          {"registers", registerTable}};
    return all;
}

} // namespace

/// File and line of what each row is about, where the device stands on several files.
static void addOrigins(const Device& device, const std::string& what, Table& table)
{
    const bool pins = what == "pins";
    const OriginOf kind = pins ? OriginOf::Pad : what == "registers" ? OriginOf::Register : OriginOf::Clock;
    if (!pins && what != "registers" && what != "clocks" && what != "limits")
        return;
    table.headings.emplace_back("origin");
    for (std::vector<std::string>& row : table.rows) {
        const TextPlace place = originOf(device, kind, row[pins ? 1 : 0]);
        row.push_back(place.file.empty() ? std::string() : fmt::format("{}:{}", place.file, place.line));
    }
}

static void addShow(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, what, format = "text";
        bool origin = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand(
        "show", say("Print clocks, their limits and accuracy, supply current, gates, low-power modes, settings in "
                    "non-volatile memory, pins, interrupts, DMA channels or registers of a plan."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    std::vector<std::string> names;
    for (const auto& [name, table] : tables())
        names.push_back(name);
    command->add_option("WHAT", options->what, listed(names))->required()->check(CLI::IsMember(names));
    command->add_flag("--origin", options->origin, say("Add the file and line of each clock, pad or register"));
    command->add_option("--format", options->format, say("text, json or csv; of registers also header, for C"))
        ->check(CLI::IsMember({"text", "json", "csv", "header"}));
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        if (options->format == "header") {
            if (options->what != "registers" || options->origin)
                exitCode = refuse(say("--format header is for registers, without --origin."));
            else
                printRaw(registerSheetHeader(s->facts()));
            return;
        }
        Table table = tables().at(options->what)(*s);
        if (options->origin)
            addOrigins(*s->device, options->what, table);
        table.print(options->format);
    });
}

BINDREL_COMMAND(addShow)

} // namespace bindrel::cli
