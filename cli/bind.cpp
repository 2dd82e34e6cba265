// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/say.h"
#include "core/pins/bind_all.h"
#include "core/pins/placement_words.h"

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
    CLI::App* command = app.add_subcommand("bind", say("Bind every unbound need; bound ones stay where they are."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_flag("--write", options->write, say("Save the plan; otherwise only list the bindings"));
    command->add_option("--format", options->format, say("text or json"))->check(CLI::IsMember({"text", "json"}));
    addSearchOptions(*command);
    addStoreOptions(*command);
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        if (s->bindings.count(BoundNeed::State::Open) == 0) {
            if (options->format == "json")
                printAsJson(
                    nlohmann::ordered_json{{"plan", s->plan.name}, {"changes", nlohmann::ordered_json::array()}});
            else
                printFormat("{}: no need is unbound\n", s->plan.name);
            return;
        }
        SearchOptions search;
        search.cancelled = searchTime();
        const Expected<BoundAll> all = bindAll(*s->device, *s->board, s->plan, search);
        if (!all) {
            exitCode = refuse(
                searchTimeIsUp()
                    ? say("binding every need was not possible within the time of --within; a solution may exist.")
                    : all.problem().message);
            return;
        }
        if (options->format == "json") {
            nlohmann::ordered_json json{{"plan", s->plan.name}, {"changes", bindingsJson(all->edit)}};
            json.update(costJson(all->way.cost, all->way.proof));
            auto left = nlohmann::ordered_json::array();
            for (const auto& [need, why] : all->left)
                left.push_back({{"need", s->plan.needs[need].id}, {"why", why}});
            json["left_open"] = left;
            printAsJson(json);
        } else {
            for (const Change& change : all->edit.changes)
                printFormat("{}\n", describe(s->plan, change));
            printFormat("{}\n", howGood(all->way));
            if (const std::string why = whyScattered(*s->device, *s->board, s->plan, all->way); !why.empty())
                printFormat("{}\n", why);
            for (const auto& [need, why] : all->left)
                printFormat("{} stays unbound: {}\n", s->plan.needs[need].title, why);
        }
        if (!all->left.empty())
            exitCode = 1;
        if (!options->write)
            return;
        const Expected<Plan> bound = applied(s->plan, all->edit);
        const Outcome saved = bound ? storePlan(s, *bound) : Outcome(bound.problem());
        if (!saved)
            exitCode = complain(saved.problem());
    });
}

BINDREL_COMMAND(addBind)

} // namespace bindrel::cli
