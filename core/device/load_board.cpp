// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"
#include "core/base/json_document.h"
#include "core/device/device_reader.h"
#include "core/device/load_device.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// A part of the board: described here, or taken from the library with what differs.
Part readPart(const std::string& id, const JsonNode& node, const PartSource& parts)
{
    node.allowOnly({"from", "title", "about", "terminals", "row", "needs", "goals"});
    Part part;
    if (node.has("from")) {
        const std::string name = node.string("from");
        const Expected<Part> found = parts ? parts(name) : Expected<Part>(problemOf("no part library is at hand."));
        if (!found) {
            node.child("from").fail(found.problem().file.empty() ? found.problem().message : found.problem().text());
            return part;
        }
        part = *found;
    }
    const std::string kind = part.title;
    part.id = id;
    part.title = node.string("title", part.title.empty() ? id : part.title);
    part.about = node.string("about", part.about);
    readTerminals(node.optionalChild("terminals"), part);
    part.row = node.boolean("row", part.row);
    for (PartNeed& need : part.needs)
        if (need.title == kind)
            need.title = part.title;
    readPartNeeds(node.optionalChild("needs"), part);
    for (const auto& [needId, goals] : node.optionalChild("goals").members()) {
        const auto need = std::find_if(part.needs.begin(), part.needs.end(),
                                       [&id = needId](const PartNeed& n) { return n.id == (id == "main" ? "" : id); });
        if (need == part.needs.end()) {
            goals.fail(
                fmt::format("{} has no need \"{}\"; its main need is called \"main\" here.", part.title, needId));
            continue;
        }
        for (const auto& [goal, value] : goals.members())
            need->goals[goal] = value.asString();
    }
    return part;
}

} // namespace

Expected<Board> parseBoard(std::string text, std::string file, const PartSource& parts)
{
    JsonDocument document(std::move(text), std::move(file));
    document.refuseHiddenText();
    if (!document.ok())
        return document.problem();
    const JsonNode root = document.root();
    root.allowOnly({"$schema", "format", "name", "title", "device", "supply", "temperature", "crystals", "parts",
                    "nets", "pulls"});
    if (const std::int64_t format = root.integer("format", 0, INT32_MAX); root.has("format") && format != 1)
        root.child("format").fail(fmt::format("this version of Bindrel reads format 1, not {}.", format));
    Board board;
    board.name = root.string("name");
    board.title = root.string("title", board.name);
    board.device = root.string("device");
    board.supply = root.child("supply").asVoltage();
    if (root.has("temperature"))
        board.temperature = readTemperatures(root.child("temperature"));
    for (const auto& [clock, node] : root.optionalChild("crystals").members()) {
        node.allowOnly({"rate", "tolerance", "load", "stray", "external"});
        CrystalFact fact;
        fact.rate = node.child("rate").asFrequency();
        if (node.has("rate") && document.ok() && !(fact.rate.value > Rational(0)))
            node.child("rate").fail("must be above zero.");
        fact.tolerance = Tolerance::symmetric(node.child("tolerance").asPpm().value);
        if (node.has("load"))
            fact.load = node.child("load").asCapacitance();
        if (node.has("stray"))
            fact.stray = node.child("stray").asCapacitance();
        fact.external = node.boolean("external", false);
        if (fact.external && node.has("load"))
            node.child("load").fail("goes with a crystal, not with a clock that is fed in.");
        board.crystals[clock] = fact;
    }
    for (const auto& [id, node] : root.child("parts").members()) {
        board.parts.push_back(readPart(id, node, parts));
    }
    for (const auto& [pin, net] : root.optionalChild("nets").members())
        board.nets[pin] = net.asString();
    for (const auto& [pad, pull] : root.optionalChild("pulls").members()) {
        const std::string level = pull.asString();
        if (level != "up" && level != "down")
            pull.fail(fmt::format("\"{}\" is not a pull; use up or down.", level));
        board.pulls[pad] = level == "up" ? TerminalFact::Level::High : TerminalFact::Level::Low;
    }
    if (!document.ok())
        return document.problem();
    return board;
}

Expected<Board> loadBoard(const std::filesystem::path& path, const PartSource& parts)
{
    Expected<std::string> text = readFile(path);
    if (!text)
        return text.problem();
    return parseBoard(*std::move(text), path.string(), parts);
}

} // namespace bindrel
