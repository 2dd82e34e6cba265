// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/load_device.h"

#include "core/base/files.h"
#include "core/base/fingerprint.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"
#include "core/device/undescribed.h"
#include "core/makers/makers_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace bindrel {

namespace {
const std::vector<std::string> kKeys{"$schema",   "format",         "name",         "family",  "about",
                                     "core",      "cores",          "memory",       "supply",  "temperature",
                                     "ranges",    "flash_timing",   "cpu_clock",    "unlock",  "lines",
                                     "routing",   "limit_slack",    "modes",        "clocks",  "blocks",
                                     "instances", "pads",           "pad_defaults", "package", "absent",
                                     "unbonded",  "overrides",      "exclusive",    "dma",     "interrupt_controller",
                                     "banks",     "never_together", "nonvolatile",  "domains", "regulator",
                                     "worlds",    "layers",         "patches"};

/// Options that say what the core is; whatever else a compiler can be told (plug-ins, files, other programs) is none of
/// a chip's business.
const std::vector<std::string>& machineFlags()
{
    static const std::vector<std::string> all{"-mcpu",
                                              "-march",
                                              "-mabi",
                                              "-mthumb",
                                              "-marm",
                                              "-mfpu",
                                              "-mfloat-abi",
                                              "-mcmodel",
                                              "-mtune",
                                              "-mlittle-endian",
                                              "-mcmse",
                                              "-misa-spec",
                                              "-mno-relax",
                                              "-mstrict-align",
                                              "-msmall-data-limit",
                                              "-munaligned-access",
                                              "-mno-unaligned-access"};
    return all;
}

bool isMachineFlag(const std::string& flag)
{
    const std::size_t equals = flag.find('=');
    const std::string_view value =
        equals == std::string::npos ? std::string_view() : std::string_view(flag).substr(equals + 1);
    const auto plain = [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '.' ||
               c == '+' || c == '-';
    };
    return flag.size() <= 80 &&
           std::find(machineFlags().begin(), machineFlags().end(), flag.substr(0, equals)) != machineFlags().end() &&
           (equals == std::string::npos || !value.empty()) &&
           value != "native" && // would be another core on another machine
           std::all_of(value.begin(), value.end(), plain);
}

bool isToolPrefix(const std::string& prefix)
{
    const auto plain = [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '_' || c == '.' || c == '-';
    };
    return prefix.size() > 1 && prefix.size() <= 48 && prefix.ends_with('-') && prefix.front() >= 'a' &&
           prefix.front() <= 'z' && std::all_of(prefix.begin(), prefix.end(), plain);
}

void checkFrame(const JsonNode& root)
{
    root.allowOnly(kKeys);
    if (const std::int64_t format = root.integer("format", 0, INT32_MAX); root.has("format") && format != 1)
        root.child("format").fail(say("this version of Bindrel reads format 1, not {}.", format));
}
} // namespace

JsonNode DeviceReader::section(std::string_view key)
{
    return own_.root().optionalChild(key);
}

bool DeviceReader::isAbsent(std::string_view name) const
{
    const bool absent = std::find(device_.absent.begin(), device_.absent.end(), name) != device_.absent.end();
    if (absent)
        metAbsent_.insert(std::string(name));
    return absent;
}

/// A name in "absent" that nothing in the file has would be a slip.
void DeviceReader::checkAbsent()
{
    const std::vector<JsonNode> rows = section("absent").exists() ? section("absent").items() : std::vector<JsonNode>();
    for (size_t i = 0; i < rows.size() && i < device_.absent.size(); ++i)
        if (!metAbsent_.contains(device_.absent[i]))
            rows[i].fail(say("\"{}\" is no instance, signal or pad of the family; nothing is taken away by it.",
                             device_.absent[i]));
}

FieldRef DeviceReader::fieldAt(const JsonNode& node)
{
    return fieldNamed(node.asString(), node);
}

FieldCode DeviceReader::fieldCodeAt(const JsonNode& node)
{
    std::string text = node.asString();
    FieldCode out;
    if (const size_t equals = text.find('='); equals != std::string::npos) {
        const auto [end, error] = std::from_chars(text.data() + equals + 1, text.data() + text.size(), out.code);
        if (error != std::errc() || end != text.data() + text.size())
            node.fail(say("\"{}\" is not a field with a code; write INSTANCE.REGISTER.FIELD=1.", text));
        text.resize(equals);
    }
    out.ref = fieldNamed(text, node);
    if (out.valid() && out.code > device_.fieldOf(out.ref).maxCode())
        node.fail(say("the code {} does not fit into {}.", out.code, text));
    return out;
}

/// "1 %", or ["-3 %", "1 %"] where it is not the same both ways.
Tolerance DeviceReader::toleranceAt(const JsonNode& node)
{
    if (!node.isArray())
        return Tolerance::symmetric(node.asPpm().value);
    const std::vector<JsonNode> ends = node.items();
    if (ends.size() != 2) {
        node.fail(say("must be one tolerance, or how far below and how far above."));
        return {};
    }
    return {Ppm(-ends[0].asPpm().value), ends[1].asPpm()};
}

FieldRef DeviceReader::fieldNamed(const std::string& dotted, const JsonNode& node)
{
    if (const auto found = device_.findField(dotted))
        return *found;
    std::vector<std::string> near;
    const std::string instanceName = dotted.substr(0, dotted.find('.'));
    if (const InstanceIndex instance = device_.findInstance(instanceName); instance >= 0)
        for (const Register& reg : device_.blockOf(instance).registers)
            for (const Field& field : reg.fields)
                near.push_back(instanceName + "." + reg.name + "." + field.name);
    node.fail(say("\"{}\" is not a field of this device; write INSTANCE.REGISTER.FIELD.{}", dotted,
                  didYouMean(dotted, near)));
    // Any valid reference keeps the readers going; the result is thrown away.
    return {};
}

ClockIndex DeviceReader::clockAt(const JsonNode& node)
{
    const std::string id = node.asString();
    const int found = device_.findClock(id);
    if (found < 0) {
        std::vector<std::string> ids;
        for (const ClockNode& clock : device_.clocks)
            ids.push_back(clock.id);
        node.fail(say("\"{}\" is not a clock of this device.{}", id, didYouMean(id, ids)));
    }
    return found;
}

InstanceIndex DeviceReader::instanceAt(const JsonNode& node)
{
    const std::string name = node.asString();
    const int found = device_.findInstance(name);
    if (found < 0) {
        std::vector<std::string> names;
        for (const Instance& instance : device_.instances)
            names.push_back(instance.name);
        node.fail(say("\"{}\" is not an instance of this device.{}", name, didYouMean(name, names)));
    }
    return found;
}

void DeviceReader::readIdentity()
{
    device_.name = own_.root().string("name");
    own_.root().child("name").requireName(device_.name);
    device_.family = own_.root().string("family", "");
    device_.about = own_.root().string("about", "");
    if (section("cores").exists()) {
        for (const JsonNode& core : section("cores").items())
            readCore(core);
        if (device_.cores.empty() && ok())
            section("cores").fail(say("lists no core; give at least one."));
    } else {
        readCore(section("core"));
    }
    if (const JsonNode temperature = section("temperature"); temperature.exists())
        device_.temperature = readTemperatures(temperature);
    if (const JsonNode absent = section("absent"); absent.exists())
        device_.absent = absent.asStrings();
    if (const JsonNode worlds = section("worlds"); worlds.exists()) {
        device_.worlds = worlds.asStrings();
        for (const JsonNode& world : worlds.items())
            world.requireName(world.asString());
    }
    if (const JsonNode unbonded = section("unbonded"); unbonded.exists())
        device_.unbonded = unbonded.asStrings();
    const JsonNode said = section("supply");
    const std::vector<JsonNode> supply = said.items();
    if (supply.size() == 2) {
        device_.supplyMin = supply[0].asVoltage();
        device_.supplyMax = supply[1].asVoltage();
    } else if (said.exists()) {
        said.fail(say("must be the lowest and the highest supply voltage."));
    } else {
        own_.fail("/supply", say("must be the lowest and the highest supply voltage."));
    }
}

void DeviceReader::readCore(const JsonNode& node)
{
    node.allowOnly({"id", "name", "architecture", "tools", "flags", "vectors", "priority_bits", "fpu", "clock",
                    "memory", "interrupt_controller", "release", "world"});
    Core core;
    core.name = node.string("name");
    core.id = node.string("id", core.name);
    (node.has("id") ? node.child("id") : node.child("name")).requireName(core.id);
    const std::string architecture = node.string("architecture", "arm-m");
    if (architecture == "riscv")
        core.architecture = Core::Architecture::RiscV;
    else if (architecture != "arm-m")
        node.child("architecture")
            .fail(
                say("\"{}\" is not an architecture that source can be written for; use arm-m or riscv.", architecture));
    core.toolPrefix = node.string("tools");
    if (!isToolPrefix(core.toolPrefix))
        node.child("tools").fail(
            say("\"{}\" is not the prefix of a cross-compiler; write it as \"arm-none-eabi-\": lower-case "
                "letters, digits, _ . and -, ending in -, no path.",
                core.toolPrefix));
    for (const JsonNode& flag : node.optionalChild("flags").items()) {
        core.compilerFlags.push_back(flag.asString());
        if (!isMachineFlag(core.compilerFlags.back()))
            flag.fail(say("\"{}\" is not a machine option; those that are allowed are {}, as \"-mcpu=NAME\".",
                          core.compilerFlags.back(), listed(machineFlags())));
    }
    core.world = node.string("world", "");
    if (node.has("world"))
        node.child("world").requireName(core.world);
    core.vectorCount = static_cast<int>(node.integer("vectors", 0, 480));
    core.priorityBits = static_cast<int>(node.integer("priority_bits", 0, 8, 0));
    core.fpu = node.boolean("fpu", core.name.ends_with("F"));
    const JsonNode memory = node.has("memory") ? node.child("memory") : section("memory");
    memory.allowOnly({"flash", "ram"});
    const auto readArea = [](const JsonNode& area, std::uint32_t& base, std::uint32_t& bytes) {
        const std::vector<JsonNode> pair = area.items();
        if (pair.size() != 2) {
            area.fail(say("must be a base address and a size in bytes."));
            return;
        }
        base = pair[0].asWord();
        bytes = static_cast<std::uint32_t>(pair[1].asInteger(256, 1 << 30));
    };
    readArea(memory.child("flash"), core.flashBase, core.flashBytes);
    readArea(memory.child("ram"), core.ramBase, core.ramBytes);
    if (device_.findCore(core.id) >= 0)
        node.fail(say("the core \"{}\" is described twice.", core.id));
    device_.cores.push_back(std::move(core));
}

TemperatureRange readTemperatures(const JsonNode& node)
{
    TemperatureRange range;
    const std::vector<JsonNode> ends = node.items();
    if (ends.size() != 2) {
        node.fail(say("must be the lowest and the highest temperature in degrees Celsius."));
        return range;
    }
    range.low = static_cast<int>(ends[0].asInteger(-273, 300));
    range.high = static_cast<int>(ends[1].asInteger(-273, 300));
    if (range.low > range.high)
        node.fail(say("its lowest temperature is above its highest."));
    return range;
}

void DeviceReader::readRanges()
{
    const JsonNode node = section("ranges");
    node.allowOnly({"control", "status", "ready", "reset", "list"});
    for (const JsonNode& row : node.child("list").items()) {
        row.allowOnly({"id", "name", "supply", "code", "wait_states", "draws"});
        OperatingRange range;
        range.id = row.string("id");
        row.child("id").requireName(range.id);
        range.name = row.string("name");
        range.code = static_cast<std::uint32_t>(row.integer("code", 0, UINT32_MAX));
        if (row.has("draws"))
            range.draws = row.child("draws").asRatio();
        const std::vector<JsonNode> supply = row.child("supply").items();
        if (supply.size() == 2) {
            range.supplyMin = supply[0].asVoltage();
            range.supplyMax = supply[1].asVoltage();
        } else {
            row.fail(say("\"supply\" must be the lowest and the highest voltage of the range."));
        }
        for (const JsonNode& limit : row.child("wait_states").items()) {
            range.waitStateLimits.push_back(limit.asFrequency());
            const size_t n = range.waitStateLimits.size();
            if (n > 1 && !(range.waitStateLimits[n - 1] > range.waitStateLimits[n - 2]))
                limit.fail(say("each further wait state must permit a faster clock."));
        }
        if (range.waitStateLimits.empty())
            row.fail(say("\"wait_states\" needs at least the limit with none."));
        device_.ranges.push_back(std::move(range));
    }
    if (device_.ranges.empty())
        node.fail(say("lists no operating range; give at least one."));
    const std::string reset = node.string("reset", device_.ranges.empty() ? "" : device_.ranges.front().id);
    device_.resetRange = device_.findRange(reset);
    if (device_.resetRange < 0)
        node.child("reset").fail(say("\"{}\" is not an operating range of this device.", reset));
}

void DeviceReader::readTiming()
{
    const JsonNode ranges = section("ranges");
    if (ranges.has("control"))
        device_.rangeControl = fieldAt(ranges.child("control"));
    if (ranges.has("status"))
        device_.rangeStatus = fieldAt(ranges.child("status"));
    if (ranges.has("ready"))
        device_.rangeReady = fieldCodeAt(ranges.child("ready"));
    for (const auto& [bank, volts] : section("banks").members())
        device_.banks[bank] = volts.asVoltage();
    if (const JsonNode timing = section("flash_timing"); timing.exists()) {
        timing.allowOnly({"clock", "field"});
        device_.flashClock = clockAt(timing.child("clock"));
        device_.waitStates = fieldAt(timing.child("field"));
    }
    if (const JsonNode slack = section("limit_slack"); slack.exists())
        device_.limitSlack = slack.asPpm();
    const std::vector<JsonNode> cores =
        section("cores").exists() ? section("cores").items() : std::vector<JsonNode>{section("core")};
    for (CoreIndex i = 0; i < int(device_.cores.size()) && i < int(cores.size()); ++i)
        device_.cores[i].clock = clockAt(cores[i].has("clock") ? cores[i].child("clock") : section("cpu_clock"));
    if (device_.flashClock < 0 && !device_.cores.empty())
        device_.flashClock = device_.cores.front().clock; // no wait states are described
    for (CoreIndex i = 0; i < int(device_.cores.size()) && i < int(cores.size()); ++i)
        if (cores[i].has("release"))
            device_.cores[i].release = fieldCodeAt(cores[i].child("release"));
    for (CoreIndex i = 0; i < int(device_.cores.size()) && i < int(cores.size()); ++i) {
        Core& core = device_.cores[i];
        if (const JsonNode controller = cores[i].has("interrupt_controller") ? cores[i].child("interrupt_controller")
                                                                             : section("interrupt_controller");
            controller.exists())
            core.interruptController = instanceAt(controller);
        if (core.architecture == Core::Architecture::RiscV && ok() &&
            (core.interruptController < 0 || !device_.roleField(core.interruptController, "enable").valid() ||
             !device_.roleField(core.interruptController, "claim").valid()))
            cores[i].fail(say(
                "a riscv core needs an \"interrupt_controller\" whose block has the roles \"enable\" and \"claim\"."));
    }
    if (const JsonNode lines = section("lines"); lines.exists() && lines.asString() == "ports")
        device_.linesInPorts = true;
    else if (lines.exists())
        device_.lineInstance = instanceAt(lines);
    for (const JsonNode& row : section("unlock").items()) {
        row.allowOnly({"register", "key"});
        Unlock unlock;
        const FieldRef ref = [&] {
            const std::string dotted = row.string("register");
            for (const InstanceIndex i : device_.instances.indices()) {
                const Block& block = device_.blockOf(i);
                for (const RegisterIndex r : block.registers.indices())
                    if (device_.instances[i].name + "." + block.registers[r].name == dotted)
                        return FieldRef{static_cast<int>(i), static_cast<int>(r), 0};
            }
            row.child("register").fail(say("\"{}\" is not a register of this device.", dotted));
            return FieldRef{};
        }();
        unlock.instance = ref.instance;
        unlock.reg = ref.reg;
        unlock.key = row.child("key").asWord();
        device_.unlocks.push_back(unlock);
    }
}

void DeviceReader::readAll()
{
    checkFrame(own_.root());
    if (!ok())
        return;
    // Each step uses what the ones before it have read, and indexes into it: stop at the first problem.
    using Step = void (DeviceReader::*)();
    for (const Step step : {&DeviceReader::readIdentity, &DeviceReader::readRanges, &DeviceReader::readBlocks,
                            &DeviceReader::readInstances, &DeviceReader::resolveGuards, &DeviceReader::readClocks,
                            &DeviceReader::readCombinations, &DeviceReader::resolveInstances,
                            &DeviceReader::readDomains, &DeviceReader::readRegulator, &DeviceReader::readModes,
                            &DeviceReader::readTiming, &DeviceReader::readStored, &DeviceReader::readPads,
                            &DeviceReader::readPackage, &DeviceReader::readRouting, &DeviceReader::checkAbsent}) {
        if (!ok())
            return;
        (this->*step)();
    }
}

namespace {

Expected<Device> readDevice(JsonDocument& values, std::vector<Problem>* all)
{
    DeviceReader reader(values);
    reader.readAll();
    if (all)
        for (Problem& problem : values.problems())
            all->push_back(std::move(problem));
    if (!values.ok())
        return values.problem();
    return reader.take();
}

Expected<Device> parseLayered(const DeviceFiles& files, std::vector<Problem>* all)
{
    Expected<Layered> layered = layDown(files.text, files.path.string(), files.layers);
    if (!layered) {
        if (all)
            all->push_back(layered.problem());
        return layered.problem();
    }
    std::vector<std::string> missing = standIn(*layered->device);
    JsonDocument document(layered->device, files.path.string());
    document.refuseHiddenText();
    Expected<Device> device = readDevice(document, all);
    if (!device)
        return device;
    device->undescribed = std::move(missing);
    std::string texts = files.text;
    for (const LayerFile& layer : files.layers)
        texts += (layer.family ? std::string() : std::string(1, '\0')) + layer.text;
    device->revision = fingerprint({&texts});
    auto origins = std::make_shared<DeviceOrigins>();
    origins->values = layered->device;
    origins->replaced = std::move(layered->replaced);
    origins->remarks = std::move(layered->remarks);
    device->origins = std::move(origins);
    return device;
}

} // namespace

Expected<Device> parseDevice(std::string text, std::string file, std::string familyText, std::string familyFile,
                             std::vector<Problem>* all)
{
    DeviceFiles files{std::move(file), std::move(text), {}};
    if (!familyText.empty())
        files.layers.push_back({std::move(familyFile), std::move(familyText), true});
    return parseLayered(files, all);
}

namespace {

/// Reads what the layers of a text name, and what those that are device files themselves stand on, those first.
Outcome collectLayers(const std::string& text, const std::filesystem::path& file, const std::filesystem::path& folder,
                      std::vector<LayerFile>& out, int depth)
{
    const Expected<std::vector<LayerRequest>> requests = layersOf(text, file.string(), depth > 0);
    if (!requests)
        return requests.problem();
    if (depth > 4)
        return problemOf(say("{} stands on files that stand on files, more than four deep.", file.string()));
    for (const LayerRequest& request : *requests)
        for (const std::string& named : {request.file, request.columns}) {
            if (named.empty())
                continue;
            const std::filesystem::path path = file.parent_path() / named;
            // A link must not lead out of the folder either; that to a family is the person's own.
            const std::filesystem::path home = realPath(folder.empty() ? std::filesystem::path(".") : folder),
                                        real = realPath(path);
            if (!request.family &&
                std::mismatch(home.begin(), home.end(), real.begin(), real.end()).first != home.end())
                return problemOf(
                    say("{} leads out of the folder of {}; put the file itself there.", path.string(), file.string()));
            Expected<std::string> layer = readFile(path);
            if (!layer)
                return layer.problem();
            if (named == request.file && request.columns.empty() &&
                (request.family || formatOf(*layer, path.string()) == MakersFormat::Device))
                if (const Outcome below = collectLayers(*layer, path, folder, out, depth + 1); !below)
                    return below;
            if (std::none_of(out.begin(), out.end(), [&path](const LayerFile& known) { return known.path == path; }))
                out.push_back({path, *std::move(layer), request.family && depth == 0});
            if (out.size() > 64)
                return problemOf(say("{} stands on more than 64 files.", file.string()));
        }
    return {};
}

} // namespace

Expected<DeviceFiles> readDeviceFiles(const std::filesystem::path& path)
{
    Expected<std::string> text = readFile(path);
    if (!text)
        return text.problem();
    DeviceFiles out{path, *std::move(text), {}};
    if (formatOf(out.text, path.string()) != MakersFormat::Device) {
        // A maker's file alone: a device that has nothing else.
        out.layers.push_back({path, std::move(out.text)});
        out.text = deviceTextFor(path);
        return out;
    }
    if (const Outcome layers = collectLayers(out.text, path, path.parent_path(), out.layers, 0); !layers)
        return layers.problem();
    return out;
}

Expected<Device> parseDevice(const DeviceFiles& files, std::vector<Problem>* all)
{
    Expected<Device> device = parseLayered(files, all);
    if (device)
        device->file = files.path.string();
    return device;
}

Expected<Device> loadDevice(const std::filesystem::path& path, std::vector<Problem>* all)
{
    const Expected<DeviceFiles> files = readDeviceFiles(path);
    if (!files && all)
        all->push_back(files.problem());
    return files ? parseDevice(*files, all) : Expected<Device>(files.problem());
}

} // namespace bindrel
