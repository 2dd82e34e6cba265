// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/device/device_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace bindrel {

void DeviceReader::readPads()
{
    for (const JsonNode& entry : section("routing").items()) {
        entry.allowOnly({"mechanism", "gpio_code"});
        // The format names five mechanisms; a file that needs one that this version cannot plan must not load half-way.
        if (const std::string mechanism = entry.string("mechanism"); mechanism != "selector" && mechanism != "fixed")
            entry.child("mechanism").fail(fmt::format("\"{}\" routing cannot be planned by this version; it knows "
                                                      "\"selector\" and \"fixed\".", mechanism));
        else if (mechanism == "selector")
            device_.portCode = static_cast<int>(entry.integer("gpio_code", 0, 255));
    }

    const JsonNode defaults = section("pad_defaults");
    if (defaults.exists())
        defaults.allowOnly({"bank", "max_toggle"});
    const std::string bank = defaults.string("bank", "");
    const Frequency toggle = defaults.has("max_toggle") ? defaults.child("max_toggle").asFrequency() : Frequency();

    for (const auto& [name, node] : section("pads").members()) {
        node.allowOnly({"at", "bank", "max_toggle", "weak", "five_volt", "routes", "fixed", "at_reset"});
        Pad pad;
        pad.name = name;
        pad.bank = node.string("bank", bank);
        pad.maxToggle = node.has("max_toggle") ? node.child("max_toggle").asFrequency() : toggle;
        pad.weak = node.boolean("weak", false);
        pad.fiveVolt = node.boolean("five_volt", false);
        pad.resetClaim = node.string("at_reset", "");
        if (node.has("at")) {
            const std::string at = node.string("at");
            const size_t dot = at.find('.');
            pad.port = device_.findInstance(std::string_view(at).substr(0, dot));
            const char* first = at.data() + std::min(dot == std::string::npos ? at.size() : dot + 1, at.size());
            const auto [end, error] = std::from_chars(first, at.data() + at.size(), pad.bit);
            if (pad.port < 0 || error != std::errc() || end != at.data() + at.size() || pad.bit < 0 || pad.bit > 31)
                node.child("at").fail(fmt::format("\"{}\" is not a bit of a port; write \"PORTA.3\".", at));
            else if (!device_.roleField(pad.port, "function" + std::to_string(pad.bit)).valid())
                node.child("at").fail(fmt::format("{} has no bit {}.", device_.instances[size_t(pad.port)].name, pad.bit));
        }
        const int index = static_cast<int>(device_.pads.size());
        device_.pads.push_back(std::move(pad));
        readRoutes(device_.pads.back(), index, node);
    }
}

void DeviceReader::readRoutes(Pad& pad, int index, const JsonNode& node)
{
    std::vector<int> codes;
    for (const auto& [key, signal] : node.optionalChild("routes").members()) {
        int code = -1;
        const auto [end, error] = std::from_chars(key.data(), key.data() + key.size(), code);
        if (error != std::errc() || end != key.data() + key.size() || code < 0 || code > 255) {
            signal.fail(fmt::format("\"{}\" is not a selector code; use a number.", key));
            continue;
        }
        if (std::find(codes.begin(), codes.end(), code) != codes.end())
            signal.fail(fmt::format("the code {} is used twice on {}.", code, pad.name));
        codes.push_back(code);
        if (pad.port >= 0 && ok()) {
            const FieldRef field = device_.roleField(pad.port, "function" + std::to_string(pad.bit));
            if (std::uint32_t(code) > device_.fieldOf(field).maxCode())
                signal.fail(fmt::format("the code {} does not fit into {}.", code, device_.nameOf(field)));
        }
        addRoute(index, code, signal);
    }
    for (const JsonNode& signal : node.optionalChild("fixed").items())
        addRoute(index, -1, signal);
}

void DeviceReader::addRoute(int pad, int code, const JsonNode& node)
{
    const std::string dotted = node.asString();
    const size_t dot = dotted.find('.');
    Route route;
    route.pad = pad;
    route.code = code;
    route.instance = device_.findInstance(std::string_view(dotted).substr(0, dot));
    if (route.instance >= 0 && dot != std::string::npos) {
        const auto& signals = device_.instances[size_t(route.instance)].signals;
        for (size_t s = 0; s < signals.size(); ++s)
            if (signals[s].name == std::string_view(dotted).substr(dot + 1))
                route.signal = static_cast<int>(s);
    }
    if (route.signal < 0) {
        std::vector<std::string> names;
        for (const Instance& instance : device_.instances)
            for (const InstanceSignal& signal : instance.signals)
                names.push_back(instance.name + "." + signal.name);
        node.fail(fmt::format("\"{}\" is not a signal of this device.{}", dotted, didYouMean(dotted, names)));
        return;
    }
    device_.pads[size_t(pad)].routes.push_back(static_cast<int>(device_.routes.size()));
    device_.routes.push_back(route);
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
        node.child("kind").fail(fmt::format("\"{}\" is not a kind of package; use quad flat, no-lead, dual row or ball grid.", kind));

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
        pin.pad = device_.findPad(pin.name);
        if (pin.pad >= 0) {
            if (used[size_t(pin.pad)])
                item.fail(fmt::format("{} is on two pins.", pin.name));
            used[size_t(pin.pad)] = true;
        } else if (has(supply, pin.name)) {
            pin.kind = PackagePin::Kind::Supply;
        } else if (has(ground, pin.name)) {
            pin.kind = PackagePin::Kind::Ground;
        } else if (has(dedicated, pin.name)) {
            pin.kind = PackagePin::Kind::Dedicated;
        } else {
            item.fail(fmt::format("\"{}\" is no pad of this device, and not listed as supply, ground or dedicated.", pin.name));
        }
        package.pins.push_back(std::move(pin));
    }
    if (package.pins.size() < 4)
        node.child("pins").fail("a package has at least 4 pins.");
}

} // namespace bindrel
