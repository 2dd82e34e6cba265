// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/say.h"
#include "core/pins/stated_need.h"

#include <fmt/format.h>

namespace bindrel::cli {

static void addAdd(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan;
        std::vector<std::string> words;
        bool write = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command =
        app.add_subcommand("add", say("State a need in one line, as in: add PLAN \"uart 460.8k rts/cts for modem\"."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command
        ->add_option("NEED", options->words,
                     say("A kind, its goals, \"on PAD/PAD\", \"for PART\", \"on CORE\", \"called TITLE\" in any order"))
        ->required();
    command->add_flag("--write", options->write, say("Save the plan; otherwise only show what was understood"));
    addStoreOptions(*command);
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        std::string line;
        for (const std::string& word : options->words)
            line += (line.empty() ? "" : " ") + word;
        const Expected<StatedNeed> stated = parseNeedLine(line, *s->device, *s->board);
        if (!stated) {
            exitCode = complain(stated.problem());
            return;
        }
        const Need need = newNeed(*stated, s->plan, *s->device, *s->board);
        printFormat("{}: {}\n", need.title, describe(*stated, *s->board));
        const Expected<Edit> edit = addOnPads(need, stated->pads, s->plan, *s->device, *s->board);
        const Expected<Plan> more = edit ? applied(s->plan, *edit) : Expected<Plan>(edit.problem());
        const Outcome done = !more ? Outcome(more.problem()) : options->write ? storePlan(s, *more) : Outcome();
        if (!done)
            exitCode = complain(done.problem());
    });
}

BINDREL_COMMAND(addAdd)

} // namespace bindrel::cli
