// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/assignment.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/output/output.h"
#include "core/output/tree_format.h"
#include "core/output/write_summary.h"
#include "core/source/safe_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace bindrel::cli {

namespace {

using State = FileChange::State;

struct WriteOptions {
    std::string plan, folder;
    std::vector<std::string> settings, resolve;
    bool dryRun = false, check = false, incomplete = false, takeOver = false;
};

void listFile(const FileChange& change)
{
    printFormat("{:<10} {}{}{}\n", nameOf(change.state), change.name, change.note.empty() ? "" : ": ", change.note);
}

/// What a team's continuous integration asks: is the source in the repository that of the plan?
int listDifferences(const OutputPreview& preview)
{
    std::size_t differ = 0;
    for (const FileChange& change : preview.files) {
        if (!change.touchesDisk() && change.state != State::Conflict)
            continue;
        ++differ;
        listFile(change);
    }
    if (differ > 0)
        warn("bindrel-cli: {} of {} files differ from the plan; `write` brings them up to date.\n", differ,
             preview.files.size());
    return differ > 0 ? kFindings : 0;
}

/// The three texts of each place where a person's change and the new text meet, with the name that --resolve takes.
void listPieces(const FileChange& change)
{
    const auto side = [](const char* title, const std::string& text) {
        std::vector<std::string> lines = splitted(text, '\n');
        if (!lines.empty() && lines.back().empty())
            lines.pop_back();
        if (lines.empty())
            printFormat("    {:<4} | (nothing)\n", title);
        for (size_t i = 0; i < lines.size(); ++i)
            printFormat("    {:<4} | {}\n", i == 0 ? title : "", printable(lines[i]));
    };
    int number = 0;
    for (const MergePiece& piece : change.pieces) {
        if (piece.agreed)
            continue;
        printFormat("  {}:{}, line {}\n", change.name, ++number, piece.line);
        side("mine", piece.mine);
        side("new", piece.fresh);
        side("from", piece.base);
    }
}

/// Reads "FILE=mine", "FILE:2=new", "FILE:2=@TEXTFILE" against the pieces of the files in conflict.
Outcome settle(Settlements& settlements, const OutputPreview& preview, const std::string& said)
{
    const std::size_t equals = said.rfind('=');
    if (equals == std::string::npos || equals == 0)
        return problemOf(
            say("--resolve {}: give FILE=mine, FILE:NUMBER=new, FILE=both or FILE:NUMBER=@TEXTFILE.", printable(said)));
    std::string file = said.substr(0, equals);
    const std::string value = said.substr(equals + 1);
    int wanted = 0;
    if (const std::size_t colon = file.rfind(':'); colon != std::string::npos) {
        const char* const end = file.data() + file.size();
        if (const auto [last, error] = std::from_chars(file.data() + colon + 1, end, wanted);
            error != std::errc() || last != end || wanted < 1)
            return problemOf(say("--resolve {}: \"{}\" is not the number of a place.", printable(said),
                                 printable(file.substr(colon + 1))));
        file.resize(colon);
    }
    PieceChoice choice;
    if (value == "new") {
        choice.take = PieceChoice::Take::New;
    } else if (value == "both") {
        choice.take = PieceChoice::Take::Both;
    } else if (value.starts_with('@')) {
        Expected<std::string> text = readFile(value.substr(1));
        if (!text)
            return text.problem();
        choice = {PieceChoice::Take::Text, *std::move(text)};
    } else if (value != "mine") {
        return problemOf(say("--resolve {}: \"{}\" is not possible; use mine, new, both or @TEXTFILE.", printable(said),
                             printable(value)));
    }
    std::vector<std::string> names;
    for (const FileChange& change : preview.files) {
        if (conflicts(change.pieces) == 0)
            continue;
        names.push_back(change.name);
        if (change.name != file)
            continue;
        if (wanted > conflicts(change.pieces))
            return problemOf(say("--resolve {}: {} has {}.", printable(said), file,
                                 sayCount(conflicts(change.pieces), "{} place", "{} places")));
        if (wanted == 0 && choice.take == PieceChoice::Take::Text && conflicts(change.pieces) > 1)
            return problemOf(say("--resolve {}: say for which of its {} places, as in {}:1=.", printable(said),
                                 conflicts(change.pieces), file));
        int number = 0;
        for (const MergePiece& piece : change.pieces)
            if (!piece.agreed && (++number == wanted || wanted == 0))
                settlements[file][piece.key()] = choice;
        return {};
    }
    if (names.empty())
        return problemOf(say("--resolve {}: no file has a conflict that can be settled.", printable(said)));
    return problemOf(say("--resolve {}: {} has no conflict that can be settled; {}.{}", printable(said),
                         printable(file), listed(names), didYouMean(file, names)));
}

int write(const WriteOptions& options, const Snapshot& s)
{
    if (!s.device->canBeWritten())
        return refuse(
            say("{} is not described far enough to write C for it: {}. `device coverage` lists what is missing.",
                s.device->name, listed(s.device->undescribed)));
    const int errors = s.count(Finding::Severity::Error);
    if (errors > 0 && !options.incomplete && !options.dryRun && !options.check)
        return refuse(say("the plan has {}, so nothing was written; `check` lists them, --incomplete writes anyway.",
                          sayCount(errors, "{} error", "{} errors")));
    const TreeFormatted formatted = inTreeFormat(s.source(), options.folder);
    if (!formatted.trouble.empty())
        warn("bindrel-cli: {}\n", formatted.trouble);
    const Source& source = formatted.source;
    const Ownership ownership = options.takeOver ? Ownership::TakeOver : Ownership::OwnOnly;
    Expected<OutputPreview> preview = previewOutput(source, options.folder, ownership);
    if (!preview)
        return complain(preview.problem());
    if (!options.resolve.empty()) {
        Settlements settlements;
        for (const std::string& said : options.resolve)
            if (const Outcome read = settle(settlements, *preview, said); !read)
                return complain(read.problem());
        preview = previewOutput(source, options.folder, ownership, settlements);
        if (!preview)
            return complain(preview.problem());
    }
    for (const std::string& note : preview->notes)
        warn("bindrel-cli: {}\n", note);
    if (options.check)
        return listDifferences(*preview);
    const bool conflict = std::any_of(preview->files.begin(), preview->files.end(),
                                      [](const FileChange& change) { return change.state == State::Conflict; });
    if (options.dryRun || conflict)
        for (const FileChange& change : preview->files) {
            listFile(change);
            if (change.state == State::Conflict)
                listPieces(change);
        }
    for (const std::string& sentence : writeSummary(s, *preview))
        printFormat("{}\n", sentence);
    if (options.dryRun)
        return conflict ? kFindings : 0;
    const Expected<std::vector<std::string>> written = writeOutput(source, options.folder, *preview, ownership);
    if (!written) {
        complain(written.problem());
        return conflict ? kFindings : kUnusable;
    }
    // What is listed has happened.
    for (const FileChange& change : preview->files)
        listFile(change);
    for (const std::string& note : *written)
        warn("bindrel-cli: {}\n", note);
    // A tool that a stranger's file names is told before the command is shown.
    for (const Finding& finding : s.findings)
        if (finding.rule == "DEV-02")
            warn("bindrel-cli: {}\n", finding.text);
    printFormat("Compile with: cd {} && {}\n", shellWord(options.folder), s.source().buildCommand);
    return 0;
}

} // namespace

static void addWrite(CLI::App& app, int& exitCode)
{
    auto options = std::make_shared<WriteOptions>();
    CLI::App* command = app.add_subcommand("write", say("Write the C source of a plan to a folder."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_option("--to", options->folder, say("Folder; created if missing"))->required();
    command
        ->add_option("--set", options->settings,
                     say("Write as if the plan said so, as in project.sources_in=src; the plan's file stays as it is"))
        ->allow_extra_args(false);
    command
        ->add_option(
            "--resolve", options->resolve,
            say("Settle a conflict: FILE=mine, FILE=new, FILE=both (yours, then the new text), or one place of "
                "it, FILE:NUMBER=mine; FILE:NUMBER=@TEXTFILE takes the text of a file"))
        ->allow_extra_args(false);
    command->add_flag("--dry-run", options->dryRun, say("Only list what would be written"));
    command
        ->add_flag(
            "--check", options->check,
            say("Write nothing; list the files that are not what the plan says, and exit with 1 if there are any"))
        ->excludes("--dry-run");
    command->add_flag("--incomplete", options->incomplete,
                      say("Write even if the plan has errors; unbound needs are left out"));
    command->add_flag("--take-over", options->takeOver,
                      say("Write even if the folder belongs to another plan; its unedited files are replaced"));
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        if (options->folder.empty()) {
            exitCode = complain(problemOf(say("--to needs the name of a folder.")));
            return;
        }
        if (options->settings.empty()) {
            exitCode = write(*options, *s);
            return;
        }
        Expected<Plan> plan = assigned(s->with(s->plan), options->settings);
        exitCode = plan ? write(*options, *computeSnapshot(s->with(*std::move(plan)))) : complain(plan.problem());
    });
}

BINDREL_COMMAND(addWrite)

} // namespace bindrel::cli
