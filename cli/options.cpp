// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/options.h"
#include "cli/commands.h"
#include "cli/table.h"
#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

namespace bindrel::cli {

namespace {

const char* nameOf(Option::Cost cost)
{
    switch (cost) {
    case Option::Cost::Current:
        return "current";
    case Option::Cost::Free:
        return "free";
    case Option::Cost::Moves:
        return "moves";
    case Option::Cost::Room:
        return "room";
    case Option::Cost::Contends:
        return "contends";
    case Option::Cost::Impossible:
        break;
    }
    return "impossible";
}

} // namespace

static void addOptions(CLI::App& app, int& exitCode)
{
    struct Arguments {
        std::string plan;
        std::string signal;
        std::string format = "text";
    };
    auto arguments = std::make_shared<Arguments>();
    CLI::App* command =
        app.add_subcommand("options", say("List the pads that could carry a signal, with what each would cost."));
    command->add_option("PLAN", arguments->plan, say("Plan file"))->required();
    command
        ->add_option("NEED[.SIGNAL]", arguments->signal,
                     say("NEED.SIGNAL such as uplink.tx; NEED alone lists the instances that could serve it"))
        ->required();
    command->add_option("--format", arguments->format, say("text, json or csv"))
        ->check(CLI::IsMember({"text", "json", "csv"}));
    addSearchOptions(*command);
    command->callback([arguments, &exitCode] {
        const auto s = openPlan(arguments->plan, exitCode);
        if (!s)
            return;
        const size_t dot = arguments->signal.find('.');
        const std::string id = arguments->signal.substr(0, dot);
        const std::string signal = dot == std::string::npos ? "" : arguments->signal.substr(dot + 1);
        std::vector<std::string> known;
        int index = -1;
        for (const NeedIndex n : s->plan.needs.indices())
            for (const SignalSpec& spec : signalsOf(s->plan.needs[n])) {
                known.push_back(s->plan.needs[n].id + "." + spec.id);
                if (s->plan.needs[n].id == id && spec.id == signal)
                    index = static_cast<int>(n);
            }
        if (dot == std::string::npos && s->plan.need(id)) {
            const NeedIndex need = static_cast<int>(s->plan.need(id) - s->plan.needs.data());
            Table table{{"instance", "cost", "reason"}, {}};
            for (const InstanceOption& option : instanceOptions(*s->device, *s->board, s->plan, need, searchTime()))
                table.rows.push_back({s->device->instances[option.instance].name, nameOf(option.cost), option.reason});
            table.print(arguments->format);
            return;
        }
        if (index < 0) {
            exitCode = complain(problemOf(say("\"{}\" is not a signal of this plan; write NEED.SIGNAL.{}",
                                              arguments->signal, didYouMean(arguments->signal, known))));
            return;
        }
        Table table{{"pad", "pin", "instance", "cost", "reason"}, {}};
        for (Option& option : optionsFor(*s->device, *s->board, s->plan, s->bindings, index, signal)) {
            priceOption(option, *s->device, *s->board, s->plan, s->bindings, index, signal, searchTime());
            table.rows.push_back({s->device->pads[option.pad].name, s->device->pinOf(option.pad),
                                  option.instance < 0 ? "" : s->device->instances[option.instance].name,
                                  nameOf(option.cost), option.reason});
        }
        table.print(arguments->format);
    });
}

BINDREL_COMMAND(addOptions)

} // namespace bindrel::cli
