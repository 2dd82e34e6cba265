// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/interchange/pin_sheet.h"

#include <fmt/format.h>

namespace bindrel::cli {

static void addSheet(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, file;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command =
        app.add_subcommand("sheet", say("Write the pin sheet to a file, as comma-separated values or as a workbook."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command
        ->add_option("FILE", options->file,
                     say("Ending in .csv or .xlsx; - writes comma-separated values to standard output"))
        ->required();
    command->callback([options, &exitCode] {
        const std::string ending = lowered(std::filesystem::path(options->file).extension().string());
        if (options->file != kStandard && ending != ".csv" && ending != ".xlsx") {
            exitCode = complain(problemOf(say("{} must end in .csv or .xlsx.", options->file)));
            return;
        }
        const InEnglish whileWriting;
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        const std::vector<SheetRow> rows = pinSheet(*s);
        const Outcome written = ending == ".xlsx" ? writePinSheetXlsx(rows, s->plan.name, options->file)
                                                  : writeOutput(options->file, pinSheetCsv(rows));
        if (!written)
            exitCode = complain(written.problem());
    });
}

BINDREL_COMMAND(addSheet)

} // namespace bindrel::cli
