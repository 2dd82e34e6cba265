// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/undescribed.h"

#include <nlohmann/json.hpp>

#include <algorithm>

namespace bindrel {

namespace {

using Json = nlohmann::ordered_json;

bool hasText(const Json& item, const char* key)
{
    return item.is_object() && item.contains(key);
}

/// A block without registers for instances of which only the kind is known.
std::string blockOfKind(Json& device, const std::string& kind)
{
    const std::string name = "only_" + (kind.empty() ? std::string("a_name") : kind);
    Json& blocks = device["blocks"];
    if (blocks.is_object() && !blocks.contains(name)) {
        Json block = Json::object();
        if (!kind.empty())
            block["kind"] = kind;
        block["registers"] = Json::object();
        blocks[name] = std::move(block);
    }
    return name;
}

/// Pins that are neither supply, ground nor dedicated are pads, where no pads are described.
void padsOfPins(Json& device)
{
    const auto package = device.find("package");
    if (package == device.end() || !package->is_object() || !package->contains("pins"))
        return;
    std::vector<std::string> others;
    for (const char* key : {"supply", "ground", "dedicated"})
        if (const auto list = package->find(key); list != package->end() && list->is_array())
            for (const Json& name : *list)
                if (name.is_string())
                    others.push_back(name.get<std::string>());
    Json pads = Json::object();
    for (const Json& name : (*package)["pins"])
        if (name.is_string() && std::find(others.begin(), others.end(), name.get<std::string>()) == others.end())
            pads[name.get<std::string>()] = Json::object();
    device["pads"] = std::move(pads);
}

/// Pads in their order around a square, where no package is described.
Json packageOfPads(const Json& pads)
{
    Json pins = Json::array();
    if (pads.is_object())
        for (const auto& [name, pad] : pads.items())
            pins.push_back(name);
    Json dedicated = Json::array();
    for (int n = 1; pins.size() < 4 || pins.size() % 4 != 0; ++n) {
        pins.push_back("NC" + std::to_string(n));
        dedicated.push_back(pins.back());
    }
    Json out{{"kind", "quad flat"}, {"name", "not-described"}, {"pins", std::move(pins)}};
    if (!dedicated.empty())
        out["dedicated"] = std::move(dedicated);
    return out;
}

} // namespace

std::vector<std::string> standIn(PlacedJson& placed)
{
    Json& device = placed.value();
    std::vector<std::string> missing;
    if (!device.is_object())
        return missing;
    const auto lacks = [&](const char* key, const char* name) {
        if (device.contains(key))
            return false;
        missing.emplace_back(name);
        return true;
    };
    if (!device.contains("format"))
        device["format"] = 1;
    if (!device.contains("cores") && lacks("core", "core"))
        device["core"] = Json{{"name", "unknown"}, {"tools", "arm-none-eabi-"}, {"vectors", 480}};
    const bool ownMemory = device.contains("cores") && device["cores"].is_array() && !device["cores"].empty() &&
                           std::all_of(device["cores"].begin(), device["cores"].end(),
                                       [](const Json& core) { return hasText(core, "memory"); });
    if (!ownMemory && !hasText(device.value("core", Json::object()), "memory") && lacks("memory", "memory"))
        device["memory"] =
            Json{{"flash", Json::array({"0x0000 0000", 256})}, {"ram", Json::array({"0x0000 0000", 256})}};
    if (lacks("supply", "supply"))
        device["supply"] = Json::array({"1 V", "6 V"});
    if (lacks("ranges", "operating ranges")) {
        Json range{{"id", "ANY"}, {"name", "any"}, {"supply", device["supply"]}, {"code", 0}};
        range["wait_states"] = Json::array({"1000000 MHz"});
        device["ranges"] = Json{{"list", Json::array({std::move(range)})}};
    }
    if (device["ranges"].is_object() && device["ranges"].contains("list") && device["ranges"]["list"].is_array())
        for (Json& range : device["ranges"]["list"]) {
            const std::string id = range.is_object() && range.contains("id") && range["id"].is_string()
                                       ? range["id"].get<std::string>()
                                       : std::string();
            if (range.is_object() && !range.contains("wait_states")) {
                range["wait_states"] = Json::array({"1000000 MHz"});
                missing.push_back("wait states of " + id);
            }
            if (range.is_object() && !range.contains("supply") && device.contains("supply")) {
                range["supply"] = device["supply"];
                missing.push_back("supply of " + id);
            }
        }
    if (!device.contains("blocks"))
        device["blocks"] = Json::object();
    if (!device.contains("instances"))
        device["instances"] = Json::object();

    bool unknownClock = false;
    if (lacks("clocks", "clocks") || (device["clocks"].is_array() && device["clocks"].empty())) {
        device["clocks"] = Json::array();
        unknownClock = true;
    }
    const bool coreClocks = device.contains("cores") && device["cores"].is_array() &&
                            std::all_of(device["cores"].begin(), device["cores"].end(),
                                        [](const Json& core) { return hasText(core, "clock"); });
    if (!device.contains("cpu_clock") && !coreClocks && !hasText(device.value("core", Json::object()), "clock")) {
        if (std::find(missing.begin(), missing.end(), "clocks") == missing.end())
            missing.emplace_back("core clock");
        device["cpu_clock"] = kUnknownClock;
        unknownClock = true;
    }
    bool noAddress = false, noBus = false;
    if (device["instances"].is_object())
        for (auto& [name, instance] : device["instances"].items()) {
            if (!instance.is_object())
                continue;
            if (!instance.contains("block")) {
                const bool known = instance.contains("kind") && instance["kind"].is_string();
                instance["block"] = blockOfKind(device, known ? instance["kind"].get<std::string>() : "");
                instance.erase("kind");
            }
            if (!instance.contains("base")) {
                instance["base"] = "0x0000 0000";
                noAddress = true;
            }
            if (!instance.contains("bus")) {
                instance["bus"] = kUnknownClock;
                unknownClock = noBus = true;
            }
        }
    if (noAddress)
        missing.emplace_back("addresses of some instances");
    if (noBus && std::find(missing.begin(), missing.end(), "clocks") == missing.end())
        missing.emplace_back("bus clocks of some instances");
    if (unknownClock && device["clocks"].is_array()) {
        Json clock{{"id", kUnknownClock}, {"name", "not described"}, {"tier", "source"}, {"type", "external"}};
        clock["crystal"] = Json::array({"1 Hz", "1000000 MHz"});
        device["clocks"].insert(device["clocks"].begin(), std::move(clock));
    }
    if (!device.contains("flash_timing")) {
        missing.emplace_back("wait states");
    }
    const bool pads = device.contains("pads");
    if (!pads)
        padsOfPins(device);
    if (lacks("package", "package"))
        device["package"] = packageOfPads(device.value("pads", Json::object()));
    if (!device.contains("pads")) {
        missing.emplace_back("pads");
        device["pads"] = Json::object();
    }
    return missing;
}

} // namespace bindrel
