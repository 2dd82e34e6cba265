// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/text.h"
#include "core/output/output.h"
#include "core/source/safe_text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel::cli {

namespace {

/// What a team's continuous integration asks: is the source in the repository that of the plan?
int listDifferences(const OutputPreview& preview)
{
    using State = FileChange::State;
    std::size_t differ = 0;
    for (const FileChange& change : preview.files) {
        if (!change.touchesDisk() && change.state != State::Conflict)
            continue;
        ++differ;
        printFormat("{:<10} {}{}{}\n", nameOf(change.state), change.name, change.note.empty() ? "" : ": ", change.note);
    }
    if (differ > 0)
        warn("bindrel-cli: {} of {} files differ from the plan; `write` brings them up to date.\n", differ,
             preview.files.size());
    return differ > 0 ? kFindings : 0;
}

} // namespace

static void addWrite(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, folder;
        bool dryRun = false, check = false, incomplete = false, takeOver = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("write", "Write the C source of a plan to a folder.");
    command->add_option("PLAN", options->plan, "Plan file")->required();
    command->add_option("--to", options->folder, "Folder; created if missing")->required();
    command->add_flag("--dry-run", options->dryRun, "Only list what would be written");
    command
        ->add_flag("--check", options->check,
                   "Write nothing; list the files that are not what the plan says, and exit with 1 if there are any")
        ->excludes("--dry-run");
    command->add_flag("--incomplete", options->incomplete,
                      "Write even if the plan has errors; unbound needs are left out");
    command->add_flag("--take-over", options->takeOver,
                      "Write even if the folder belongs to another plan; its unedited files are replaced");
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        if (options->folder.empty()) {
            exitCode = complain(problemOf("--to needs the name of a folder."));
            return;
        }
        if (!s->device->canBeWritten()) {
            exitCode = refuse(fmt::format(
                "{} is not described far enough to write C for it: {}. `device coverage` lists what is missing.",
                s->device->name, listed(s->device->undescribed)));
            return;
        }
        const int errors = s->count(Finding::Severity::Error);
        if (errors > 0 && !options->incomplete && !options->dryRun && !options->check) {
            exitCode = refuse(
                fmt::format("the plan has {}, so nothing was written; `check` lists them, --incomplete writes anyway.",
                            counted(errors, "error")));
            return;
        }
        const Ownership ownership = options->takeOver ? Ownership::TakeOver : Ownership::OwnOnly;
        const Expected<OutputPreview> preview = previewOutput(s->source(), options->folder, ownership);
        if (!preview) {
            exitCode = complain(preview.problem());
            return;
        }
        for (const std::string& note : preview->notes)
            warn("bindrel-cli: {}\n", note);
        const bool conflict = std::any_of(preview->files.begin(), preview->files.end(), [](const FileChange& change) {
            return change.state == FileChange::State::Conflict;
        });
        const auto list = [&preview] {
            for (const FileChange& change : preview->files)
                printFormat("{:<10} {}{}{}\n", nameOf(change.state), change.name, change.note.empty() ? "" : ": ",
                            change.note);
        };
        if (options->check) {
            exitCode = listDifferences(*preview);
            return;
        }
        if (conflict)
            exitCode = kFindings;
        if (options->dryRun || conflict)
            list();
        if (options->dryRun)
            return;
        const Expected<std::vector<std::string>> written =
            writeOutput(s->source(), options->folder, *preview, ownership);
        if (!written) {
            complain(written.problem());
            exitCode = conflict ? kFindings : kUnusable;
            return;
        }
        // What is listed has happened.
        list();
        for (const std::string& note : *written)
            warn("bindrel-cli: {}\n", note);
        // A tool that a stranger's file names is told before the command is shown.
        for (const Finding& finding : s->findings)
            if (finding.rule == "DEV-02")
                warn("bindrel-cli: {}\n", finding.text);
        printFormat("Compile with: cd {} && {}\n", shellWord(options->folder), s->source().buildCommand);
    });
}

BINDREL_COMMAND(addWrite)

} // namespace bindrel::cli
