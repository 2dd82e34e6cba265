// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/table.h"
#include "core/interchange/pin_sheet.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel::cli {

namespace {

Table clockTable(const Snapshot& s)
{
    Table table{{"clock", "rate", "exact_hz", "tolerance", "operation", "min", "max", "state", "users"}, {}};
    for (size_t i = 0; i < s.device->clocks.size(); ++i) {
        const ClockState& c = s.rates.clocks[i];
        std::string users;
        for (const int n : c.users)
            users += (users.empty() ? "" : ", ") + s.plan.needs[size_t(n)].title;
        const auto broken = limitBreak(c);
        table.rows.push_back({s.device->clocks[i].id, format(c.rate), c.rate.value.text(), format(c.tolerance), operationText(*s.device, s.rates, int(i)),
                              c.min ? format(*c.min) : "", c.max ? format(*c.max) : "",
                              !c.running ? c.stopped : broken ? "breaks a limit" : c.used ? "runs" : "runs unused", users});
    }
    return table;
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

Table registerTable(const Snapshot& s)
{
    Table table{{"register", "address", "reset", "value", "fields"}, {}};
    for (const RegisterValue& value : s.image.registers) {
        std::string fields;
        for (const FieldWrite& write : value.fields)
            fields += (fields.empty() ? "" : " ") + s.device->fieldOf(write.ref).name + "=" + std::to_string(write.code);
        table.rows.push_back({s.device->instances[size_t(value.instance)].name + "." + s.device->blockOf(value.instance).registers[size_t(value.reg)].name,
                              fmt::format("0x{:08X}", s.device->addressOf(value.instance, value.reg)), fmt::format("0x{:08X}", value.reset),
                              fmt::format("0x{:08X}", value.value), fields});
    }
    return table;
}

} // namespace

void addShow(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, what, format = "text";
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("show", "Print the clocks, pins or registers of a plan.");
    command->add_option("PLAN", options->plan, "Plan file")->required();
    command->add_option("WHAT", options->what, "clocks, pins or registers")->required()->check(CLI::IsMember({"clocks", "pins", "registers"}));
    command->add_option("--format", options->format, "text, json or csv")->check(CLI::IsMember({"text", "json", "csv"}));
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan);
        if (!s) {
            exitCode = kUnusable;
            return;
        }
        const Table table = options->what == "clocks" ? clockTable(*s) : options->what == "pins" ? pinTable(*s) : registerTable(*s);
        fmt::print("{}", table.print(options->format));
    });
}

} // namespace bindrel::cli
