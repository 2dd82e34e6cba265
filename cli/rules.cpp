// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/table.h"
#include "core/base/say.h"
#include "core/findings/finding.h"

namespace bindrel::cli {

static void addRules(CLI::App& app, int& exitCode)
{
    const auto format = std::make_shared<std::string>("text");
    CLI::App* command =
        app.add_subcommand("rules", say("List the rules that findings name, and what holds where each is kept."));
    command->add_option("--format", *format, say("text, json or csv"))->check(CLI::IsMember({"text", "json", "csv"}));
    command->callback([format, &exitCode] {
        Table table{{"rule", "holds", "fix"}, {}};
        for (const Rule& rule : rules())
            table.rows.push_back({rule.id, say(rule.about), rule.fix ? "yes" : "no"});
        table.print(*format);
        exitCode = kClean;
    });
}

BINDREL_COMMAND(addRules)

} // namespace bindrel::cli
