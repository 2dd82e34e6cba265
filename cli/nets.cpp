// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/interchange/netlist.h"

#include <fmt/format.h>

#include <filesystem>

namespace bindrel::cli {

namespace {

/// By the file of columns beside a table, where there is one.
Expected<NetTable> netsFrom(const std::string& bytes, const std::string& path, const Device& device,
                            const std::string& chip)
{
    const std::string beside = columnsBeside(path);
    std::error_code error;
    if (path == kStandard || netlistFormatOf(bytes) != NetlistFormat::None || !std::filesystem::exists(beside, error))
        return readNets(bytes, device, chip);
    const Expected<std::string> said = readFile(beside);
    if (!said)
        return said.problem();
    const Expected<Grid> grid = netGrid(bytes);
    if (!grid)
        return grid.problem();
    const Expected<NetColumns> columns = readNetColumns(*said, beside, *grid, path);
    return columns ? Expected<NetTable>(readNetRows(*grid, *columns, device)) : columns.problem();
}

} // namespace

static void addNets(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, table, chip;
        bool write = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand(
        "nets", say("Import the board's nets from a schematic's netlist or a table of pins and nets."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command
        ->add_option("TABLE", options->table,
                     say("Netlist (lists in parentheses, IPC-D-356A), or lines of pin (or pad) and net"))
        ->required();
    command->add_option("--chip", options->chip,
                        say("The chip's reference in the netlist, where it is not recognised"));
    command->add_flag("--write", options->write, say("Save the plan; otherwise only list what would change"));
    addStoreOptions(*command);
    command->callback([options, &exitCode] {
        if (options->plan == kStandard && options->table == kStandard) {
            exitCode = complain(problemOf(say("only one of PLAN and TABLE can be standard input.")));
            return;
        }
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        const Expected<std::string> text = readInput(options->table);
        if (!text) {
            exitCode = complain(text.problem());
            return;
        }
        const Expected<NetTable> table = netsFrom(*text, options->table, *s->device, options->chip);
        if (!table) {
            exitCode = complain(problemOf(options->table + ", " + table.problem().message));
            return;
        }
        for (const std::string& note : table->notes)
            warn("bindrel-cli: {}, {}\n", options->table, note);
        const Edit edit = editOfNets(*s, *table);
        for (const Change& change : edit.changes)
            printFormat("{}\n", describe(s->plan, change));
        const Expected<Plan> next = applied(s->plan, edit);
        const Outcome saved = !next                                     ? Outcome(next.problem())
                              : options->write && !edit.changes.empty() ? storePlan(s, *next)
                                                                        : Outcome();
        if (!saved)
            exitCode = complain(saved.problem());
    });
}

BINDREL_COMMAND(addNets)

} // namespace bindrel::cli
