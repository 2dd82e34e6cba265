// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/adopt.h"
#include "cli/commands.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

namespace bindrel::cli {

static void addAdopt(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, registers, format = "text";
        bool write = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand(
        "adopt",
        say("Take over what a running chip's registers hold: clocks, pads, needs and goals, and what no goal says "
            "as fields set by hand."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command
        ->add_option("REGISTERS", options->registers,
                     say("Text with INSTANCE.REGISTER or an address, and a value; a debugger's memory dump; or JSON"))
        ->required();
    command->add_flag("--write", options->write, say("Save the plan; otherwise only list what would change"));
    command->add_option("--format", options->format, say("text or json"))->check(CLI::IsMember({"text", "json"}));
    addStoreOptions(*command);
    command->callback([options, &exitCode] {
        if (options->plan == kStandard && options->registers == kStandard) {
            exitCode = complain(problemOf(say("only one of PLAN and REGISTERS can be standard input.")));
            return;
        }
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        const Expected<std::string> text = readInput(options->registers);
        if (!text) {
            exitCode = complain(text.problem());
            return;
        }
        const Expected<RegisterDump> dump = readRegisterDump(*s->device, *text);
        if (!dump) {
            exitCode = complain(problemOf(options->registers + ": " + dump.problem().message));
            return;
        }
        const Adoption adoption = adoptRegisters(*s, *dump);
        const Expected<Plan> next = applied(s->plan, adoption.edit);
        const bool store = options->write && !adoption.edit.changes.empty();
        const Outcome saved = !next   ? Outcome(next.problem())
                              : store ? storePlan(s, *next, *computeSnapshot(s->with(*next)))
                                      : Outcome();
        if (!saved) {
            exitCode = complain(saved.problem());
            return;
        }
        if (options->format == "json") {
            printAsJson({{"taken", adoption.taken},
                         {"left", adoption.left},
                         {"not_understood", dump->notUnderstood},
                         {"saved", store}});
            return;
        }
        for (const std::string& line : dump->notUnderstood)
            warn("bindrel-cli: {}: {}\n", options->registers, line);
        for (const std::string& line : adoption.taken)
            printFormat("{}\n", line);
        if (adoption.edit.changes.empty())
            printFormat("the plan says all of it already\n");
        if (!adoption.left.empty())
            printFormat("\n{} left as the plan has {}:\n",
                        sayCount(long(adoption.left.size()), "{} field", "{} fields"),
                        adoption.left.size() == 1 ? "it" : "them");
        for (const std::string& line : adoption.left)
            printFormat("  {}\n", line);
    });
}

BINDREL_COMMAND(addAdopt)

} // namespace bindrel::cli
