// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"
#include "core/base/json_document.h"
#include "core/device/device_reader.h"
#include "core/device/load_device.h"

#include <fmt/format.h>

namespace bindrel {

Expected<Board> parseBoard(std::string text, std::string file)
{
    JsonDocument document(std::move(text), std::move(file));
    if (!document.ok())
        return document.problem();
    const JsonNode root = document.root();
    root.allowOnly({"$schema", "format", "name", "title", "device", "supply", "temperature", "crystals", "parts", "nets"});
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
        node.allowOnly({"rate", "tolerance", "load"});
        CrystalFact fact;
        fact.rate = node.child("rate").asFrequency();
        if (node.has("rate") && document.ok() && !(fact.rate.value > Rational(0)))
            node.child("rate").fail("must be above zero.");
        fact.tolerance = Tolerance::symmetric(node.child("tolerance").asPpm().value);
        if (node.has("load"))
            fact.load = node.child("load").asCapacitance();
        board.crystals[clock] = fact;
    }
    for (const auto& [id, node] : root.child("parts").members()) {
        node.allowOnly({"title", "about", "terminals"});
        board.parts.push_back({id, node.string("title", id), node.string("about", ""), node.strings("terminals")});
    }
    for (const auto& [pin, net] : root.optionalChild("nets").members())
        board.nets[pin] = net.asString();
    if (!document.ok())
        return document.problem();
    return board;
}

Expected<Board> loadBoard(const std::filesystem::path& path)
{
    Expected<std::string> text = readFile(path);
    if (!text)
        return text.problem();
    return parseBoard(*std::move(text), path.string());
}

} // namespace bindrel
