// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/table.h"
#include "core/base/say.h"
#include "core/pins/relocate.h"

#include <fmt/format.h>

namespace bindrel::cli {

namespace {

/// As programs get it.
const char* nameOf(Relocation::Fate fate)
{
    switch (fate) {
    case Relocation::Fate::Stays:
        return "stays";
    case Relocation::Fate::Moves:
        return "moves";
    case Relocation::Fate::Opens:
        return "finds no place";
    case Relocation::Fate::Open:
        return "open as before";
    case Relocation::Fate::Added:
        break;
    }
    return "added";
}

const char* wordsFor(Relocation::Fate fate)
{
    switch (fate) {
    case Relocation::Fate::Stays:
        return say("stays");
    case Relocation::Fate::Moves:
        return say("moves");
    case Relocation::Fate::Opens:
        return say("cannot be placed");
    case Relocation::Fate::Open:
        return say("unbound as before");
    case Relocation::Fate::Added:
        break;
    }
    return say("added");
}

} // namespace

static void addMove(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, device, board, format = "text";
        bool write = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand(
        "move",
        say("Move a plan to another chip, package or board: lists what stays, what moves and what cannot be kept."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_option("--device", options->device,
                        say("Chip of the library; without it the one that the board carries"));
    command->add_option("--board", options->board, say("Board of the library; without it the plan's own"));
    command->add_flag("--write", options->write, say("Save the plan; otherwise only list what would change"));
    command->add_option("--format", options->format, say("text, json or csv"))
        ->check(CLI::IsMember({"text", "json", "csv"}));
    addSearchOptions(*command, 30);
    addStoreOptions(*command);
    command->callback([options, &exitCode] {
        if (options->device.empty() && options->board.empty()) {
            exitCode = complain(problemOf(say("no target; give --device, --board or both.")));
            return;
        }
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        const Library all = library();
        const Expected<Board> board =
            options->board.empty() ? Expected<Board>(*s->filedBoard) : all.board(options->board);
        if (!board) {
            exitCode = complain(board.problem());
            return;
        }
        const Expected<std::shared_ptr<const Device>> device =
            all.device(options->device.empty() ? board->device : options->device);
        if (!device) {
            exitCode = complain(device.problem());
            return;
        }
        const Relocation there = relocate(**device, *board, *s->board, s->plan, searchTime());
        Table table{{"need", "fate", "how"}, {}};
        for (const Relocation::Item& item : there.items)
            table.rows.push_back(
                {item.need, options->format == "text" ? wordsFor(item.fate) : nameOf(item.fate), item.text});
        for (const std::string& lost : there.lost)
            table.rows.push_back({"", "lost", lost});
        table.print(options->format);
        if (there.count(Relocation::Fate::Opens) > 0)
            exitCode = kFindings;
        if (!options->write)
            return;
        if (there.cancelled) {
            exitCode = refuse(say("not all needs could be placed within the time of --within; nothing was saved."));
            return;
        }
        const auto next = computeSnapshot({*device, std::make_shared<const Board>(*board), there.plan, {}, {}, {}});
        if (const Outcome saved = storePlan(s, there.plan, *next); !saved)
            exitCode = complain(saved.problem());
    });
}

BINDREL_COMMAND(addMove)

} // namespace bindrel::cli
