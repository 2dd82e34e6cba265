// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/fit.h"
#include "cli/commands.h"
#include "cli/table.h"
#include "core/base/say.h"

#include <fmt/format.h>

namespace bindrel::cli {

static void addFit(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan;
        std::string format = "text";
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("fit", say("Check which library chips fit the plan."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_option("--format", options->format, say("text, json or csv"))
        ->check(CLI::IsMember({"text", "json", "csv"}));
    addSearchOptions(*command, 60);
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        Table table{{"device", "package", "fits", "needs_moved", "signals_moved", "why"}, {}};
        const Library all = library();
        for (const std::string& name : all.deviceNames()) {
            const Expected<std::shared_ptr<const Device>> device = all.device(name);
            if (!device) {
                table.rows.push_back({name, "", "no", "", "", device.problem().text()});
                continue;
            }
            const Fit fit = fitOn(**device, *s->board, s->plan, searchTime());
            table.rows.push_back({(*device)->name, (*device)->package.name,
                                  fit.fits     ? "yes"
                                  : fit.proven ? "no"
                                               : "unknown",
                                  fit.fits ? std::to_string(fit.cost.moved) : "",
                                  fit.fits ? std::to_string(fit.cost.pads) : "", fit.why});
        }
        table.print(options->format);
    });
}

BINDREL_COMMAND(addFit)

} // namespace bindrel::cli
