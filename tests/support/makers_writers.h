// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/text.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

/// Writes what a chip's maker would give away of a shipped chip: its registers as XML, its pins as a boundary-scan
/// description; and what then remains to be said by hand.
namespace bindrel::test {

using Json = nlohmann::ordered_json;

/// A shipped device with its family, as one.
inline Json wholeDevice(const std::string& folder, const std::string& member)
{
    Json own = Json::parse(textOf(dataPath("devices/" + folder + "/" + member)), nullptr, true, true);
    const Json family =
        Json::parse(textOf(dataPath("devices/" + folder + "/" + folder + ".json")), nullptr, true, true);
    for (const auto& [key, value] : family.items())
        if (key != "family" && !own.contains(key))
            own[key] = value;
    own.erase("$schema");
    return own;
}

inline std::string xmlText(std::string text)
{
    for (const auto& [sign, entity] : {std::pair{"&", "&amp;"}, {"<", "&lt;"}, {">", "&gt;"}})
        for (size_t at = text.find(sign); at != std::string::npos; at = text.find(sign, at + strlen(entity)))
            text.replace(at, strlen(sign), entity);
    return text;
}

/// Whether a field can be said in XML: bits side by side, and an access that the format has.
inline bool isPlainField(const Json& field)
{
    static const std::set<std::string> keys{"bits", "access", "about", "values", "count", "first"};
    const Json bits = field.is_object() ? field["bits"] : field;
    if (bits.get<std::string>().find(',') != std::string::npos)
        return false;
    if (!field.is_object())
        return true;
    for (const auto& [key, value] : field.items())
        if (!keys.contains(key))
            return false;
    const std::string access = field.value("access", "rw");
    return access == "rw" || access == "ro" || access == "wo" || access == "w1c" || access == "w0c" || access == "rc";
}

inline std::string fieldXml(const std::string& name, const Json& field)
{
    const std::string bits = field.is_object() ? field["bits"].get<std::string>() : field.get<std::string>();
    const size_t colon = bits.find(':');
    const int high = std::stoi(bits), low = colon == std::string::npos ? high : std::stoi(bits.substr(colon + 1));
    std::string called = name, out = "<field>";
    if (const int count = field.is_object() ? field.value("count", 1) : 1; count > 1) {
        const int first = field.value("first", 0);
        called.replace(called.find("{n}"), 3, "%s");
        out += fmt::format("<dim>{}</dim><dimIncrement>{}</dimIncrement><dimIndex>{}-{}</dimIndex>", count,
                           high - low + 1, first, first + count - 1);
    }
    out += fmt::format("<name>{}</name>", called);
    if (field.is_object() && field.contains("about"))
        out += fmt::format("<description>{}</description>", xmlText(field["about"].get<std::string>()));
    out += low % 2 ? fmt::format("<bitRange>[{}:{}]</bitRange>", high, low)
                   : fmt::format("<bitOffset>{}</bitOffset><bitWidth>0x{:X}</bitWidth>", low, high - low + 1);
    const std::string access = field.is_object() ? field.value("access", "rw") : "rw";
    if (access == "ro" || access == "rc")
        out += "<access>read-only</access>";
    if (access == "wo")
        out += "<access>write-only</access>";
    if (access == "w1c" || access == "w0c")
        out += fmt::format("<modifiedWriteValues>{}</modifiedWriteValues>",
                           access == "w1c" ? "oneToClear" : "zeroToClear");
    if (access == "rc")
        out += "<readAction>clear</readAction>";
    if (field.is_object() && field.contains("values")) {
        out += "<enumeratedValues>";
        for (const auto& [value, code] : field["values"].items())
            out += fmt::format("<enumeratedValue><name>{}</name><value>#{:b}</value></enumeratedValue>", value,
                               code.get<unsigned>());
        out += "</enumeratedValues>";
    }
    return out + "</field>\n";
}

/// "0x7C00 0000" or a number, as XML has it.
inline std::string wordText(const Json& word)
{
    std::string text = word.is_string() ? word.get<std::string>() : word.dump();
    std::erase(text, ' ');
    return text;
}

/// The registers that XML can say; they are taken out of `device`, so that what is left is to be said by hand.
inline std::string takeRegisterXml(Json& device)
{
    std::string out =
        "<?xml version=\"1.0\"?>\n<device schemaVersion=\"1.3\"><name>CHIP</name><width>32</width><size>32</size>\n"
        "<peripherals>\n";
    std::map<std::string, std::string> first; // instance that has the registers of a block
    for (auto& [name, instance] : device["instances"].items()) {
        const std::string block = instance["block"];
        const Json registers = device["blocks"][block]["registers"];
        if (registers.empty())
            continue; // XML has nothing to say of it
        const std::string digits = wordText(instance["base"]);
        const auto known = first.find(block);
        if (known != first.end()) {
            out += fmt::format(
                "<peripheral derivedFrom=\"{}\"><name>{}</name><baseAddress>{}</baseAddress></peripheral>\n",
                known->second, name, digits);
        } else {
            first[block] = name;
            out += fmt::format("<peripheral><name>{}</name><groupName>{}</groupName><baseAddress>{}</baseAddress>",
                               name, block, digits);
            const int width = device["blocks"][block].value("width", 32);
            if (width != 32)
                out += fmt::format("<size>{}</size>", width);
            out += "<registers>\n";
            for (const auto& [regName, reg] : registers.items()) {
                const bool plain = !reg.contains("parts") && !reg.contains("guard") && !reg.contains("read_as_written");
                if (!plain)
                    continue;
                std::string called = regName;
                out += "<register>";
                const int count = reg.value("count", 1), regWidth = reg.value("width", width);
                if (count > 1) {
                    called.replace(called.find("{n}"), 3, "%s");
                    const Json stride = reg.contains("stride") ? reg["stride"] : Json(regWidth / 8);
                    out += fmt::format("<dim>{}</dim><dimIncrement>{}</dimIncrement><dimIndex>{}-{}</dimIndex>", count,
                                       stride.get<int>(), reg.value("first", 0), reg.value("first", 0) + count - 1);
                }
                out += fmt::format("<name>{}</name>", called);
                if (reg.contains("about"))
                    out += fmt::format("<description>{}</description>", xmlText(reg["about"].get<std::string>()));
                std::string offset =
                    reg.contains("offset")
                        ? (reg["offset"].is_string() ? reg["offset"].get<std::string>() : reg["offset"].dump())
                        : "0";
                std::erase(offset, ' ');
                out += fmt::format("<addressOffset>{}</addressOffset>", offset);
                if (regWidth != width)
                    out += fmt::format("<size>{}</size>", regWidth);
                if (reg.contains("reset")) {
                    std::string reset =
                        reg["reset"].is_string() ? reg["reset"].get<std::string>() : reg["reset"].dump();
                    std::erase(reset, ' ');
                    out += fmt::format("<resetValue>{}</resetValue>", reset);
                }
                out += "<fields>\n";
                for (const auto& [fieldName, field] : reg["fields"].items())
                    if (isPlainField(field))
                        out += fieldXml(fieldName, field);
                out += "</fields></register>\n";
                // What is left of it: fields that XML cannot say.
                Json left = Json::object();
                for (const auto& [fieldName, field] : reg["fields"].items())
                    if (!isPlainField(field))
                        left[fieldName] = field;
                if (left.empty())
                    device["blocks"][block]["registers"].erase(regName);
                else
                    device["blocks"][block]["registers"][regName] = Json{{"fields", left}};
            }
            out += "</registers></peripheral>\n";
        }
        instance.erase("base");
        instance.erase("block");
    }
    for (auto& [name, block] : device["blocks"].items()) {
        if (first.contains(name)) {
            block.erase("width");
            if (block["registers"].empty())
                block.erase("registers");
        }
    }
    return out + "</peripherals></device>\n";
}

/// The pins, taken out of `device` likewise.
inline std::string takeBoundaryScan(Json& device)
{
    Json& package = device["package"];
    const auto listed = [&package](const char* key, const std::string& name) {
        return package.contains(key) && std::find(package[key].begin(), package[key].end(), name) != package[key].end();
    };
    std::vector<std::pair<std::string, std::string>> pins; // number, name
    if (package["pins"].is_array())
        for (size_t i = 0; i < package["pins"].size(); ++i)
            pins.emplace_back(std::to_string(i + 1), package["pins"][i]);
    else
        for (const auto& [number, name] : package["pins"].items())
            pins.emplace_back(number, name);
    std::map<std::string, std::vector<std::string>> by;
    for (const auto& [number, name] : pins)
        by[name].push_back(number);
    const std::string map = package["name"];
    std::string ports, maps;
    for (const auto& [name, numbers] : by) {
        const bool power = listed("supply", name) || listed("ground", name) || listed("dedicated", name);
        const std::string mode = listed("supply", name)   ? "power_pos"
                                 : listed("ground", name) ? "power_0"
                                 : power                  ? "linkage_inout"
                                                          : "inout";
        ports += fmt::format("{}    {} : {} {}", ports.empty() ? "" : ";\n", name, mode,
                             numbers.size() > 1 ? fmt::format("bit_vector(1 to {})", numbers.size()) : "bit");
        maps += fmt::format("{}\"{}: {}{}", maps.empty() ? "" : ", \" &\n    ", name, numbers.size() > 1 ? "(" : "",
                            joined(numbers, ", ") + (numbers.size() > 1 ? ")" : ""));
    }
    const std::string out = fmt::format(
        "-- made from a plan of pins\nentity CHIP is\n  generic (PHYSICAL_PIN_MAP : string := \"{0}\");\n  port (\n"
        "{1}\n  );\n  attribute COMPONENT_CONFORMANCE of CHIP : entity is \"STD_1149_1_2001\";\n"
        "  constant {0} : PIN_MAP_STRING :=\n    {2}\";\nend CHIP;\n",
        map, ports, maps);
    for (const char* key : {"pins", "supply", "ground", "dedicated"})
        package.erase(key);
    return out;
}

} // namespace bindrel::test
