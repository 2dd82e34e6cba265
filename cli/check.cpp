// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/sarif.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/rehearsal/rehearsal.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

namespace bindrel::cli {

namespace {

const char* severityText(Finding::Severity severity)
{
    return severity == Finding::Severity::Error ? "error" : "caution";
}

long count(const std::vector<Finding>& findings, Finding::Severity severity)
{
    return std::count_if(findings.begin(), findings.end(),
                         [severity](const Finding& finding) { return finding.severity == severity; });
}

void printJson(const Snapshot& s, const std::vector<Finding>& findings)
{
    nlohmann::ordered_json out;
    out["plan"] = s.plan.name;
    out["device"] = s.device->name;
    out["needs"] = s.plan.needs.size();
    out["open"] = s.bindings.count(BoundNeed::State::Open);
    out["contested"] = s.bindings.count(BoundNeed::State::Contested);
    out["errors"] = count(findings, Finding::Severity::Error);
    out["cautions"] = count(findings, Finding::Severity::Caution);
    out["findings"] = nlohmann::ordered_json::array();
    for (const Finding& finding : findings)
        out["findings"].push_back(
            {{"rule", finding.rule},
             {"severity", severityText(finding.severity)},
             {"text", finding.text.text()},
             {"sentences", sentencesOf(finding.text)},
             {"place", finding.place.id},
             {"detail", finding.place.sub},
             {"fix", finding.fixTitle},
             {"ways", !finding.ways                 ? ""
                      : finding.ways->clock.empty() ? "repair"
                                                    : "reach " + finding.ways->clock + "=" + finding.ways->wish}});
    printAsJson(out);
}

} // namespace

static void addCheck(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan;
        std::string format = "text";
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("check", say("List the findings of a plan."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_option("--format", options->format, say("text, json or sarif"))
        ->check(CLI::IsMember({"text", "json", "sarif"}));
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        // That a clean plan comes up is tried on the simulated chip.
        std::vector<Finding> findings = s->findings;
        for (Finding& hazard : hazardFindings(s->facts(), s->findings))
            findings.push_back(std::move(hazard));
        if (options->format == "json") {
            printJson(*s, findings);
        } else if (options->format == "sarif") {
            printAsJson(sarifOf(findings, options->plan));
        } else {
            for (const Finding& finding : findings)
                printFormat("{} {}: {}\n", severityText(finding.severity), finding.rule, finding.text);
            printFormat("{}: {}, {} unbound, {} in conflict, {}, {}\n", s->plan.name,
                        sayCount(long(s->plan.needs.size()), "{} need", "{} needs"),
                        s->bindings.count(BoundNeed::State::Open), s->bindings.count(BoundNeed::State::Contested),
                        sayCount(count(findings, Finding::Severity::Error), "{} error", "{} errors"),
                        sayCount(count(findings, Finding::Severity::Caution), "{} caution", "{} cautions"));
        }
        exitCode = count(findings, Finding::Severity::Error) > 0 ? kFindings : kClean;
    });
}

BINDREL_COMMAND(addCheck)

} // namespace bindrel::cli
