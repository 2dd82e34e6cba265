// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/text.h"
#include "core/source/output.h"

#include <fmt/format.h>

namespace bindrel::cli {

void addWrite(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, folder;
        bool dryRun = false, force = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("write", "Write the C source of a plan to a folder.");
    command->add_option("PLAN", options->plan, "Plan file")->required();
    command->add_option("--to", options->folder, "Folder; made when missing")->required();
    command->add_flag("--dry-run", options->dryRun, "Only list what would be written");
    command->add_flag("--incomplete", options->force, "Write although the plan has errors; needs that are not bound are left out");
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        const int errors = s->count(Finding::Severity::Error);
        if (errors > 0 && !options->force && !options->dryRun) {
            fmt::print(stderr, "bindrel-cli: the plan has {}, so nothing was written; `check` lists what is wrong, --incomplete writes all the same.\n", counted(errors, "error"));
            exitCode = kFindings;
            return;
        }
        const Expected<std::vector<FileChange>> preview = previewOutput(s->source, options->folder);
        if (!preview) {
            exitCode = complain(preview.problem());
            return;
        }
        bool conflict = false;
        for (const FileChange& change : *preview) {
            fmt::print("{:<10} {}{}{}\n", nameOf(change.state), change.name, change.note.empty() ? "" : ": ", change.note);
            conflict = conflict || change.state == FileChange::State::Conflict;
        }
        if (conflict)
            exitCode = kFindings;
        if (options->dryRun)
            return;
        if (const Outcome written = writeOutput(s->source, options->folder, *preview); !written) {
            complain(written.problem());
            exitCode = conflict ? kFindings : kUnusable;
            return;
        }
        fmt::print("Compile with: cd {} && {}\n", options->folder, s->source.buildCommand);
    });
}

} // namespace bindrel::cli
