// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/table.h"
#include "core/base/say.h"
#include "core/interchange/layout_list.h"

namespace bindrel::cli {

static void addLayout(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, older, format = "text";
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand(
        "layout", say("List the chip's pins by net for the layout, or the signals that the schematic must move."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_option(
        "--moved-from", options->older,
        say("Plan as the schematic was drawn from it: list the signals that have other pins now, with the "
            "nets that move along"));
    command->add_option("--format", options->format, say("text, json or csv"))
        ->check(CLI::IsMember({"text", "json", "csv"}));
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        if (options->older.empty()) {
            Table table{{"net", "pin", "pad", "signal", "need", "part"}, {}};
            for (const NetPin& pin : pinsByNet(*s))
                table.rows.push_back({pin.net, pin.pin, pin.pad, pin.signal, pin.need, pin.part});
            table.print(options->format);
            return;
        }
        const auto before = openPlan(options->older, exitCode);
        if (!before)
            return;
        Table table{{"net", "from_pin", "from_pad", "to_pin", "to_pad", "need", "signal"}, {}};
        for (const MovedSignal& moved : movedSignals(*before, *s))
            table.rows.push_back(
                {moved.net, moved.fromPin, moved.fromPad, moved.toPin, moved.toPad, moved.need, moved.signal});
        table.print(options->format);
        if (table.rows.empty() && options->format == "text")
            printFormat("no signal has moved\n");
    });
}

BINDREL_COMMAND(addLayout)

} // namespace bindrel::cli
