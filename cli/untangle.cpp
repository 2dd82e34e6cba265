// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/freeing.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace bindrel::cli {

namespace {

void print(const Snapshot& s, const Untangling& out)
{
    for (size_t i = 0; i < out.ways.size(); ++i) {
        printFormat("{}. {}\n", i + 1, out.ways[i].edit.title);
        for (const Change& change : out.ways[i].edit.changes)
            printFormat("   {}\n", describe(s.plan, change));
    }
    if (!out.ways.empty())
        printFormat("{}\n", out.proven ? say("Fewest moves (proven).") : say("Fewer moves may be possible."));
}

std::vector<RelaxationOption> freeing(const Snapshot& s, const Untangling& out)
{
    return out.ways.empty() && !s.bindings.contests.empty()
               ? relaxationOptions(*s.device, *s.board, *s.filedBoard, s.plan, library().devices(), searchTime())
               : std::vector<RelaxationOption>();
}

void printJson(const Snapshot& s, const Untangling& out)
{
    nlohmann::ordered_json json;
    json["plan"] = s.plan.name;
    json["proven"] = out.proven;
    json["why"] = out.why;
    json["ways"] = nlohmann::ordered_json::array();
    for (const Untangling::ConflictSolution& way : out.ways) {
        nlohmann::ordered_json row = costJson(way.cost, way.proof);
        row["changes"] = bindingsJson(way.edit);
        json["ways"].push_back(std::move(row));
    }
    json["would_free"] = nlohmann::ordered_json::array();
    for (const RelaxationOption& way : freeing(s, out))
        json["would_free"].push_back(way.text);
    printAsJson(json);
}

} // namespace

static void addUntangle(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan;
        std::string format = "text";
        int count = 5;
        int apply = 0;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command =
        app.add_subcommand("untangle", say("List solutions for conflicts, fewest moves first; or apply one."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_option("--count", options->count, say("Number of solutions"))->check(CLI::Range(1, 50));
    command->add_option("--apply", options->apply, say("Apply the solution of this number and save the plan"))
        ->check(CLI::Range(1, 50));
    command->add_option("--format", options->format, say("text or json"))->check(CLI::IsMember({"text", "json"}));
    addSearchOptions(*command);
    addStoreOptions(*command);
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        const Untangling out =
            untangle(*s->device, *s->board, s->plan, size_t(std::max(options->count, options->apply)), searchTime());
        if (options->format == "json")
            printJson(*s, out);
        else
            print(*s, out);
        if (out.ways.empty() && !s->bindings.contests.empty()) {
            const std::string why =
                searchTimeIsUp() ? say("no solution was found within the time of --within; one may exist.") : out.why;
            if (options->format == "text") {
                exitCode = refuse(why);
                for (const RelaxationOption& way : freeing(*s, out))
                    warn("  to free it, {}\n", way.text);
            } else {
                warn("bindrel-cli: {}\n", why);
                exitCode = kFindings;
            }
            return;
        }
        if (out.ways.empty() && options->format == "text")
            printFormat("{}: no conflict\n", s->plan.name);
        if (options->apply == 0)
            return;
        if (size_t(options->apply) > out.ways.size()) {
            exitCode = refuse(say("there is no solution {}; {} found.", options->apply,
                                  sayCount(long(out.ways.size()), "{} way", "{} ways")));
            return;
        }
        const Expected<Plan> next = applied(s->plan, out.ways[size_t(options->apply) - 1].edit);
        const Outcome saved = next ? storePlan(s, *next) : Outcome(next.problem());
        if (!saved)
            exitCode = complain(saved.problem());
    });
}

BINDREL_COMMAND(addUntangle)

} // namespace bindrel::cli
