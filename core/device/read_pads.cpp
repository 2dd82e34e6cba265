// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace bindrel {

void DeviceReader::readPads()
{
    const JsonNode defaults = section("pad_defaults");
    if (defaults.exists())
        defaults.allowOnly({"bank", "max_toggle", "slow_toggle", "drives", "pulls", "open_drain", "five_volt", "load"});
    Pad common;
    if (defaults.exists())
        readElectrical(common, defaults);

    int portCode = 0;
    for (const JsonNode& entry : section("routing").items())
        if (entry.has("gpio_code"))
            portCode = static_cast<int>(entry.integer("gpio_code", 0, INT32_MAX));

    for (const auto& [name, node] : section("pads").members()) {
        node.allowOnly({"at", "line", "bank", "max_toggle", "slow_toggle", "drives", "pulls", "open_drain", "weak",
                        "five_volt", "load", "routes", "lanes", "fixed", "at_reset"});
        node.requireName(name);
        const std::string at = node.string("at", "");
        const size_t dot = at.find('.');
        if (isAbsent(at.substr(0, dot)) || isAbsent(name)) {
            skippedPads_.push_back(name);
            continue;
        }
        Pad pad = common;
        pad.name = name;
        readElectrical(pad, node);
        pad.weak = node.boolean("weak", false);
        pad.resetClaim = node.string("at_reset", "");
        if (node.has("at")) {
            pad.port = device_.findInstance(std::string_view(at).substr(0, dot));
            const char* first = at.data() + std::min(dot == std::string::npos ? at.size() : dot + 1, at.size());
            const auto [end, error] = std::from_chars(first, at.data() + at.size(), pad.bit);
            if (pad.port < 0 || error != std::errc() || end != at.data() + at.size() || pad.bit < 0 || pad.bit > 31) {
                node.child("at").fail(say("\"{}\" is not a bit of a port; write \"PORTA.3\".", at));
                return;
            }
            const std::string bit = std::to_string(pad.bit);
            pad.function = device_.roleField(pad.port, "function" + bit);
            if (pad.function.valid())
                for (const auto& [reg, field] : device_.blockOf(pad.port).role("function" + bit)->higher)
                    pad.functionHigher.push_back({pad.port, reg, field});
            pad.portCode = portCode;
            if (!pad.function.valid() && !device_.roleField(pad.port, "output" + bit).valid())
                node.child("at").fail(say("{} has no bit {}.", device_.instances[pad.port].name, pad.bit));
            else if (pad.function.valid() && std::uint32_t(portCode) > device_.maxFunction(pad))
                node.child("at").fail(
                    say("\"gpio_code\" {} does not fit into {}.", portCode, device_.nameOf(pad.function)));
            pad.line = static_cast<int>(node.integer("line", -1, 63, pad.bit));
        }
        device_.pads.push_back(std::move(pad));
        padNodes_.push_back(node);
    }
}

void DeviceReader::readElectrical(Pad& pad, const JsonNode& node)
{
    pad.bank = node.string("bank", pad.bank);
    if (node.has("max_toggle"))
        pad.maxToggle = node.child("max_toggle").asFrequency();
    if (node.has("slow_toggle"))
        pad.slowToggle = node.child("slow_toggle").asFrequency();
    if (node.has("load"))
        pad.load = node.child("load").asCapacitance();
    pad.fiveVolt = node.boolean("five_volt", pad.fiveVolt);
    pad.openDrain = node.boolean("open_drain", pad.openDrain);
    if (node.has("drives")) {
        pad.drives.clear();
        for (const JsonNode& drive : node.child("drives").items())
            pad.drives.push_back(drive.asCurrent());
    }
    if (node.has("pulls")) {
        pad.pulls.clear();
        for (const JsonNode& pull : node.child("pulls").items()) {
            const std::string text = pull.asString();
            if (text != "up" && text != "down")
                pull.fail(say("\"{}\" is not a pull; use up or down.", text));
            pad.pulls.push_back(text == "down" ? Pad::Pull::Down : Pad::Pull::Up);
        }
    }
}

void DeviceReader::readPackage()
{
    const JsonNode node = section("package");
    node.allowOnly({"kind", "name", "pins", "supply", "ground", "dedicated"});
    Package& package = device_.package;
    package.name = node.string("name");
    const std::string kind = node.string("kind");
    if (kind == "quad flat")
        package.kind = Package::Kind::QuadFlat;
    else if (kind == "no-lead")
        package.kind = Package::Kind::NoLead;
    else if (kind == "dual row")
        package.kind = Package::Kind::DualRow;
    else if (kind == "ball grid")
        package.kind = Package::Kind::BallGrid;
    else
        node.child("kind").fail(
            say("\"{}\" is not a kind of package; use quad flat, no-lead, dual row or ball grid.", kind));

    const std::vector<std::string> supply = node.strings("supply");
    const std::vector<std::string> ground = node.strings("ground");
    const std::vector<std::string> dedicated = node.strings("dedicated");
    const auto has = [](const std::vector<std::string>& names, const std::string& name) {
        return std::find(names.begin(), names.end(), name) != names.end();
    };
    std::vector<bool> used(device_.pads.size(), false);
    // A list gives the pins 1, 2, 3, …; an object names them, as a ball grid needs.
    std::vector<std::pair<std::string, JsonNode>> rows;
    if (node.child("pins").isObject()) {
        rows = node.child("pins").members();
    } else {
        int number = 0;
        for (const JsonNode& item : node.child("pins").items())
            rows.emplace_back(std::to_string(++number), item);
    }
    for (const auto& [number, item] : rows) {
        PackagePin pin;
        pin.number = number;
        pin.name = item.asString();
        item.requireName(pin.name);
        item.requireName(number);
        pin.pad = device_.findPad(pin.name);
        if (pin.pad >= 0) {
            if (used[size_t(pin.pad)])
                item.fail(say("{} is on two pins.", pin.name));
            used[size_t(pin.pad)] = true;
        } else if (has(supply, pin.name)) {
            pin.kind = PackagePin::Kind::Supply;
        } else if (has(ground, pin.name)) {
            pin.kind = PackagePin::Kind::Ground;
        } else if (has(dedicated, pin.name)) {
            pin.kind = PackagePin::Kind::Dedicated;
        } else {
            item.fail(say("\"{}\" is no pad of this device, and not listed as supply, ground or dedicated.", pin.name));
        }
        package.pins.push_back(std::move(pin));
    }
    if (package.pins.size() < 4)
        node.child("pins").fail(say("a package has at least 4 pins."));
}

} // namespace bindrel
