// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/text.h"

#include <fmt/format.h>

namespace bindrel::cli {

static void addNew(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string board;
        std::string plan;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command =
        app.add_subcommand("new", "Create a plan for a board with the needs of its parts, all unbound.");
    command->add_option("BOARD", options->board, "Name of a board")->required();
    command->add_option("PLAN", options->plan, "Plan file to create; it must not exist")->required();
    command->callback([options, &exitCode] {
        std::error_code error;
        if (std::filesystem::exists(options->plan, error)) {
            exitCode = complain(problemOf(fmt::format("{} already exists; choose another name.", options->plan)));
            return;
        }
        const Expected<Board> board = library().board(options->board);
        const Expected<Plan> plan = board ? planFromBoard(*board) : Expected<Plan>(board.problem());
        const Outcome saved = plan ? savePlan(*plan, options->plan) : Outcome(plan.problem());
        if (!saved) {
            exitCode = complain(saved.problem());
            return;
        }
        say("{}: {} for {} on {}\n", options->plan, counted(long(plan->needs.size()), "need"), board->title,
            plan->device);
    });
}

BINDREL_COMMAND(addNew)

} // namespace bindrel::cli
