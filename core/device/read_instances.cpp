// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

void DeviceReader::readInstances()
{
    std::vector<std::string> blockNames;
    for (const Block& block : device_.blocks)
        blockNames.push_back(block.name);
    UniqueWords words;
    for (const auto& [name, node] : section("instances").members()) {
        if (isAbsent(name))
            continue;
        words.add(name, node);
        node.allowOnly({"block", "kind", "base", "bus", "kernel", "gate", "gate_set", "gate_clear", "reset", "signals",
                        "interrupts", "abilities", "unit", "selects", "dma", "resets", "fences", "draws",
                        "draws_per_mhz"});
        Instance instance;
        instance.name = name;
        instance.base = node.child("base").asWord();
        std::string blockName = node.string("block");
        // A kind given by the instance makes a block of that kind out of a shared one ("opaque" as "crystal").
        for (const BlockIndex i : device_.blocks.indices())
            if (device_.blocks[i].name == blockName)
                instance.block = static_cast<int>(i);
        if (instance.block < 0) {
            node.child("block").fail(
                say("\"{}\" is not a block of this device.{}", blockName, didYouMean(blockName, blockNames)));
            return;
        }
        if (const std::string kind = node.string("kind", ""); !kind.empty()) {
            checkKind(node.child("kind"), kind);
            Block own = device_.blocks[instance.block];
            own.name = blockName + "_" + kind;
            own.kind = kind;
            instance.block = static_cast<int>(device_.blocks.size());
            for (const BlockIndex i : device_.blocks.indices())
                if (device_.blocks[i].name == own.name)
                    instance.block = static_cast<int>(i);
            if (size_t(instance.block) == device_.blocks.size())
                device_.blocks.push_back(std::move(own));
        }
        instance.draws = device_.blocks[instance.block].draws;
        instance.drawsPerMegahertz = device_.blocks[instance.block].drawsPerMegahertz;
        readDraws(node, instance.draws, instance.drawsPerMegahertz);
        instance.unit = node.string("unit", "");
        for (const auto& [signal, direction] : node.optionalChild("signals").members()) {
            if (isAbsent(name + "." + signal))
                continue;
            checkWord(direction, device_.blocks[instance.block].kind, signal, &BlockKind::signals, "signal");
            const std::string text = direction.asString();
            InstanceSignal entry{signal, InstanceSignal::Direction::Both};
            if (text == "in")
                entry.direction = InstanceSignal::Direction::In;
            else if (text == "out")
                entry.direction = InstanceSignal::Direction::Out;
            else if (text == "analog")
                entry.direction = InstanceSignal::Direction::Analog;
            else if (text != "both")
                direction.fail(say("\"{}\" is not a direction; use in, out, both or analog.", text));
            if (const BlockKind* kind = findBlockKind(device_.blocks[instance.block].kind))
                for (const WordSpec& word : kind->signals)
                    if (const std::vector<std::string> may = splitted(word.directions, ' ');
                        isWordOf(signal, word.name) && !word.directions.empty() &&
                        std::find(may.begin(), may.end(), text) == may.end())
                        direction.fail(say("the signal {} of a {} is {}, not \"{}\".", signal, kind->id,
                                           joined(may, " or "), text));
            instance.signals.push_back(std::move(entry));
        }
        for (const auto& [event, number] : node.optionalChild("interrupts").members()) {
            number.requireName(event);
            instance.interrupts[event] =
                static_cast<int>(number.asInteger(0, std::max(0, device_.core().vectorCount - 1)));
        }
        for (const auto& [ability, values] : node.optionalChild("abilities").members()) {
            checkWord(values, device_.blocks[instance.block].kind, ability, &BlockKind::abilities, "ability");
            for (const JsonNode& value : values.items())
                instance.abilities[ability].push_back(value.asInteger(0, INT32_MAX));
        }
        const Block& registers = device_.blocks[instance.block];
        std::vector<std::string> registerNames;
        for (const Register& reg : registers.registers) {
            registerNames.push_back(reg.name);
            for (const auto& [offset, bytes] : reg.places())
                if (instance.base % bytes != 0)
                    node.child("base").fail(
                        say("{} of {} bits needs a base that is a multiple of {}.", reg.name, bytes * 8, bytes));
        }
        for (const auto& [reg, value] : node.optionalChild("resets").members()) {
            const auto at = std::find(registerNames.begin(), registerNames.end(), reg);
            if (at == registerNames.end()) {
                value.fail(say("\"{}\" is not a register of the block {}.{}", reg, registers.name,
                               didYouMean(reg, registerNames)));
                continue;
            }
            const RegisterIndex index = static_cast<int>(at - registerNames.begin());
            instance.resets[index] = value.asWord();
            if (const int width = registers.registers[index].width; width < 32 && instance.resets[index] >> width != 0)
                value.fail(say("does not fit into {} bits.", width));
        }
        device_.instances.push_back(std::move(instance));
        instanceNodes_.push_back(node);
    }
}

/// { "field": "FENCE.ASY.WHO0", "admits": { "0": ["LEAD"], "1": ["LEAD", "HELP"] } }
void DeviceReader::readFence(Instance& instance, const JsonNode& node)
{
    node.allowOnly({"field", "admits"});
    Fence fence{fieldAt(node.child("field")), {}};
    if (!ok())
        return;
    std::vector<std::string> known = device_.worlds;
    for (const Core& core : device_.cores) {
        known.push_back(core.id);
        if (!core.world.empty())
            known.push_back(core.world);
    }
    for (const auto& [code, names] : node.child("admits").members()) {
        const int value = codeOf(code, fence.field, names);
        std::vector<std::string>& admitted = fence.admits[static_cast<std::uint32_t>(value)];
        for (const JsonNode& name : names.items()) {
            admitted.push_back(name.asString());
            if (std::find(known.begin(), known.end(), admitted.back()) == known.end())
                name.fail(say("\"{}\" is neither a core nor a world of this device; it has {}.{}", admitted.back(),
                              listed(known), didYouMean(admitted.back(), known)));
        }
    }
    if (!fence.admits.contains(device_.resetCode(fence.field)))
        node.child("admits").fail(say("does not say whom {} = {} admits, which it is after reset.",
                                      device_.nameOf(fence.field), device_.resetCode(fence.field)));
    instance.fences.push_back(std::move(fence));
}

void DeviceReader::resolveInstances()
{
    if (const JsonNode dma = section("dma"); dma.exists()) {
        dma.allowOnly({"instance", "router", "channels"});
        device_.dma.instance = instanceAt(dma.child("instance"));
        if (dma.has("router"))
            device_.dma.router = instanceAt(dma.child("router"));
        if (device_.dma.router >= 0 && ok() && device_.blockOf(device_.dma.router).kind != "dma_router")
            dma.child("router").fail(
                say("is no router of DMA requests; its block must be of the kind \"dma_router\"."));
        device_.dma.channels = static_cast<int>(dma.integer("channels", 1, 64));
    }
    for (InstanceIndex i = 0; i < int(instanceNodes_.size()); ++i) {
        const JsonNode& node = instanceNodes_[i];
        Instance& instance = device_.instances[i];
        instance.bus = clockAt(node.child("bus"));
        instance.kernel = node.has("kernel") ? clockAt(node.child("kernel")) : instance.bus;
        if (node.has("gate"))
            instance.gate = fieldCodeAt(node.child("gate"));
        for (const auto& [key, alias] : {std::pair{"gate_set", &instance.gateSet}, {"gate_clear", &instance.gateClear}})
            if (node.has(key)) {
                if (!node.has("gate"))
                    node.child(key).fail(say("needs \"gate\", the field that shows whether it is open."));
                *alias = fieldCodeAt(node.child(key));
            }
        if (node.has("gate") && ok() && device_.fieldOf(instance.gate.ref).access == Field::Access::WriteOnly)
            node.child("gate").fail(
                say("can only be written; give the field that shows whether it is open as \"gate\", and "
                    "this one as \"gate_set\"."));
        if (node.has("reset"))
            instance.reset = fieldCodeAt(node.child("reset"));
        for (const auto& [field, code] : node.optionalChild("selects").members()) {
            FieldCode select{fieldNamed(field, code), 0};
            if (ok()) {
                select.code = static_cast<std::uint32_t>(code.asInteger(0, device_.fieldOf(select.ref).maxCode()));
                instance.selects.push_back(select);
            }
        }
        for (const JsonNode& row : node.optionalChild("fences").items())
            readFence(instance, row);
        readDma(instance, node.optionalChild("dma"));
    }
}

/// "RX": 12 (the router's code, on any channel), or "RX": [3, 5] (the channels that it is wired to).
void DeviceReader::readDma(Instance& instance, const JsonNode& node)
{
    for (const auto& [event, value] : node.members()) {
        if (device_.dma.instance < 0) {
            value.fail(say("the device has no \"dma\" section that gives its channels."));
            return;
        }
        checkWord(value, device_.blocks[instance.block].kind, event, &BlockKind::requests, say("DMA request"));
        std::vector<DmaLink>& links = instance.dma[event];
        if (value.isArray())
            for (const JsonNode& channel : value.items())
                links.push_back({static_cast<int>(channel.asInteger(0, device_.dma.channels - 1)), 0});
        else
            for (int channel = 0; channel < device_.dma.channels; ++channel)
                links.push_back({channel, static_cast<std::uint32_t>(value.asInteger(0, UINT32_MAX))});
        if (links.empty())
            value.fail(say("lists no channel; give at least one."));
    }
}

} // namespace bindrel
