// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/clock_ways.h"
#include "cli/commands.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/format.h"
#include "core/tuning/clock_goals.h"

#include <fmt/format.h>

namespace bindrel::cli {

namespace {

struct Options {
    std::string plan, format = "text", range;
    std::vector<std::string> wants, holds;
    std::size_t count = 12;
    std::size_t take = 0;
    bool all = false, loseGoals = false;
};

Expected<ReachRequest> requestOf(const Options& options, const Snapshot& s)
{
    ReachRequest request;
    for (const std::string& want : options.wants) {
        Expected<ReachTarget> target = readReachTarget(*s.device, want);
        if (!target)
            return target.problem();
        for (const ReachTarget& other : request.targets)
            if (other.clock == target->clock)
                return problemOf(
                    say("{} is given twice; give each clock only one --want.", s.device->clocks[other.clock].name));
        request.targets.push_back(*target);
    }
    for (const std::string& hold : options.holds) {
        if (s.device->findClock(hold) < 0)
            return problemOf(say("--hold: \"{}\" is not a clock of {}.", hold, s.device->name));
        request.holds.insert(hold);
    }
    if (options.range == "any") {
        request.ranges.push_back(s.rates.range);
        for (int range = 0; range < int(s.device->ranges.size()); ++range)
            if (range != s.rates.range)
                request.ranges.push_back(range);
    } else if (!options.range.empty()) {
        const int range = s.device->findRange(options.range);
        if (range < 0)
            return problemOf(say("--range: \"{}\" is not an operating range of {}; \"any\" looks in all.",
                                 options.range, s.device->name));
        request.ranges = {range};
    }
    request.most = std::max(options.count, options.take);
    request.all = options.all;
    request.loseGoals = options.loseGoals;
    request.stopped = searchTime();
    request.missedGoals = newlyMissed(*s.device, s.plan, s.bindings, s.rates);
    return request;
}

void print(const Snapshot& s, const ReachRequest& request, const ReachResult& result)
{
    for (size_t i = 0; i < result.ways.size(); ++i)
        printWay(s, int(i) + 1, result.ways[i]);
    if (!result.complete)
        printFormat("The search was stopped; better solutions may exist.\n");
    if (!result.ways.empty()) {
        printFormat("{}\n", result.ways.size() < request.most && result.complete ? say("There are no others.")
                                                                                 : say("Others rank after these."));
        return;
    }
    for (const std::string& obstacle : result.inTheWay)
        printFormat("in the way: {}\n", obstacle);
    for (const ReachMiss& miss : result.misses) {
        const std::string& name = s.device->clocks[request.targets[miss.target].clock].name;
        for (const ClockSolution& way : miss.nearest) {
            const size_t at = miss.othersKept ? miss.target : 0;
            printFormat("nearest for {}: {}, {} off{}: {}\n", name, format(way.achieved[at]),
                        format(errorOf(way.achieved[at], request.targets[miss.target].rate), true),
                        miss.othersKept ? "" : say(", by itself"), wayText(*s.device, way));
        }
    }
}

void printJson(const Snapshot& s, const ReachRequest& request, const ReachResult& result)
{
    nlohmann::ordered_json json;
    json["plan"] = s.plan.name;
    json["wants"] = nlohmann::ordered_json::array();
    for (const ReachTarget& target : request.targets)
        json["wants"].push_back({{"clock", s.device->clocks[target.clock].id}, {"wish", wishText(target)}});
    json["complete"] = result.complete;
    json["looked"] = result.looked;
    json["ways"] = nlohmann::ordered_json::array();
    for (const ClockSolution& way : result.ways)
        json["ways"].push_back(wayJson(s, request.targets, way));
    json["in_the_way"] = result.inTheWay;
    json["nearest"] = nlohmann::ordered_json::array();
    for (const ReachMiss& miss : result.misses)
        for (const ClockSolution& way : miss.nearest) {
            std::vector<ReachTarget> targets = request.targets;
            if (!miss.othersKept)
                targets = {request.targets[miss.target]};
            nlohmann::ordered_json row = wayJson(s, targets, way);
            row["for"] = s.device->clocks[request.targets[miss.target].clock].id;
            row["others_kept"] = miss.othersKept;
            json["nearest"].push_back(std::move(row));
        }
    printAsJson(json);
}

} // namespace

static void addReach(CLI::App& app, int& exitCode)
{
    auto options = std::make_shared<Options>();
    CLI::App* command =
        app.add_subcommand("reach", say("List clock settings for target rates, best first; or apply one."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command
        ->add_option("--want", options->wants,
                     say("CLOCK=48MHz, CLOCK=48MHz\u00b10.25%, CLOCK>=100MHz, CLOCK<=80MHz, CLOCK=max, CLOCK=min; may "
                         "be repeated"))
        ->required();
    command->add_option("--hold", options->holds,
                        say("Clock whose setting must not change, besides those held in the plan; may be repeated"));
    command->add_option("--range", options->range, say("Operating range to use, or \"any\"; else the plan's own"));
    command->add_option("--count", options->count, say("Number of solutions"))->check(CLI::Range(1, 1000));
    command->add_option("--take", options->take, say("Apply the solution of this number and save the plan"))
        ->check(CLI::Range(1, 1000));
    command->add_flag("--all", options->all, say("Also list solutions that differ only inside a multiplier"));
    command->add_flag("--lose-goals", options->loseGoals, say("Also list solutions by which needs miss their goals"));
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
        const Expected<ReachRequest> request = requestOf(*options, *s);
        if (!request) {
            exitCode = complain(request.problem());
            return;
        }
        const ReachResult result = reach(*s->device, *s->board, s->plan, s->bindings, *request);
        if (options->format == "json")
            printJson(*s, *request, result);
        else
            print(*s, *request, result);
        exitCode = result.ways.empty() ? kFindings : takeWay(s, result.ways, options->take);
    });
}

BINDREL_COMMAND(addReach)

} // namespace bindrel::cli
