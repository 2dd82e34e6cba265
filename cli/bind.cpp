// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/pins/options.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace bindrel::cli {

static void addBind(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan;
        bool write = false;
        std::string format = "text";
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("bind", "Bind what is open; what is bound stays where it is.");
    command->add_option("PLAN", options->plan, "Plan file")->required();
    command->add_flag("--write", options->write, "Save the plan; without it the bindings are only listed");
    command->add_option("--format", options->format, "text or json")->check(CLI::IsMember({"text", "json"}));
    addSearchOptions(*command);
    addStoreOptions(*command);
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        if (s->bindings.count(BoundNeed::State::Open) == 0) {
            if (options->format == "json")
                sayJson(nlohmann::ordered_json{{"plan", s->plan.name}, {"changes", nlohmann::ordered_json::array()}});
            else
                say("{}: no need is open\n", s->plan.name);
            return;
        }
        const Expected<Edit> edit = bindAllOpen(*s->device, *s->board, s->plan, searchTime());
        if (!edit) {
            exitCode = refuse(searchTimeIsUp() ? "no way to bind all that is open was found in the time that --within gives; whether there is one is not known." : edit.problem().message);
            return;
        }
        if (options->format == "json") {
            sayJson(nlohmann::ordered_json{{"plan", s->plan.name}, {"changes", bindingsJson(*edit)}});
        } else {
            for (const Change& change : edit->changes)
                say("{}\n", describe(s->plan, change));
        }
        if (!options->write)
            return;
        const Expected<Plan> bound = applied(s->plan, *edit);
        const Outcome saved = bound ? storePlan(s, *bound) : Outcome(bound.problem());
        if (!saved)
            exitCode = complain(saved.problem());
    });
}

BINDREL_COMMAND(addBind)

} // namespace bindrel::cli
