// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/text.h"
#include "core/rehearsal/rehearsal.h"

namespace bindrel::cli {

static void addRehearse(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, format = "text";
        bool machine = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("rehearse", "Run the bring-up on a simulated chip and judge every step.");
    command->add_option("PLAN", options->plan, "Plan file")->required();
    command->add_flag("--machine-code", options->machine, "");
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        std::string dir = "/tmp/rehearse_XXXXXX"; mkdtemp(dir.data());
        for (const Scenario& scenario : scenariosOf(s->facts())) {
            const Rehearsal r = rehearsePlanned(s->facts(), scenario);
            say("{}: {} operations, up after {}\n", r.title, r.operations.size(), momentText(r.untilUp));
            if (!r.gaveUp.empty()) say("  gave up: {}\n", r.gaveUp);
            for (const Hazard& h : r.hazards)
                say("  {} at {} {}: {}\n", nameOf(h.kind), momentText(h.at), h.operation >= 0 ? r.operations[size_t(h.operation)].text : "", h.text);
            if (options->machine) {
                const auto m = rehearseMachineCode(s->facts(), s->source(), scenario, dir);
                if (!m) { exitCode = complain(m.problem()); return; }
                say("    machine: {} operations, up after {} {}\n", m->operations.size(), momentText(m->untilUp), m->gaveUp);
            for (const Hazard& h : m->hazards)
                say("      {} at {} {}: {}\n", nameOf(h.kind), momentText(h.at), h.operation >= 0 ? m->operations[size_t(h.operation)].text : "", h.text);
            for (const Hazard& h : compareWrites(*s->device, r, *m))
                say("      {}\n", h.text);
            }
        }
        exitCode = kClean;
    });
}

BINDREL_COMMAND(addRehearse)

} // namespace bindrel::cli
