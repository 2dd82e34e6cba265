// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/device.h"
#include "core/base/files.h"
#include "core/base/text.h"
#include "core/describe/proposals.h"
#include "core/describe/quantity_names.h"
#include "core/describe/signal_names.h"
#include "core/makers/chip_table.h"

#include <fmt/format.h>

#include <filesystem>

namespace bindrel::cli {

namespace {

struct TableOptions {
    std::string table, chip, package, take;
    double least = kLeastConfidence;
};

/// The columns file beside the table, before and after.
struct Beside {
    std::string path, before, after;
};

/// Prints what each column is and which signal each name is taken for.
Expected<Beside> look(const TableOptions& options)
{
    const Expected<std::string> bytes = readFile(options.table);
    if (!bytes)
        return bytes.problem();
    const Expected<Grid> grid = readTable(*bytes, options.table);
    if (!grid)
        return grid.problem();
    Beside out{options.take.empty() ? options.table + ".columns" : options.take, {}, {}};
    const std::string& beside = out.path;
    std::error_code error;
    Expected<Columns> columns = recogniseColumns(*grid, options.table);
    if (std::filesystem::exists(beside, error)) {
        const Expected<std::string> text = readFile(beside);
        if (!text)
            return text.problem();
        out.before = *text;
        columns = readColumns(*text, beside, *grid, options.table);
    }
    if (!columns)
        return columns.problem();
    const Expected<ChipTable> table = readChipTable(*grid, *columns, options.table, options.package);
    if (!table)
        return table.problem();
    Expected<Device> device = options.chip.empty() ? Expected<Device>(Device()) : deviceNamed(options.chip);
    if (!device)
        return device.problem();

    bool requests = false;
    for (const Column& column : columns->columns) {
        if (column.heading.empty())
            continue;
        say("column \"{}\" is {}{}\n", column.heading, textOf(column), column.why.empty() ? "" : ": " + column.why);
        requests = requests || column.what == Column::What::Source;
    }
    const NamesOf of = !table->numbers ? NamesOf::Pads : requests ? NamesOf::Requests : NamesOf::Interrupts;
    std::string open;
    Columns taken = *columns;
    std::size_t known = 0;
    for (const auto& [name, line] : table->names) {
        const auto longName = table->longNames.find(name);
        const std::string whole = longName == table->longNames.end() ? std::string() : longName->second;
        if (columns->names.contains(name) || (!whole.empty() && columns->names.contains(whole))) {
            ++known;
            continue;
        }
        const SignalProposal proposal = proposeSignal(*device, name, whole, of);
        if (!proposal.signal || proposal.confidence < options.least) {
            say("      {} (line {}): {}{}\n", name, line, proposal.reason,
                proposal.signal
                    ? fmt::format("; it could be {}.{}{}", proposal.signal->instance, proposal.signal->signal,
                                  proposal.others.empty() ? "" : ", " + joined(proposal.others, ", "))
                    : std::string());
            open += fmt::format("# name \"{}\" is INSTANCE.SIGNAL\n", whole.empty() ? name : whole);
            continue;
        }
        say("{:.2f}  {} is {}.{} {}: {}{}\n", proposal.confidence, name, proposal.signal->instance,
            proposal.signal->signal, proposal.signal->direction, proposal.reason,
            proposal.others.empty() ? "" : "; it could also be " + joined(proposal.others, ", "));
        taken.names[whole.empty() ? name : whole] = proposal.signal;
    }
    for (const auto& [name, quantity] : table->quantities) {
        if (columns->facts.contains(name) || columns->names.contains(name)) {
            ++known;
            continue;
        }
        const FactProposal proposal = proposeFact(*device, name, quantity.about);
        if (!proposal.fact || proposal.confidence < options.least) {
            say("      {} (line {}): {}\n", name, quantity.line, proposal.reason);
            open +=
                fmt::format("# name \"{}\" is {}\n", name, quantity.about.empty() ? "range RANGE" : "limit of CLOCK");
            continue;
        }
        say("{:.2f}  {} is {}: {}\n", proposal.confidence, name, textOf(*proposal.fact), proposal.reason);
        taken.facts[name] = *proposal.fact;
    }
    say("{} read", counted(table->rows, "row"));
    if (known > 0)
        say(", {} known", counted(long(known), "name"));
    say("\n");
    for (const Problem& remark : table->file.remarks)
        if (remark.message.find("nothing says which") == std::string::npos)
            say("{}\n", remark.text());
    if (out.before.empty()) {
        out.after = columnsText(taken, std::filesystem::path(options.table).filename().string()) + open;
        return out;
    }
    // What a person wrote there stays as it is; what is new comes behind it.
    for (const auto& [name, signal] : columns->names)
        taken.names.erase(name);
    for (const auto& [name, fact] : columns->facts)
        taken.facts.erase(name);
    taken.columns.clear();
    const std::string names = columnsText(taken, "");
    out.after = out.before + (out.before.ends_with('\n') ? "" : "\n") + names.substr(names.find('\n') + 1);
    for (const std::string& line : splitted(open, '\n'))
        if (!line.empty() && out.before.find(line) == std::string::npos)
            out.after += line + "\n";
    return out;
}

} // namespace

void addDeviceTable(CLI::App& app, int& exitCode)
{
    auto options = std::make_shared<TableOptions>();
    CLI::App* command = app.add_subcommand(
        "table", "Show how a table of a data sheet is understood: pins, functions, signals, interrupts, DMA requests, "
                 "wait states, limits and electrical values.");
    command->add_option("TABLE", options->table, "Text, CSV or workbook (.xlsx)")->required();
    command->add_option("--chip", options->chip, "Device whose instances the names are of: a name or a file");
    command->add_option("--package", options->package, "Which of several columns of pins");
    command->add_option("--least", options->least, "Take names that are at least this sure")
        ->check(CLI::Range(0.0, 1.0));
    CLI::Option* take = command
                            ->add_option("--take", options->take,
                                         "Write what was understood beside the table (TABLE.columns), or to this file; "
                                         "existing lines are kept")
                            ->expected(0, 1);
    command->callback([options, take, &exitCode] {
        const Expected<Beside> beside = look(*options);
        if (!beside) {
            exitCode = complain(beside.problem());
            return;
        }
        if (take->count() == 0 || beside->after == beside->before)
            return;
        const std::string& path = beside->path;
        const Expected<bool> saved = replaceFile(path, beside->after, &beside->before);
        if (!saved) {
            exitCode = complain(saved.problem());
            return;
        }
        if (!*saved) {
            exitCode = refuse(path + " was changed while this command ran; nothing was saved. Run it again.");
            return;
        }
        const std::filesystem::path table(options->table);
        say("{} written. In the device file: {{ \"file\": \"{}\", \"columns\": \"{}\" }}\n", path,
            table.filename().string(), std::filesystem::path(path).filename().string());
    });
}

} // namespace bindrel::cli
