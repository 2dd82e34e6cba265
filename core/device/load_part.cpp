// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"
#include "core/device/part.h"
#include "core/json/json_document.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

PartNeed readNeed(const JsonNode& node, const Part& part)
{
    node.allowOnly({"id", "title", "kind", "goals", "terminals"});
    PartNeed need;
    need.id = node.string("id", "");
    need.title = node.string("title", part.title);
    need.kind = node.string("kind");
    for (const auto& [goal, value] : node.optionalChild("goals").members())
        need.goals[goal] = value.asString();
    for (const auto& [signal, value] : node.optionalChild("terminals").members()) {
        const std::string terminal = value.asString();
        if (std::find(part.terminals.begin(), part.terminals.end(), terminal) == part.terminals.end())
            value.fail(
                say("\"{}\" is not a terminal of {}.{}", terminal, part.title, didYouMean(terminal, part.terminals)));
        need.terminals[signal] = terminal;
    }
    const bool twice = std::any_of(part.needs.begin(), part.needs.end(),
                                   [&need](const PartNeed& other) { return other.id == need.id; });
    if (twice)
        node.fail(need.id.empty() ? say("a part has one need without an id.")
                                  : say("two needs have the id \"{}\".", need.id));
    return need;
}

std::optional<TerminalFact::Level> readLevel(const JsonNode& node, const char* low, const char* high)
{
    if (!node.exists())
        return std::nullopt;
    const std::string text = node.asString();
    if (text != low && text != high)
        node.fail(say("\"{}\" must be \"{}\" or \"{}\".", text, low, high));
    return text == high ? TerminalFact::Level::High : TerminalFact::Level::Low;
}

} // namespace

void readTerminals(const JsonNode& list, Part& part)
{
    if (!list.exists())
        return;
    part.terminals.clear();
    part.facts.clear();
    for (const JsonNode& node : list.items()) {
        if (!node.isObject()) {
            part.terminals.push_back(node.asString());
            continue;
        }
        node.allowOnly({"name", "pull", "volts", "current", "off"});
        TerminalFact fact;
        fact.pull = readLevel(node.optionalChild("pull"), "down", "up");
        fact.off = readLevel(node.optionalChild("off"), "low", "high");
        if (node.has("volts"))
            fact.volts = node.child("volts").asVoltage();
        if (node.has("current"))
            fact.current = node.child("current").asCurrent();
        part.terminals.push_back(node.string("name"));
        if (!fact.empty())
            part.facts[part.terminals.back()] = fact;
    }
}

void readPartNeeds(const JsonNode& list, Part& part)
{
    if (!list.exists())
        return;
    part.needs.clear();
    for (const JsonNode& node : list.items())
        part.needs.push_back(readNeed(node, part));
}

Expected<Part> parsePart(std::string text, std::string file)
{
    JsonDocument document(std::move(text), std::move(file));
    document.refuseHiddenText();
    if (!document.ok())
        return document.problem();
    const JsonNode root = document.root();
    root.allowOnly({"$schema", "format", "name", "title", "about", "terminals", "row", "needs"});
    if (const std::int64_t format = root.integer("format", 0, INT32_MAX); root.has("format") && format != 1)
        root.child("format").fail(say("this version of Bindrel reads format 1, not {}.", format));
    Part part;
    part.id = root.string("name");
    part.title = root.string("title", part.id);
    part.about = root.string("about", "");
    readTerminals(root.optionalChild("terminals"), part);
    part.row = root.boolean("row", false);
    readPartNeeds(root.optionalChild("needs"), part);
    if (!document.ok())
        return document.problem();
    return part;
}

Expected<Part> loadPart(const std::filesystem::path& path)
{
    Expected<std::string> text = readFile(path);
    if (!text)
        return text.problem();
    return parsePart(*std::move(text), path.string());
}

} // namespace bindrel
