// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/device/net_resistors.h"
#include "core/interchange/board_sheet.h"
#include "core/interchange/board_text.h"
#include "core/plan/board_facts.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace bindrel::cli {

namespace {

using Json = nlohmann::ordered_json;

constexpr std::array kPropertyKeys{"pull", "volts", "current", "off"};

Json boardJson(const Snapshot& s)
{
    Json out{{"facts", Json::array()}, {"parts", Json::array()}};
    for (const BoardFact& fact : boardFacts(s))
        out["facts"].push_back(Json{{"what", fact.what == BoardFact::What::Clock       ? fact.clock
                                             : fact.what == BoardFact::What::Outline   ? "outline"
                                             : fact.what == BoardFact::What::ChipPlace ? "chip"
                                             : fact.what == BoardFact::What::Supply    ? "supply"
                                                                                       : "temperature"},
                                    {"value", fact.value},
                                    {"from", fact.source},
                                    {"range", fact.range},
                                    {"finding", fact.finding}});
    for (const BoardPartRow& row : boardParts(s)) {
        if (row.terminal.empty()) {
            out["parts"].push_back(Json{{"id", row.part}, {"title", row.title}, {"terminals", Json::array()}});
            continue;
        }
        Json terminal{{"name", row.terminal}, {"leads_to", row.leadsTo}};
        for (std::size_t p = 0; p < row.said.size(); ++p)
            if (!row.said[p].empty())
                terminal[kPropertyKeys[p]] = row.said[p];
        out["parts"].back()["terminals"].push_back(std::move(terminal));
    }
    out["nets"] = Json::object();
    for (const auto& [pad, net] : s.board->nets)
        out["nets"][pad] = net;
    out["wishes"] = Json::array();
    for (const BoardWishRow& wish : boardWishes(s))
        out["wishes"].push_back(Json{{"wish", wish.sentence},
                                     {"strength", nameOf(wish.strength)},
                                     {"kept", !wish.broken},
                                     {"state", wish.state}});
    out["resistors"] = Json::object();
    out["pulls"] = Json::object();
    for (const auto& [pad, resistors] : s.board->resistors) {
        out["resistors"][pad] = resistorsText(resistors);
        if (resistors.pull)
            out["pulls"][pad] = *resistors.pull == TerminalFact::Level::High ? "up" : "down";
    }
    return out;
}

void print(const Snapshot& s)
{
    for (const BoardFact& fact : boardFacts(s)) {
        printFormat("{:<20} {:<36} {}\n", fact.title, fact.value,
                    fact.range.empty() ? fact.source : say("{} (chip: {})", fact.source, fact.range));
        if (!fact.finding.empty())
            printFormat("{:<20} {}\n", "", fact.finding);
    }
    for (const BoardPartRow& row : boardParts(s)) {
        if (row.terminal.empty()) {
            printFormat("\n{} ({}): {}\n", row.title, row.part, row.leadsTo);
            continue;
        }
        std::string said;
        for (std::size_t p = 0; p < row.said.size(); ++p)
            if (!row.said[p].empty())
                said += fmt::format("  {} {}", kPropertyKeys[p], row.said[p]);
        printFormat("  {:<16} {}{}\n", row.terminal, row.leadsTo.empty() ? say("not used") : row.leadsTo, said);
    }
    for (const auto& [pad, resistors] : s.board->resistors)
        printFormat("{}Resistors at {}: {}\n", pad == s.board->resistors.begin()->first ? "\n" : "", pad,
                    resistorsText(resistors));
    const std::vector<BoardWishRow> wishes = boardWishes(s);
    for (const BoardWishRow& wish : wishes)
        printFormat("{}{:<8} {}: {}\n", wish.sentence == wishes.front().sentence ? "\n" : "", nameOf(wish.strength),
                    wish.sentence, wish.state);
}

} // namespace

static void addBoard(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string plan, file, format = "text";
        bool force = false;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand(
        "board", say("List what is soldered around the chip, or save it as a board file for other plans."));
    command->add_option("PLAN", options->plan, say("Plan file"))->required();
    command->add_option("--save", options->file,
                        say("Write a board file of that name, which must end in .json; - for standard output"));
    command->add_flag("--force", options->force, say("Replace the file if there is one"));
    command->add_option("--format", options->format, say("text or json"))->check(CLI::IsMember({"text", "json"}));
    command->callback([options, &exitCode] {
        const auto s = openPlan(options->plan, exitCode);
        if (!s)
            return;
        if (options->file.empty()) {
            if (options->format == "json")
                printFormat("{}\n", boardJson(*s).dump(2, ' ', false, Json::error_handler_t::replace));
            else
                print(*s);
            return;
        }
        if (options->file == kStandard) {
            printRaw(boardText(*s, s->plan.name));
            return;
        }
        const std::filesystem::path path(options->file);
        if (path.extension() != ".json") {
            exitCode = complain(problemOf(say("a board file's name must end in .json; its stem is the board's name.")));
            return;
        }
        if (std::error_code error; !options->force && std::filesystem::exists(path, error)) {
            exitCode = complain(problemOf(say("{} exists; give --force to replace it.", options->file)));
            return;
        }
        if (const Outcome done = writeFileAtomically(path, boardText(*s, path.stem().string())); !done)
            exitCode = complain(done.problem());
        else
            printFormat("Saved {}.\n", options->file);
    });
}

BINDREL_COMMAND(addBoard)

} // namespace bindrel::cli
