// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/device/device_reader.h"
#include "core/device/load_device.h"
#include "core/device/net_resistors.h"
#include "core/json/json_document.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// A part of the board: described here, or taken from the library with what differs.
Part readPart(const std::string& id, const JsonNode& node, const PartSource& parts)
{
    node.allowOnly({"from", "title", "about", "reference", "terminals", "row", "needs", "goals"});
    Part part;
    if (node.has("from")) {
        const std::string name = node.string("from");
        const Expected<Part> found =
            parts ? parts(name) : Expected<Part>(problemOf(say("no part library is at hand.")));
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
    part.reference = node.string("reference", part.reference);
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
            goals.fail(say("{} has no need \"{}\"; its main need is called \"main\" here.", part.title, needId));
            continue;
        }
        for (const auto& [goal, value] : goals.members())
            need->goals[goal] = value.asString();
    }
    return part;
}

} // namespace

Wishes readWishes(const JsonNode& node, bool mayDrop)
{
    Wishes out;
    for (const auto& [sentence, value] : node.members()) {
        const Expected<Wish> wish = parseWish(sentence);
        const std::string said = value.asString();
        const std::optional<WishStrength> strength = wishStrengthOf(said);
        if (!wish)
            value.fail(wish.problem().message);
        else if (!strength || (*strength == WishStrength::Dropped && !mayDrop))
            value.fail(
                say("\"{}\" is not how strong a wish is; use wish{} or rule.", said, mayDrop ? say(", dropped") : ""));
        else
            out[wishText(*wish)] = *strength;
    }
    return out;
}

Expected<Board> parseBoard(std::string text, std::string file, const PartSource& parts)
{
    JsonDocument document(std::move(text), std::move(file));
    document.refuseHiddenText();
    if (!document.ok())
        return document.problem();
    const JsonNode root = document.root();
    root.allowOnly({"$schema", "format", "name", "title", "device", "supply", "temperature", "crystals", "parts",
                    "nets", "pulls", "resistors", "wishes", "outline", "chip", "places"});
    if (const std::int64_t format = root.integer("format", 0, INT32_MAX); root.has("format") && format != 1)
        root.child("format").fail(say("this version of Bindrel reads format 1, not {}.", format));
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
            node.child("rate").fail(say("must be above zero."));
        if (node.has("tolerance"))
            fact.tolerance = Tolerance::symmetric(node.child("tolerance").asPpm().value);
        if (node.has("load"))
            fact.load = node.child("load").asCapacitance();
        if (node.has("stray"))
            fact.stray = node.child("stray").asCapacitance();
        fact.external = node.boolean("external", false);
        if (fact.external && node.has("load"))
            node.child("load").fail(say("goes with a crystal, not with a clock that is fed in."));
        board.crystals[clock] = fact;
    }
    for (const auto& [id, node] : root.child("parts").members()) {
        board.parts.push_back(readPart(id, node, parts));
    }
    for (const auto& [pin, net] : root.optionalChild("nets").members())
        board.nets[pin] = net.asString();
    // "pulls" is what it was called before there were others.
    for (const char* key : {"pulls", "resistors"})
        for (const auto& [pad, value] : root.optionalChild(key).members()) {
            const Expected<NetResistors> resistors = resistorsFrom(value.asString());
            if (!resistors)
                value.fail(resistors.problem().message);
            else if (!resistors->none())
                board.resistors[pad] = *resistors;
        }
    if (root.has("outline")) {
        const Expected<BoardOutline> outline = parseOutline(root.string("outline"));
        if (!outline)
            root.child("outline").fail(outline.problem().message);
        else
            board.outline = *outline;
    }
    const auto place = [](const JsonNode& node) {
        const Expected<BoardPlace> read = parsePlace(node.asString());
        if (!read)
            node.fail(read.problem().message);
        return read ? *read : BoardPlace();
    };
    if (root.has("chip"))
        board.chipPlace = place(root.child("chip"));
    for (const auto& [part, node] : root.optionalChild("places").members()) {
        if (!board.part(part))
            node.fail(say("\"{}\" is no part of this board.", part));
        board.places[part] = place(node);
    }
    board.wishes = readWishes(root.optionalChild("wishes"), false);
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
