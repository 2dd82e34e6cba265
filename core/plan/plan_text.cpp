// SPDX-License-Identifier: GPL-3.0-or-later
// A plan as the bytes of its file.
#include "core/base/text.h"
#include "core/device/net_resistors.h"
#include "core/plan/board_facts.h"
#include "core/plan/crystal_text.h"
#include "core/plan/plan_file.h"
#include "core/quantity/exact_text.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace bindrel {

namespace {

using Json = nlohmann::ordered_json;
using Texts = std::map<std::string, std::string, std::less<>>;

std::string quoted(const std::string& text)
{
    return Json(text).dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::string oneLine(const Texts& texts)
{
    std::vector<std::string> parts;
    for (const auto& [key, value] : texts)
        parts.push_back(quoted(key) + ": " + quoted(value));
    return parts.empty() ? "{}" : "{ " + joined(parts, ", ") + " }";
}

std::string needText(const Need& need)
{
    std::vector<std::string> lines{"      \"id\": " + quoted(need.id)};
    if (!need.part.empty())
        lines.push_back("      \"part\": " + quoted(need.part));
    lines.push_back("      \"title\": " + quoted(need.title));
    lines.push_back("      \"kind\": " + quoted(need.kind));
    if (!need.goals.empty())
        lines.push_back("      \"goals\": " + oneLine(need.goals.texts()));
    if (!need.terminals.empty())
        lines.push_back("      \"terminals\": " + oneLine(need.terminals));
    if (!need.pins.empty()) {
        std::vector<std::string> rows;
        for (const auto& [signal, said] : need.pins)
            rows.push_back(quoted(signal) + ": " + oneLine(said));
        lines.push_back("      \"pins\": { " + joined(rows, ", ") + " }");
    }
    if (!need.overrides.empty())
        lines.push_back("      \"overrides\": " + oneLine(need.overrides));
    if (!need.core.empty())
        lines.push_back("      \"core\": " + quoted(need.core));
    if (!need.openTo.empty())
        lines.push_back("      \"open_to\": " + quoted(need.openTo));
    if (need.leftOut)
        lines.push_back("      \"leave_out\": true");
    if (!need.binding.instance.empty())
        lines.push_back("      \"instance\": " + quoted(need.binding.instance));
    if (!need.binding.pads.empty())
        lines.push_back("      \"pads\": " + oneLine(need.binding.pads));
    auto via = need.binding.via;
    std::erase_if(via, [&need](const auto& entry) { return !need.binding.pads.contains(entry.first); });
    if (!via.empty())
        lines.push_back("      \"via\": " + oneLine(via));
    if (!need.binding.dma.empty()) {
        std::vector<std::string> parts;
        for (const auto& [request, channel] : need.binding.dma)
            parts.push_back(fmt::format("{}: {}", quoted(request), channel));
        lines.push_back("      \"dma\": { " + joined(parts, ", ") + " }");
    }
    return "    {\n" + joined(lines, ",\n") + "\n    }";
}

std::string terminalText(const Part& part, const std::string& name)
{
    const auto known = part.facts.find(name);
    if (known == part.facts.end())
        return quoted(name);
    using Level = TerminalFact::Level;
    const TerminalFact& fact = known->second;
    std::vector<std::string> out{"\"name\": " + quoted(name)};
    if (fact.pull)
        out.push_back(fmt::format("\"pull\": \"{}\"", *fact.pull == Level::High ? "up" : "down"));
    if (fact.volts != Voltage())
        out.push_back("\"volts\": " + quoted(exactly(fact.volts, parseVoltage)));
    if (fact.current != Current())
        out.push_back("\"current\": " + quoted(exactly(fact.current, parseCurrent)));
    if (fact.off)
        out.push_back(fmt::format("\"off\": \"{}\"", *fact.off == Level::High ? "high" : "low"));
    return "{ " + joined(out, ", ") + " }";
}

std::string partText(const Part& part)
{
    std::vector<std::string> terminals;
    for (const std::string& name : part.terminals)
        terminals.push_back(terminalText(part, name));
    std::string about = part.about.empty() ? "" : ", \"about\": " + quoted(part.about);
    if (!part.reference.empty())
        about += ", \"reference\": " + quoted(part.reference);
    return fmt::format("    {{ \"id\": {}, \"title\": {}{}, \"terminals\": [{}]{} }}", quoted(part.id),
                       quoted(part.title), about, joined(terminals, ", "), part.row ? ", \"row\": true" : "");
}

} // namespace

std::string planText(const Plan& plan)
{
    std::vector<std::string> lines{"  \"bindrel\": 1", "  \"name\": " + quoted(plan.name),
                                   "  \"device\": " + quoted(plan.device), "  \"board\": " + quoted(plan.board)};
    if (!plan.deviceRevision.empty())
        lines.push_back(fmt::format("  \"device_file\": {{ \"revision\": {}, \"from\": {} }}",
                                    quoted(plan.deviceRevision), quoted(plan.deviceOrigin)));
    for (const auto& [key, value] : {std::pair{"supply", plan.supply},
                                     {"temperature", plan.temperature},
                                     {"outline", plan.outline},
                                     {"chip", plan.chipPlace},
                                     {"stack", plan.stack},
                                     {"heap", plan.heap},
                                     {"range", plan.range},
                                     {"regulator", plan.regulator},
                                     {"prefix", plan.prefix}})
        if (!value.empty())
            lines.push_back(fmt::format("  \"{}\": {}", key, quoted(value)));
    const auto clocksText = [](const auto& clocks, const std::string& indent) {
        std::vector<std::string> rows;
        for (const auto& [id, value] : clocks)
            rows.push_back(indent + "  " + quoted(id) + ": " + quoted(clockDecisionText(value)));
        return rows.empty() ? "\"clocks\": {}" : "\"clocks\": {\n" + joined(rows, ",\n") + "\n" + indent + "}";
    };
    if (!plan.clocks.empty())
        lines.push_back("  " + clocksText(plan.clocks, "  "));
    if (plan.slow)
        lines.push_back("  \"slow_clocks\": {\n" +
                        (plan.slow->range.empty() ? "" : "    \"range\": " + quoted(plan.slow->range) + ",\n") +
                        "    " + clocksText(plan.slow->clocks, "    ") + "\n  }");
    if (plan.onFailure != OnFailure::Stop)
        lines.push_back("  \"on_failure\": " + quoted(nameOf(plan.onFailure)));
    if (!plan.leftOut.empty() || !plan.leftOutKinds.empty()) {
        std::vector<std::string> parts;
        for (const OutputPart part : plan.leftOut)
            parts.push_back(quoted(nameOf(part)));
        for (const std::string& kind : plan.leftOutKinds)
            parts.push_back(quoted(leftOutKindText(kind)));
        lines.push_back("  \"leave_out\": [" + joined(parts, ", ") + "]");
    }
    if (plan.project != ProjectLayout()) {
        Texts texts;
        for (const LayoutSetting& setting : layoutSettings())
            if (const std::string text = setting.text(plan.project); !text.empty())
                texts[setting.key] = text;
        lines.push_back("  \"project\": " + oneLine(texts));
    }
    if (!plan.stored.empty())
        lines.push_back("  \"nonvolatile\": " + oneLine(plan.stored));
    if (!plan.modes.empty()) {
        std::vector<std::string> ids;
        for (const std::string& mode : plan.modes)
            ids.push_back(quoted(mode));
        lines.push_back("  \"low_power_modes\": [" + joined(ids, ", ") + "]");
    }
    if (!plan.nets.empty())
        lines.push_back("  \"nets\": " + oneLine(plan.nets));
    if (!plan.resistors.empty()) {
        Texts texts;
        for (const auto& [pad, resistors] : plan.resistors)
            texts[pad] = resistorsText(resistors);
        lines.push_back("  \"resistors\": " + oneLine(texts));
    }
    if (!plan.crystals.empty()) {
        Texts texts;
        for (const auto& [clock, crystal] : plan.crystals)
            texts[clock] = crystalText(crystal);
        lines.push_back("  \"crystals\": " + oneLine(texts));
    }
    if (!plan.places.empty())
        lines.push_back("  \"places\": " + oneLine(plan.places));
    if (!plan.wishes.empty()) {
        std::vector<std::string> rows;
        for (const auto& [sentence, strength] : plan.wishes)
            rows.push_back("    " + quoted(sentence) + ": " + quoted(nameOf(strength)));
        lines.push_back("  \"wishes\": {\n" + joined(rows, ",\n") + "\n  }");
    }
    if (!plan.parts.empty()) {
        std::vector<std::string> rows;
        for (const Part& part : plan.parts)
            rows.push_back(partText(part));
        lines.push_back("  \"parts\": [\n" + joined(rows, ",\n") + "\n  ]");
    }
    if (!plan.holds.empty()) {
        std::vector<std::string> rows;
        for (const Hold& hold : plan.holds)
            rows.push_back("    " + quoted(holdText(hold)));
        lines.push_back("  \"holds\": [\n" + joined(rows, ",\n") + "\n  ]");
    }
    std::vector<std::string> needs;
    for (const Need& need : plan.needs)
        needs.push_back(needText(need));
    lines.push_back(needs.empty() ? "  \"needs\": []" : "  \"needs\": [\n" + joined(needs, ",\n") + "\n  ]");
    return "{\n" + joined(lines, ",\n") + "\n}\n";
}

} // namespace bindrel
