// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/repair.h"
#include "cli/clock_ways.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/tuning/clock_goals.h"

#include <fmt/format.h>

namespace bindrel::cli {

namespace {

void print(const Snapshot& s, const RepairResult& result)
{
    for (const std::string& wrong : result.wrong)
        printFormat("wrong: {}\n", wrong);
    for (size_t i = 0; i < result.ways.size(); ++i)
        printWay(s, int(i) + 1, result.ways[i]);
    if (result.inTurn)
        printFormat("Fixed one problem at a time; fewer changes may be enough.\n");
    for (const std::string& left : result.left)
        printFormat("left: {}\n", left);
    if (result.wrong.empty())
        printFormat("{}: no limit is broken and no goal is missed\n", s.plan.name);
    else if (result.ways.empty())
        printFormat("{}\n", result.complete ? say("No fix with up to four clock changes exists.")
                                            : say("No fix was found before the search gave up."));
}

void printJson(const Snapshot& s, const RepairResult& result)
{
    nlohmann::ordered_json json;
    json["plan"] = s.plan.name;
    json["wrong"] = result.wrong;
    json["left"] = result.left;
    json["in_turn"] = result.inTurn;
    json["complete"] = result.complete;
    json["ways"] = nlohmann::ordered_json::array();
    for (const ClockSolution& way : result.ways)
        json["ways"].push_back(wayJson(s, {}, way));
    printAsJson(json);
}

} // namespace

static void addRepair(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, format = "text";
        std::size_t count = 5, take = 0;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand(
        "repair",
        say("List fixes for all broken limits and missed goals with the fewest clock changes; or apply one."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_option("--count", options->count, say("Number of solutions"))->check(CLI::Range(1, 100));
    command->add_option("--take", options->take, say("Apply the solution of this number and save the plan"))
        ->check(CLI::Range(1, 100));
    addSearchOptions(*command);
    addStoreOptions(*command);
    command->add_option("--format", options->format, say("text or json"))->check(CLI::IsMember({"text", "json"}));
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        if (!s->device->hasClocks()) {
            exitCode = refuse(say("the clocks of {} are not described.", s->device->name));
            return;
        }
        RepairRequest request;
        request.most = std::max(options->count, options->take);
        request.stopped = searchTime();
        request.missedGoals = askedOnce(*s->device, s->plan, s->bindings);
        const RepairResult result = repairClocks(*s->device, *s->board, s->plan, s->bindings, request);
        if (options->format == "json")
            printJson(*s, result);
        else
            print(*s, result);
        if (result.wrong.empty())
            exitCode = kClean;
        else
            exitCode = result.ways.empty() ? kFindings : takeWay(s, result.ways, options->take);
    });
}

BINDREL_COMMAND(addRepair)

} // namespace bindrel::cli
