// SPDX-License-Identifier: GPL-3.0-or-later
// "domains" and "regulator": what shares a supply inside the chip, and how the core's voltage is made.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"

#include <algorithm>

namespace bindrel {

namespace {

/// Why an instance cannot lie in a domain that may be off; empty when it can.
std::string mustStayOn(const Device& device, InstanceIndex instance)
{
    const std::string& kind = device.blockOf(instance).kind;
    for (const char* shared : {"port", "lines", "dma", "dma_router", "interrupts"})
        if (kind == shared)
            return say(
                "pads, lines, DMA and interrupts are set up before anything can be awaited, and keep what they have "
                "in every mode");
    const auto holds = [instance](const FieldRef& ref) { return ref.valid() && ref.instance == instance; };
    for (const ClockNode& node : device.clocks)
        if (holds(node.control) || holds(node.fraction) || holds(node.enable.ref) || holds(node.ready.ref) ||
            holds(node.status))
            return say("it controls clocks");
    for (const PowerDomain& domain : device.domains)
        if (holds(domain.on.ref) || holds(domain.ready.ref))
            return say("it switches a domain");
    for (const Instance& other : device.instances)
        if (holds(other.gate.ref) || holds(other.reset.ref))
            return say("it gates other instances");
    return {};
}

} // namespace

void DeviceReader::readDomains()
{
    UniqueWords words;
    const std::vector<JsonNode> rows = section("domains").items();
    for (const JsonNode& row : rows) {
        row.allowOnly({"id", "name", "about", "on", "ready", "startup", "instances"});
        PowerDomain domain;
        domain.id = row.string("id");
        words.add(domain.id, row.child("id"));
        domain.name = row.string("name", domain.id);
        domain.about = row.string("about", "");
        for (const PowerDomain& other : device_.domains)
            if (other.id == domain.id)
                row.child("id").fail(say("the domain \"{}\" is described twice.", domain.id));
        if (row.has("on"))
            domain.on = fieldCodeAt(row.child("on"));
        if (row.has("ready"))
            domain.ready = fieldCodeAt(row.child("ready"));
        if (row.has("ready") && !row.has("on"))
            row.child("ready").fail(say("needs \"on\", the condition that switches the domain."));
        if (row.has("startup"))
            domain.startup = row.child("startup").asDuration();
        for (const JsonNode& name : row.child("instances").items()) {
            if (isAbsent(name.asString()))
                continue;
            const InstanceIndex instance = instanceAt(name);
            if (!ok())
                return;
            if (device_.instances[instance].domain >= 0)
                name.fail(say("\"{}\" lies in the domain {} already.", name.asString(),
                              device_.domains[device_.instances[instance].domain].id));
            device_.instances[instance].domain = static_cast<int>(device_.domains.size());
            domain.instances.push_back(instance);
        }
        device_.domains.push_back(std::move(domain));
    }
    for (DomainIndex d = 0; d < int(device_.domains.size()) && ok(); ++d)
        for (const InstanceIndex instance : device_.domains[d].instances)
            if (const std::string why = mustStayOn(device_, instance); !why.empty())
                rows[d]
                    .child("instances")
                    .fail(say("{} cannot lie in a domain: {}.", device_.instances[instance].name, why));
}

void DeviceReader::readRegulator()
{
    const JsonNode node = section("regulator");
    if (!node.exists())
        return;
    node.allowOnly({"control", "ready", "startup", "list"});
    device_.regulatorControl = fieldAt(node.child("control"));
    if (node.has("ready"))
        device_.regulatorReady = fieldCodeAt(node.child("ready"));
    if (node.has("startup"))
        device_.regulatorStartup = node.child("startup").asDuration();
    if (!ok())
        return;
    UniqueWords words;
    const std::uint32_t reset = device_.resetCode(device_.regulatorControl);
    for (const JsonNode& row : node.child("list").items()) {
        row.allowOnly({"id", "name", "about", "code", "share"});
        Regulator regulator;
        regulator.id = row.string("id");
        words.add(regulator.id, row.child("id"));
        regulator.name = row.string("name", regulator.id);
        regulator.about = row.string("about", "");
        regulator.code =
            static_cast<std::uint32_t>(row.integer("code", 0, device_.fieldOf(device_.regulatorControl).maxCode()));
        if (row.has("share"))
            regulator.share = row.child("share").asRatio();
        for (const Regulator& other : device_.regulators)
            if (other.id == regulator.id || other.code == regulator.code)
                row.fail(say("is {} once more: each has an id and a code of its own.", other.id));
        device_.regulators.push_back(std::move(regulator));
    }
    if (ok() && std::none_of(device_.regulators.begin(), device_.regulators.end(),
                             [reset](const Regulator& r) { return r.code == reset; }))
        node.child("list").fail(
            say("none has the code {} that {} holds after reset.", reset, device_.nameOf(device_.regulatorControl)));
}

} // namespace bindrel
