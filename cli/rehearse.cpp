// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/end_signals.h"
#include "core/base/say.h"
#include "core/base/scratch_folder.h"
#include "core/base/text.h"
#include "core/device/compiler_consent.h"
#include "core/device/device_memory.h"
#include "core/rehearsal/rehearsal.h"

#include <algorithm>
#include <csignal>
#include <optional>

namespace bindrel::cli {

namespace {

/// While it lives, a wish to end the program is only noted, so that compilers and what they left go first. It is
/// followed at the end of this.
class EndsLater {
public:
    ~EndsLater()
    {
        handler_.reset();
        if (wanted_ != 0)
            std::raise(wanted_);
    }
    static bool isWanted() { return wanted_ != 0; }

private:
    static inline volatile std::sig_atomic_t wanted_ = 0;
    std::optional<EndSignalHandler> handler_{std::in_place, [](int number) { wanted_ = number; }, true};
};

struct Run {
    Rehearsal rehearsal;
    std::vector<Hazard> hazards; ///< of the run, and what the machine code does otherwise
    bool mayGiveUp = false;      ///< something is dead: a status is what is wanted
};

std::string whereText(const Rehearsal& r, const Hazard& hazard)
{
    if (hazard.operation < 0)
        return say("at the end");
    const Operation& operation = r.operations[size_t(hazard.operation)];
    return say("after {}, {}", momentText(hazard.at), operation.text);
}

void printText(const Run& run, bool steps)
{
    const Rehearsal& r = run.rehearsal;
    printFormat("{}: {} after {}, {}\n", r.title, r.gaveUp.empty() || !r.wentOn.empty() ? "up" : say("gives up"),
                momentText(r.untilUp), sayCount(long(r.operations.size()), "{} operation", "{} operations"));
    if (!r.gaveUp.empty())
        printFormat("  {}{}.\n", r.gaveUp, r.wentOn.empty() ? "" : say("; it {}", r.wentOn));
    for (const auto& [cause, time] : r.split)
        if (time * 100 >= r.untilUp)
            printFormat("  {:>8}  {}\n", momentText(time), cause);
    if (!r.shorter.empty())
        printFormat("  {}.\n", r.shorter);
    for (const Operation& operation : steps ? r.operations : std::vector<Operation>())
        printFormat("  {:>10}  {}{}\n", momentText(operation.from), operation.text,
                    operation.why.empty() ? "" : "  " + operation.why);
    for (const Hazard& hazard : run.hazards)
        printFormat("  hazard {}, {}: {}\n", nameOf(hazard.kind), whereText(r, hazard), hazard.text);
}

nlohmann::ordered_json json(const Run& run)
{
    const auto seconds = [](Moment at) { return double(at) / double(kSecond); };
    nlohmann::ordered_json out;
    out["title"] = run.rehearsal.title;
    out["up_after"] = seconds(run.rehearsal.untilUp);
    out["gave_up"] = run.rehearsal.gaveUp;
    out["went_on"] = run.rehearsal.wentOn;
    out["split"] = nlohmann::ordered_json::array();
    for (const auto& [cause, time] : run.rehearsal.split)
        out["split"].push_back({{"cause", cause}, {"seconds", seconds(time)}});
    out["shorter"] = run.rehearsal.shorter;
    out["operations"] = nlohmann::ordered_json::array();
    for (const Operation& operation : run.rehearsal.operations)
        out["operations"].push_back({{"from", seconds(operation.from)},
                                     {"to", seconds(operation.to)},
                                     {"text", operation.text},
                                     {"why", operation.why}});
    out["hazards"] = nlohmann::ordered_json::array();
    for (const Hazard& hazard : run.hazards)
        out["hazards"].push_back({{"kind", nameOf(hazard.kind)},
                                  {"at", seconds(hazard.at)},
                                  {"operation", hazard.operation},
                                  {"text", hazard.text},
                                  {"place", hazard.place.id}});
    return out;
}

} // namespace

static void addRehearse(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, whatIf, format = "text";
        bool machineCode = false, steps = false, allowCompiler = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("rehearse", say("Run the bring-up, the changes of clocks and the low-power "
                                                           "modes on a simulated chip and judge every step."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_flag("--machine-code", options->machineCode,
                      say("Also compile the generated C and run it on an emulated core"));
    command->add_flag("--allow-compiler", options->allowCompiler,
                      say("Allow running the compiler named by a device file that is not shipped; remembered until the "
                          "file changes"));
    command->add_option(
        "--what-if", options->whatIf,
        say("A clock (by its id) that never starts or fails later; \"supply\": a brown-out; \"all\": each "
            "of these in turn"));
    command->add_flag("--steps", options->steps, say("List every operation with its moment"));
    command->add_option("--format", options->format, say("text or json"))->check(CLI::IsMember({"text", "json"}));
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        const Facts facts = s->facts();
        std::vector<Scenario> scenarios = scenariosOf(facts);
        if (options->whatIf.empty()) {
            std::erase_if(scenarios, [](const Scenario& scenario) { return scenario.whatIf(); });
        } else {
            const ClockIndex clock = s->device->findClock(options->whatIf);
            const bool supply = clock < 0 && options->whatIf == "supply";
            if (clock < 0 && !supply && options->whatIf != "all") {
                std::vector<std::string> ids;
                for (const ClockNode& node : s->device->clocks)
                    ids.push_back(node.id);
                const std::string meant = nearest(options->whatIf, ids);
                exitCode = complain(problemOf(say("{} has no clock {}.{}", s->device->name, options->whatIf,
                                                  meant.empty() ? "" : say(" Did you mean ") + meant + "?")));
                return;
            }
            std::erase_if(scenarios, [clock, supply](const Scenario& scenario) {
                return supply       ? scenario.sagsTo < 0
                       : clock >= 0 ? !scenario.dead.contains(clock) && scenario.fails != clock
                                    : !scenario.whatIf();
            });
            if (scenarios.empty()) {
                exitCode =
                    supply ? complain(problemOf(
                                 say("{} has no lower operating range to test, or its brown-out reset comes first.",
                                     s->device->name)))
                           : complain(problemOf(say("{} is not in use, or runs from reset: it cannot fail to start.",
                                                    options->whatIf)));
                return;
            }
        }
        std::optional<EndsLater> endsLater;
        std::optional<ScratchFolder> folder; // goes before the program ends
        if (options->machineCode) {
            if (const std::vector<std::string> unusual = unusualCompilers(*s->device, s->provenance.device);
                !unusual.empty()) {
                for (const Finding& finding : s->findings)
                    if (finding.rule == "DEV-02")
                        warn("bindrel-cli: {}\n", finding.text);
                if (options->allowCompiler)
                    if (const Outcome kept = allowCompilers(*s->device, deviceMemory()); !kept) {
                        exitCode = complain(kept.problem());
                        return;
                    }
                if (!compilersAllowed(*s->device, deviceMemory())) {
                    exitCode = refuse(say("{} was not run. If you trust that program, give --allow-compiler "
                                          "once; it is remembered until the device file changes.",
                                          listed(unusual)));
                    return;
                }
            }
            endsLater.emplace();
            Expected<ScratchFolder> made = ScratchFolder::make();
            if (!made) {
                exitCode = complain(made.problem());
                return;
            }
            folder.emplace(*std::move(made));
        }
        std::vector<Run> runs;
        for (const Scenario& scenario : scenarios) {
            Run planned{rehearsePlanned(facts, scenario), {}, !scenario.dead.empty()};
            planned.hazards = planned.rehearsal.hazards;
            runs.push_back(planned);
            if (!options->machineCode || scenario.laterOn())
                continue;
            Expected<Rehearsal> machine =
                rehearseMachineCode(facts, makeWholeSource(facts), scenario, folder->path(), EndsLater::isWanted);
            if (EndsLater::isWanted())
                return;
            if (!machine) {
                exitCode = complain(machine.problem());
                return;
            }
            Run code{*std::move(machine), {}, planned.mayGiveUp};
            code.hazards = code.rehearsal.hazards;
            for (Hazard& hazard : compareWrites(*s->device, planned.rehearsal, code.rehearsal))
                code.hazards.push_back(std::move(hazard));
            runs.push_back(std::move(code));
        }
        const bool clean = std::all_of(runs.begin(), runs.end(), [](const Run& run) {
            return run.hazards.empty() && (run.rehearsal.gaveUp.empty() || run.mayGiveUp);
        });
        exitCode = clean ? kClean : kFindings;
        if (options->format == "json") {
            nlohmann::ordered_json out{
                {"plan", s->plan.name}, {"device", s->device->name}, {"runs", nlohmann::ordered_json::array()}};
            for (const Run& run : runs)
                out["runs"].push_back(json(run));
            printAsJson(out);
            return;
        }
        long hazards = 0;
        for (const Run& run : runs) {
            printText(run, options->steps);
            hazards += long(run.hazards.size());
        }
        printFormat("{}: {}, {}\n", s->plan.name, sayCount(long(runs.size()), "{} rehearsal", "{} rehearsals"),
                    sayCount(hazards, "{} hazard", "{} hazards"));
    });
}

BINDREL_COMMAND(addRehearse)

} // namespace bindrel::cli
