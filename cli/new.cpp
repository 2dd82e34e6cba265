// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

namespace bindrel::cli {

static void addNew(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string board, device;
        std::string plan;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command =
        app.add_subcommand("new", say("Create a plan for a board with the needs of its parts, all unbound."));
    command->add_option("BOARD", options->board, say("Name of a board; left out with --device"));
    command->add_option("PLAN", options->plan, say("Plan file to create, which must not exist; - for standard output"));
    command->add_option("--device", options->device, say("Name of a device, for a plan without a board"));
    command->callback([options, &exitCode] {
        // With --device the one name that is given is the plan's.
        if (!options->device.empty() && options->plan.empty())
            std::swap(options->board, options->plan);
        if (options->plan.empty() || options->board.empty() == options->device.empty()) {
            exitCode = complain(
                problemOf(say("give a board and a plan file, or --device DEVICE and a plan file. See --help.")));
            return;
        }
        const bool piped = options->plan == kStandard;
        const auto save = [&](const Plan& plan) {
            return piped ? writeOutput(kStandard, planText(plan)) : savePlan(plan, options->plan);
        };
        std::error_code error;
        if (!piped && std::filesystem::exists(options->plan, error)) {
            exitCode = complain(problemOf(say("{} already exists; choose another name.", options->plan)));
            return;
        }
        if (!options->device.empty()) {
            const Expected<std::shared_ptr<const Device>> device = library().device(options->device);
            Plan bare;
            bare.name = piped ? "plan" : std::filesystem::path(options->plan).stem().string();
            const Outcome made = device ? (bare.device = (*device)->name, save(bare)) : Outcome(device.problem());
            if (!made)
                exitCode = complain(made.problem());
            else if (!piped)
                printFormat("{}: no needs, on {}\n", options->plan, bare.device);
            return;
        }
        const Expected<Board> board = library().board(options->board);
        const Expected<Plan> plan = board ? planFromBoard(*board) : Expected<Plan>(board.problem());
        const Outcome saved = plan ? save(*plan) : Outcome(plan.problem());
        if (!saved) {
            exitCode = complain(saved.problem());
            return;
        }
        if (!piped)
            printFormat("{}: {} for {} on {}\n", options->plan,
                        sayCount(long(plan->needs.size()), "{} need", "{} needs"), board->title, plan->device);
    });
}

BINDREL_COMMAND(addNew)

} // namespace bindrel::cli
