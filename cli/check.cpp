// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/text.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace bindrel::cli {

namespace {

const char* severityText(Finding::Severity severity) { return severity == Finding::Severity::Error ? "error" : "caution"; }

void printJson(const Snapshot& s)
{
    nlohmann::ordered_json out;
    out["plan"] = s.plan.name;
    out["device"] = s.device->name;
    out["needs"] = s.plan.needs.size();
    out["open"] = s.bindings.count(BoundNeed::State::Open);
    out["contested"] = s.bindings.count(BoundNeed::State::Contested);
    out["errors"] = s.count(Finding::Severity::Error);
    out["cautions"] = s.count(Finding::Severity::Caution);
    out["findings"] = nlohmann::ordered_json::array();
    for (const Finding& finding : s.findings)
        out["findings"].push_back({{"rule", finding.rule}, {"severity", severityText(finding.severity)}, {"text", finding.text},
                                   {"place", finding.place.id}, {"detail", finding.place.sub}, {"fix", finding.fixTitle},
                                   {"ways", !finding.ways ? "" : finding.ways->clock.empty() ? "repair" : "reach " + finding.ways->clock + "=" + finding.ways->wish}});
    sayJson(out);
}

} // namespace

static void addCheck(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan;
        std::string format = "text";
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("check", "List the findings of a plan.");
    command->add_option("PLAN", options->plan, "Plan file")->required();
    command->add_option("--format", options->format, "text or json")->check(CLI::IsMember({"text", "json"}));
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        if (options->format == "json") {
            printJson(*s);
        } else {
            for (const Finding& finding : s->findings)
                say("{} {}: {}\n", severityText(finding.severity), finding.rule, finding.text);
            say("{}: {}, {} open, {} contested, {}, {}\n", s->plan.name, counted(long(s->plan.needs.size()), "need"),
                       s->bindings.count(BoundNeed::State::Open), s->bindings.count(BoundNeed::State::Contested),
                       counted(s->count(Finding::Severity::Error), "error"), counted(s->count(Finding::Severity::Caution), "caution"));
        }
        exitCode = s->count(Finding::Severity::Error) > 0 ? kFindings : kClean;
    });
}

BINDREL_COMMAND(addCheck)

} // namespace bindrel::cli
