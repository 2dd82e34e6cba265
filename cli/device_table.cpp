// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/device.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/describe/proposals.h"
#include "core/describe/table_look.h"

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
Expected<Beside> understand(const TableOptions& options)
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
    Expected<Device> device = options.chip.empty() ? Expected<Device>(Device()) : deviceNamed(options.chip);
    if (!device)
        return device.problem();
    const Expected<TableLook> look = lookAtTable(*grid, *columns, *device, options.table, options.package);
    if (!look)
        return look.problem();

    for (const Column& column : columns->columns)
        if (!column.heading.empty())
            printFormat("column \"{}\" is {}{}\n", column.heading, textOf(column),
                        column.why.empty() ? "" : ": " + column.why);
    long known = 0;
    for (const TableName& name : look->names) {
        known += name.known;
        if (name.known)
            continue;
        if (name.meaning.empty() || name.confidence < options.least)
            printFormat("      {} (line {}): {}{}\n", name.name, name.line, name.reason,
                        name.meaning.empty()        ? std::string()
                        : name.alternatives.empty() ? say("; it could be {}", name.meaning)
                                                    : say("; it could be {}, {}", name.meaning, name.alternatives));
        else
            printFormat("{:.2f}  {} is {}: {}{}\n", name.confidence, name.name, name.meaning, name.reason,
                        name.alternatives.empty() ? "" : say("; it could also be {}", name.alternatives));
    }
    printFormat("{} read", sayCount(look->table.rows, "{} row", "{} rows"));
    if (known > 0)
        printFormat(", {} known", sayCount(known, "{} name", "{} names"));
    printFormat("\n");
    for (const Problem& remark : look->table.file.remarks)
        if (remark.message.find("nothing says which") == std::string::npos)
            printFormat("{}\n", remark.text());
    out.after = columnsFileText(*look, *columns, out.before, std::filesystem::path(options.table).filename().string(),
                                options.least);
    return out;
}

} // namespace

void addDeviceTable(CLI::App& app, int& exitCode)
{
    auto options = std::make_shared<TableOptions>();
    CLI::App* command = app.add_subcommand(
        "table",
        say("Show how a table of a data sheet is understood: pins, functions, signals, interrupts, DMA requests, "
            "wait states, limits and electrical values."));
    command->add_option("TABLE", options->table, say("Text, CSV or workbook (.xlsx)"))->required();
    command->add_option("--chip", options->chip, say("Device whose instances the names are of: a name or a file"));
    command->add_option("--package", options->package, say("Which of several columns of pins"));
    command->add_option("--least", options->least, say("Take names that are at least this sure"))
        ->check(CLI::Range(0.0, 1.0));
    CLI::Option* take =
        command
            ->add_option("--take", options->take,
                         say("Write what was understood beside the table (TABLE.columns), or to this file; "
                             "existing lines are kept"))
            ->expected(0, 1);
    command->callback([options, take, &exitCode] {
        const Expected<Beside> beside = understand(*options);
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
            exitCode = refuse(path + say(" was changed while this command ran; nothing was saved. Run it again."));
            return;
        }
        const std::filesystem::path table(options->table);
        printFormat("{} written. In the device file: {{ \"file\": \"{}\", \"columns\": \"{}\" }}\n", path,
                    table.filename().string(), std::filesystem::path(path).filename().string());
    });
}

} // namespace bindrel::cli
