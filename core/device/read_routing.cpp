// SPDX-License-Identifier: GPL-3.0-or-later
// The five mechanisms by which pads get their signals. Each is read into the same thing: routes, with the fields that
// must hold codes for them. Nothing after loading needs to know the mechanism.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace bindrel {

namespace {
/// An output goes from the instance to the pad.
bool drives(const InstanceSignal& signal)
{
    return signal.direction == InstanceSignal::Direction::Out || signal.direction == InstanceSignal::Direction::Both;
}
bool listens(const InstanceSignal& signal)
{
    return signal.direction == InstanceSignal::Direction::In || signal.direction == InstanceSignal::Direction::Both;
}
} // namespace

void DeviceReader::readRouting()
{
    readPadRoutes();
    for (const JsonNode& entry : section("routing").items()) {
        if (!ok())
            return;
        const std::string mechanism = entry.string("mechanism");
        if (mechanism == "group remap")
            readRemaps(entry);
        else if (mechanism == "matrix")
            readMatrix(entry);
        else if (mechanism == "selector" || mechanism == "lanes")
            entry.allowOnly({"mechanism", "gpio_code"});
        else if (mechanism == "fixed")
            entry.allowOnly({"mechanism", "analog_code"});
        else
            entry.child("mechanism")
                .fail(say("\"{}\" is not a routing mechanism; use selector, group remap, lanes, matrix or fixed.",
                          mechanism));
    }
    readExclusives();
    if (ok())
        collectMuxFields();
}

/// What the rows of the pads say: codes of the selector, lanes, wired signals.
void DeviceReader::readPadRoutes()
{
    int analogCode = -1;
    for (const JsonNode& entry : section("routing").items())
        if (entry.has("analog_code"))
            analogCode = static_cast<int>(entry.integer("analog_code", 0, INT32_MAX));
    for (PadIndex p = 0; p < int(padNodes_.size()); ++p) {
        const PadIndex pad = static_cast<int>(p);
        readSelector(pad, padNodes_[p].optionalChild("routes"));
        readLanes(pad, padNodes_[p].optionalChild("lanes"));
        for (const JsonNode& node : padNodes_[p].optionalChild("fixed").items()) {
            const auto signal = signalAt(node.asString(), node);
            if (!signal)
                continue;
            Route route{pad, signal->first, signal->second, Route::Mechanism::Fixed, -1, {}, -1};
            const FieldRef& function = device_.pads[p].function;
            const bool analog = device_.instances[route.instance].signals[size_t(route.signal)].direction ==
                                InstanceSignal::Direction::Analog;
            if (analogCode >= 0 && analog && function.valid()) {
                route.code = analogCode;
                route.selects = functionCodes(device_.pads[p], analogCode, node);
            }
            addRoute(std::move(route));
        }
        if (!ok())
            return;
    }
}

void DeviceReader::readSelector(PadIndex pad, const JsonNode& node)
{
    const FieldRef function = device_.pads[pad].function;
    std::vector<int> codes;
    for (const auto& [key, value] : node.members()) {
        // Where no port is described the pad's functions are known, but not what is written for them.
        const bool known = function.valid() || device_.pads[pad].port >= 0;
        const int code = known ? functionOf(key, device_.pads[pad], value) : int(codes.size());
        if (code < 0)
            continue;
        if (std::find(codes.begin(), codes.end(), code) != codes.end())
            value.fail(say("the code {} is used twice on {}.", code, device_.pads[pad].name));
        codes.push_back(code);
        // One code can connect several signals (an input and an output of two instances); "@A" names a signal group.
        const std::vector<JsonNode> signals = value.isArray() ? value.items() : std::vector<JsonNode>{value};
        for (const JsonNode& item : signals) {
            std::string dotted = item.asString();
            int group = -1;
            if (const size_t at = dotted.find('@'); at != std::string::npos) {
                group = groupNamed(dotted.substr(at + 1));
                dotted.resize(at);
            }
            const auto signal = signalAt(dotted, item);
            if (!signal)
                continue;
            Route route{pad, signal->first, signal->second, Route::Mechanism::Selector, code, {}, group};
            if (known)
                route.selects = device_.functionCodes(device_.pads[pad], static_cast<std::uint32_t>(code));
            addRoute(std::move(route));
        }
    }
}

/// "2": "SER0.1": with code 2 the pad leads to lane 1 of the unit SER0. Which signals lie there is up to the instance
/// that the unit is made into, and its combination of roles.
void DeviceReader::readLanes(PadIndex pad, const JsonNode& node)
{
    for (const auto& [key, value] : node.members()) {
        const int code = functionOf(key, device_.pads[pad], value);
        const std::string text = value.asString();
        const size_t dot = text.find('.');
        const std::string unit = text.substr(0, dot);
        int lane = -1;
        if (dot != std::string::npos)
            std::from_chars(text.data() + dot + 1, text.data() + text.size(), lane);
        bool known = isAbsent(unit);
        for (InstanceIndex i = 0; i < int(device_.instances.size()) && code >= 0; ++i) {
            const Instance& instance = device_.instances[i];
            if (instance.unit != unit)
                continue;
            known = true;
            const LaneRoles& roles = device_.blockOf(i).laneRoles;
            for (const LaneRoles::Combination& combination : roles.combinations)
                for (size_t s = 0; s < instance.signals.size(); ++s) {
                    const auto at = combination.lanes.find(instance.signals[s].name);
                    if (at == combination.lanes.end() || at->second != lane)
                        continue;
                    Route route{pad,
                                static_cast<int>(i),
                                static_cast<int>(s),
                                Route::Mechanism::Lanes,
                                code,
                                device_.functionCodes(device_.pads[pad], static_cast<std::uint32_t>(code)),
                                -1};
                    if (roles.reg >= 0)
                        route.selects.push_back({{static_cast<int>(i), roles.reg, roles.field}, combination.code});
                    addRoute(std::move(route));
                }
        }
        const auto used = [&](const Route& route) {
            return route.pad == pad && route.mechanism == Route::Mechanism::Lanes && route.code == code;
        };
        if (known && !isAbsent(unit) && ok() && std::none_of(device_.routes.begin(), device_.routes.end(), used))
            value.fail(say("no combination of roles puts a signal on {}.", text));
        if (!known || lane < 0)
            value.fail(say("\"{}\" is not a lane of a unit; write \"SER0.1\".", text));
    }
}

void DeviceReader::readRemaps(const JsonNode& mechanism)
{
    mechanism.allowOnly({"mechanism", "gpio_code", "peripheral_code", "remaps"});
    const int code =
        mechanism.has("peripheral_code") ? static_cast<int>(mechanism.integer("peripheral_code", 0, INT32_MAX)) : -1;
    for (const auto& [name, node] : mechanism.child("remaps").members()) {
        if (isAbsent(name))
            continue;
        // Signals that are led by fields of their own have an entry each.
        for (const JsonNode& entry : node.isArray() ? node.items() : std::vector<JsonNode>{node})
            readRemap(name, entry, code);
    }
}

void DeviceReader::readRemap(const std::string& name, const JsonNode& node, int code)
{
    node.allowOnly({"field", "sets"});
    const FieldRef field = node.has("field") ? fieldAt(node.child("field")) : FieldRef{};
    for (const auto& [key, set] : node.child("sets").members()) {
        const int setCode = field.valid() ? codeOf(key, field, set) : 0;
        if (!field.valid() && node.child("sets").members().size() > 1)
            node.fail(say("has several sets but no \"field\" that picks one."));
        const size_t before = device_.routes.size();
        bool lacking = false;
        for (const auto& [signalName, padNode] : set.members()) {
            const auto signal = signalAt(name + "." + signalName, padNode);
            const PadIndex pad = padAt(padNode.asString(), padNode);
            lacking = lacking || pad < 0;
            if (!signal || pad < 0 || setCode < 0 || !ok())
                continue;
            Route route{pad, signal->first, signal->second, Route::Mechanism::GroupRemap, -1, {}, -1};
            const FieldRef& function = device_.pads[pad].function;
            if (code >= 0 && function.valid()) {
                route.code = code;
                route.selects = functionCodes(device_.pads[pad], code, padNode);
            }
            if (field.valid())
                route.selects.push_back({field, static_cast<std::uint32_t>(setCode)});
            addRoute(std::move(route));
        }
        if (lacking && device_.routes.size() == before && field.valid())
            device_.emptySets.push_back({field, static_cast<std::uint32_t>(setCode)});
    }
}

void DeviceReader::readMatrix(const JsonNode& mechanism)
{
    mechanism.allowOnly({"mechanism", "gpio_code", "pad_code", "groups"});
    const int code = mechanism.has("pad_code") ? static_cast<int>(mechanism.integer("pad_code", 0, INT32_MAX)) : -1;
    for (const JsonNode& node : mechanism.child("groups").items()) {
        node.allowOnly({"name", "together", "pads", "inputs", "outputs", "output_field"});
        const int group = node.boolean("together", false) ? groupNamed(node.string("name")) : -1;
        const std::string outputField = node.string("output_field", "");
        struct Terminal {
            PadIndex pad = -1;
            std::uint32_t number = 0;
            FieldRef output; ///< holds the number of the signal that drives the pad
        };
        std::vector<Terminal> pads;
        for (const auto& [name, number] : node.child("pads").members()) {
            Terminal terminal{padAt(name, number), static_cast<std::uint32_t>(number.asInteger(0, UINT32_MAX)), {}};
            if (terminal.pad < 0)
                continue;
            if (!outputField.empty()) {
                std::string field = outputField;
                if (const size_t at = field.find("{pad}"); at != std::string::npos)
                    field.replace(at, 5, std::to_string(terminal.number));
                terminal.output = fieldNamed(field, node.child("output_field"));
            }
            pads.push_back(terminal);
        }
        struct MatrixRoute {
            FieldRef input; ///< holds the number of the pad that the signal listens to
            std::int64_t output = -1;
        };
        std::map<std::pair<InstanceIndex, int>, MatrixRoute> signals;
        for (const auto& [dotted, field] : node.optionalChild("inputs").members())
            if (const auto signal = signalAt(dotted, field))
                signals[*signal].input = fieldAt(field);
        for (const auto& [dotted, number] : node.optionalChild("outputs").members())
            if (const auto signal = signalAt(dotted, number))
                signals[*signal].output = number.asInteger(0, UINT32_MAX);
        if (!ok())
            return;
        for (const auto& [signal, way] : signals) {
            const InstanceSignal& facts = device_.instances[signal.first].signals[size_t(signal.second)];
            if ((drives(facts) && way.output < 0) || (listens(facts) && !way.input.valid())) {
                node.fail(say("{}.{} {} but has no entry in \"{}\".", device_.instances[signal.first].name, facts.name,
                              drives(facts) ? say("drives its pad") : say("listens to its pad"),
                              drives(facts) && way.output < 0 ? "outputs" : "inputs"));
                return;
            }
            for (const Terminal& terminal : pads) {
                Route route{terminal.pad, signal.first, signal.second, Route::Mechanism::Matrix, -1, {}, group};
                const FieldRef& function = device_.pads[terminal.pad].function;
                if (code >= 0 && function.valid()) {
                    route.code = code;
                    route.selects = functionCodes(device_.pads[terminal.pad], code, node);
                }
                if (way.input.valid())
                    route.selects.push_back({way.input, terminal.number});
                if (way.output >= 0) {
                    if (!terminal.output.valid()) {
                        node.fail(say("has outputs but no \"output_field\" that holds a signal's number."));
                        return;
                    }
                    route.selects.push_back({terminal.output, static_cast<std::uint32_t>(way.output)});
                }
                for (const FieldCode& select : route.selects)
                    if (select.code > device_.fieldOf(select.ref).maxCode()) {
                        node.fail(say("the code {} does not fit into {}.", select.code, device_.nameOf(select.ref)));
                        return;
                    }
                addRoute(std::move(route));
            }
        }
    }
}

void DeviceReader::readExclusives()
{
    for (const JsonNode& node : section("exclusive").items()) {
        node.allowOnly({"name", "signals"});
        Exclusive exclusive;
        exclusive.name = node.string("name");
        for (const JsonNode& item : node.child("signals").items())
            if (const auto signal = signalAt(item.asString(), item))
                exclusive.signals.push_back(*signal);
        device_.exclusives.push_back(std::move(exclusive));
    }
}

void DeviceReader::collectMuxFields()
{
    std::vector<FieldRef>& fields = device_.muxFields;
    for (const Route& route : device_.routes)
        for (const FieldCode& select : route.selects)
            if (!device_.pads[route.pad].isPickedBy(select.ref))
                fields.push_back(select.ref);
    for (const Instance& instance : device_.instances)
        for (const FieldCode& select : instance.selects)
            fields.push_back(select.ref);
    std::sort(fields.begin(), fields.end());
    fields.erase(std::unique(fields.begin(), fields.end()), fields.end());
}

std::optional<std::pair<InstanceIndex, int>> DeviceReader::signalAt(const std::string& dotted, const JsonNode& node)
{
    const size_t dot = dotted.find('.');
    const std::string_view instanceName = std::string_view(dotted).substr(0, dot);
    if (isAbsent(instanceName) || isAbsent(dotted))
        return std::nullopt;
    const InstanceIndex instance = device_.findInstance(instanceName);
    if (instance >= 0 && dot != std::string::npos) {
        const auto& signals = device_.instances[instance].signals;
        for (size_t s = 0; s < signals.size(); ++s)
            if (signals[s].name == std::string_view(dotted).substr(dot + 1))
                return std::pair(instance, static_cast<int>(s));
    }
    std::vector<std::string> names;
    for (const Instance& other : device_.instances)
        for (const InstanceSignal& signal : other.signals)
            names.push_back(other.name + "." + signal.name);
    node.fail(say("\"{}\" is not a signal of this device.{}", dotted, didYouMean(dotted, names)));
    return std::nullopt;
}

/// What gives a pad a function whose code stands once for all pads.
std::vector<FieldCode> DeviceReader::functionCodes(const Pad& pad, int code, const JsonNode& node)
{
    if (std::uint32_t(code) > device_.maxFunction(pad)) {
        node.fail(say("the code {} does not fit into {}.", code, device_.nameOf(pad.function)));
        return {};
    }
    return device_.functionCodes(pad, static_cast<std::uint32_t>(code));
}

/// A key that is a code; -1 with a problem when it is none.
int DeviceReader::codeOf(const std::string& key, const JsonNode& node)
{
    int code = -1;
    const auto [end, error] = std::from_chars(key.data(), key.data() + key.size(), code);
    if (error == std::errc() && end == key.data() + key.size() && code >= 0)
        return code;
    node.fail(say("\"{}\" is not a selector code; use a number.", key));
    return -1;
}

/// A key that is the code of a pad's function.
int DeviceReader::functionOf(const std::string& key, const Pad& pad, const JsonNode& node)
{
    const int code = codeOf(key, node);
    if (code < 0)
        return -1;
    if (!pad.function.valid()) {
        node.fail(say("the pad has no field that picks a function (its port has no role \"function\" for this bit)."));
        return -1;
    }
    if (std::uint32_t(code) <= device_.maxFunction(pad))
        return code;
    node.fail(say("the code {} does not fit into {}.", code, device_.nameOf(pad.function)));
    return -1;
}

/// A key that is a code of a field.
int DeviceReader::codeOf(const std::string& key, const FieldRef& field, const JsonNode& node)
{
    const int code = codeOf(key, node);
    if (code < 0 || std::uint32_t(code) <= device_.fieldOf(field).maxCode())
        return code;
    node.fail(say("the code {} does not fit into {}.", code, device_.nameOf(field)));
    return -1;
}

/// -1 without a problem for a pad of a port that the device lacks.
PadIndex DeviceReader::padAt(const std::string& name, const JsonNode& node)
{
    if (std::find(skippedPads_.begin(), skippedPads_.end(), name) != skippedPads_.end())
        return -1;
    const PadIndex pad = device_.findPad(name);
    if (pad < 0) {
        std::vector<std::string> names;
        for (const Pad& known : device_.pads)
            names.push_back(known.name);
        node.fail(say("\"{}\" is not a pad of this device.{}", name, didYouMean(name, names)));
    }
    return pad;
}

int DeviceReader::groupNamed(const std::string& name)
{
    const auto at = std::find(device_.groups.begin(), device_.groups.end(), name);
    if (at != device_.groups.end())
        return static_cast<int>(at - device_.groups.begin());
    device_.groups.push_back(name);
    return static_cast<int>(device_.groups.size()) - 1;
}

void DeviceReader::addRoute(Route route)
{
    device_.pads[route.pad].routes.push_back(static_cast<int>(device_.routes.size()));
    device_.routes.push_back(std::move(route));
}

} // namespace bindrel
