// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/board_text.h"

#include "core/device/net_resistors.h"
#include "core/plan/board_facts.h"
#include "core/quantity/exact_text.h"
#include "core/quantity/parse.h"

#include <nlohmann/json.hpp>

#include <set>

namespace bindrel {

namespace {

using Json = nlohmann::ordered_json;

Json crystalJson(const CrystalFact& crystal)
{
    Json out{{"rate", exactly(crystal.rate, parseFrequency)}};
    if (crystal.tolerance)
        out["tolerance"] = exactly(crystal.tolerance->worst(), parsePpm);
    if (crystal.load != Capacitance())
        out["load"] = exactly(crystal.load, parseCapacitance);
    if (crystal.stray != Capacitance())
        out["stray"] = exactly(crystal.stray, parseCapacitance);
    if (crystal.external)
        out["external"] = true;
    return out;
}

Json terminalJson(const Part& part, const std::string& name)
{
    const auto known = part.facts.find(name);
    if (known == part.facts.end() || known->second.empty())
        return name;
    using Level = TerminalFact::Level;
    const TerminalFact& fact = known->second;
    Json out{{"name", name}};
    if (fact.pull)
        out["pull"] = *fact.pull == Level::High ? "up" : "down";
    if (fact.volts != Voltage())
        out["volts"] = exactly(fact.volts, parseVoltage);
    if (fact.current != Current())
        out["current"] = exactly(fact.current, parseCurrent);
    if (fact.off)
        out["off"] = *fact.off == Level::High ? "high" : "low";
    return out;
}

/// What a part wants, as the plan has it now. Ids of needs are those of their part and a word of their own.
Json needsJson(const Plan& plan, const Part& part)
{
    Json out = Json::array();
    std::set<std::string> taken;
    for (const Need& need : plan.needs) {
        if (need.part != part.id)
            continue;
        std::string id = need.id == part.id                   ? std::string()
                         : need.id.starts_with(part.id + "-") ? need.id.substr(part.id.size() + 1)
                                                              : need.id;
        while (!taken.insert(id).second)
            id += id.empty() ? "main" : "-2";
        Json one = Json::object();
        if (!id.empty())
            one["id"] = id;
        one["title"] = need.title;
        one["kind"] = need.kind;
        for (const auto& [goal, text] : need.goals)
            one["goals"][goal] = text;
        for (const auto& [signal, terminal] : need.terminals)
            one["terminals"][signal] = terminal;
        out.push_back(std::move(one));
    }
    return out;
}

} // namespace

std::string boardText(const Snapshot& snapshot, const std::string& name)
{
    const Board& board = *snapshot.board;
    Json out{{"format", 1}, {"name", name}};
    if (!board.name.empty() && board.title != name)
        out["title"] = board.title;
    out["device"] = snapshot.plan.device;
    const Expected<Voltage> supply = parseVoltage(snapshot.plan.supply);
    out["supply"] = exactly(supply ? *supply : board.supply, parseVoltage);
    if (board.temperature)
        out["temperature"] = Json::array({board.temperature->low, board.temperature->high});
    for (const auto& [clock, crystal] : board.crystals)
        out["crystals"][clock] = crystalJson(crystal);
    out["parts"] = Json::object();
    for (const Part& part : board.parts) {
        Json one{{"title", part.title}};
        if (!part.about.empty())
            one["about"] = part.about;
        if (!part.reference.empty())
            one["reference"] = part.reference;
        one["terminals"] = Json::array();
        for (const std::string& terminal : part.terminals)
            one["terminals"].push_back(terminalJson(part, terminal));
        if (part.row)
            one["row"] = true;
        if (Json needs = needsJson(snapshot.plan, part); !needs.empty())
            one["needs"] = std::move(needs);
        out["parts"][part.id] = std::move(one);
    }
    for (const auto& [pad, net] : board.nets)
        out["nets"][pad] = net;
    if (board.outline)
        out["outline"] = outlineText(*board.outline);
    if (board.chipPlace)
        out["chip"] = placeText(*board.chipPlace);
    for (const auto& [part, place] : board.places)
        if (board.part(part))
            out["places"][part] = placeText(place);
    for (const auto& [sentence, strength] : board.wishes)
        out["wishes"][sentence] = nameOf(strength);
    for (const auto& [pad, resistors] : board.resistors)
        out["resistors"][pad] = resistorsText(resistors);
    return out.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

} // namespace bindrel
