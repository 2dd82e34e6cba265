// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/assignment.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/output/source_difference.h"

#include <fmt/format.h>

namespace bindrel::cli {

static void addSet(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, format = "text";
        std::vector<std::string> assignments;
        bool dryRun = false, source = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command =
        app.add_subcommand("set", say("Change clocks, goals, pads and what is fitted, all or nothing, as in: set PLAN "
                                      "SYS=HFX uplink.baud=9600 uplink.tx=PD0 \"HFX=12 MHz, 20 ppm\"."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command
        ->add_option(
            "ASSIGNMENT", options->assignments,
            say("CLOCK=SETTING, NEED.GOAL=VALUE, NEED.SIGNAL=PAD, NEED.instance=NAME, NEED.SIGNAL.PROPERTY=VALUE, "
                "supply=, temperature=, range=, prefix=, net.PAD=, resistors.PAD=\"up, 33 ohm in series\", "
                "\"wish.pump in order\"=wish|rule|dropped, mode.MODE=, "
                "nonvolatile.WORD.SETTING=, "
                "hold.NEED=, leave_out=, project.sources_in=; nothing "
                "behind = goes back to the default"))
        ->required();
    command->add_flag("--dry-run", options->dryRun, say("Only show what would change"));
    command->add_flag("--source", options->source, say("Also show what would be different in the generated C"));
    command->add_option("--format", options->format, say("text or json"))->check(CLI::IsMember({"text", "json"}));
    addStoreOptions(*command);
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        LoadedPlan work{s->filedDevice, s->filedBoard, s->plan, s->provenance, {}, {}};
        std::vector<std::string> told;
        Expected<Plan> plan = assigned(work, options->assignments, &told);
        if (!plan) {
            exitCode = complain(plan.problem());
            return;
        }
        work.plan = *std::move(plan);
        const auto after = computeSnapshot(work);
        if (!options->dryRun && !(work.plan == s->plan))
            if (const Outcome stored = storePlan(s, work.plan, *after); !stored) {
                exitCode = complain(stored.problem());
                return;
            }
        const int errors = after->count(Finding::Severity::Error), before = s->count(Finding::Severity::Error);
        const std::string source = options->source && s->device->canBeWritten()
                                       ? sourceDifference(s->source(), after->source())
                                       : std::string();
        if (options->format == "json") {
            nlohmann::ordered_json out{
                {"changes", told}, {"saved", !options->dryRun}, {"errors", errors}, {"errors_before", before}};
            if (options->source)
                out["source"] = source;
            printAsJson(out);
            return;
        }
        for (const std::string& line : told)
            printFormat("{}\n", line);
        printFormat("{}", printable(source, true));
        if (work.plan == s->plan)
            printFormat("nothing changes\n");
        else if (options->dryRun)
            printFormat("not saved (--dry-run)\n");
        if (errors != before)
            printFormat("{} instead of {}; see check\n", sayCount(errors, "{} error", "{} errors"), before);
    });
}

BINDREL_COMMAND(addSet)

} // namespace bindrel::cli
