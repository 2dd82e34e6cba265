// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/device.h"
#include "cli/commands.h"
#include "cli/table.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/describe/comparison.h"
#include "core/describe/coverage.h"
#include "core/describe/proposals.h"
#include "core/device/lint.h"
#include "core/device/load_device.h"
#include "core/makers/facts.h"

#include <fmt/format.h>

#include <filesystem>

namespace bindrel::cli {

namespace {

/// The file of a device: a path, or the name of one of the library.
Expected<std::filesystem::path> deviceFile(const std::string& name)
{
    std::error_code error;
    if (std::filesystem::exists(name, error))
        return std::filesystem::path(name);
    if (const auto found = library().deviceFile(name))
        return found->file;
    return library().device(name).problem();
}

std::string placeText(const TextPlace& place)
{
    return place.file.empty() ? std::string("?")
           : place.line > 0   ? fmt::format("{}:{}", place.file, place.line)
                              : place.file;
}

/// The values of a device's files as they lie over each other.
Expected<std::shared_ptr<const PlacedJson>> valuesOf(const std::string& name)
{
    const Expected<std::filesystem::path> file = deviceFile(name);
    if (!file)
        return file.problem();
    Expected<DeviceFiles> files = readDeviceFiles(*file);
    if (!files)
        return files.problem();
    Expected<Layered> own = layDown(files->text, files->path.string(), files->layers);
    if (!own)
        return own.problem();
    return std::shared_ptr<const PlacedJson>(own->device);
}

void addCoverage(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string device, format = "text";
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("coverage", say("List how far each instance of a device is described."));
    command->add_option("DEVICE", options->device, say("Device file, maker's file, or name of a device"))->required();
    command->add_option("--format", options->format, say("text, json or csv"))
        ->check(CLI::IsMember({"text", "json", "csv"}));
    command->callback([options, &exitCode] {
        const Expected<Device> device = deviceNamed(options->device);
        if (!device) {
            exitCode = complain(device.problem());
            return;
        }
        Table table{{"instance", "kind", "level", "next"}, {}};
        for (const InstanceCoverage& row : coverageOf(*device))
            table.rows.push_back({device->instances[row.instance].name, row.kind, nameOf(row.level), row.next});
        table.print(options->format);
        if (options->format == "text" && !device->undescribed.empty())
            printFormat("{}: not described: {}\n", device->name, listed(device->undescribed));
    });
}

void addLayers(CLI::App& app, int& exitCode)
{
    auto name = std::make_shared<std::string>();
    CLI::App* command = app.add_subcommand(
        "layers", say("List which values of a device's files replace others, and what was not read."));
    command->add_option("DEVICE", *name, say("Device file, maker's file, or name of a device"))->required();
    command->callback([name, &exitCode] {
        const Expected<Device> device = deviceNamed(*name);
        if (!device) {
            exitCode = complain(device.problem());
            return;
        }
        if (!device->origins)
            return;
        for (const Replaced& replaced : device->origins->replaced)
            printFormat("{}: {} ({}) replaced by {} ({}){}{}\n", replaced.pointer, replaced.before,
                        placeText(replaced.below), replaced.after, placeText(replaced.above),
                        replaced.because.empty() ? "" : ": ", replaced.because);
        for (const Problem& remark : device->origins->remarks)
            printFormat("{}\n", remark.text());
    });
}

void addOrigin(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string device, pointer;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command = app.add_subcommand("origin", say("Say where a value of a device was read."));
    command->add_option("DEVICE", options->device, say("Device file, maker's file, or name of a device"))->required();
    command
        ->add_option("POINTER", options->pointer, say("JSON pointer, as /instances/UART1/base; / lists the sections"))
        ->required();
    command->callback([options, &exitCode] {
        const Expected<std::shared_ptr<const PlacedJson>> values = valuesOf(options->device);
        if (!values) {
            exitCode = complain(values.problem());
            return;
        }
        const nlohmann::ordered_json& root = (*values)->value();
        const std::string pointer = options->pointer == "/" ? "" : options->pointer;
        try {
            const nlohmann::ordered_json& value = root.at(nlohmann::ordered_json::json_pointer(pointer));
            if (value.is_object())
                for (const auto& [key, below] : value.items())
                    printFormat("{}/{}: {}\n", pointer, pointerWord(key),
                                placeText((*values)->place(pointer + "/" + pointerWord(key))));
            else
                printFormat("{} = {}: {}\n", pointer, value.dump(), placeText((*values)->place(pointer)));
        } catch (const nlohmann::json::exception&) {
            exitCode = complain(problemOf(say("nothing stands at \"{}\".", options->pointer)));
        }
    });
}

void addFacts(CLI::App& app, int& exitCode)
{
    auto name = std::make_shared<std::string>();
    auto format = std::make_shared<std::string>("text");
    CLI::App* command = app.add_subcommand("facts", say("Print a device as lines, one fact each."));
    command->add_option("DEVICE", *name, say("Device file, maker's file, or name of a device"))->required();
    command->add_option("--format", *format, say("text, or json for all as one device file"))
        ->check(CLI::IsMember({"text", "json"}));
    command->callback([name, format, &exitCode] {
        const Expected<std::shared_ptr<const PlacedJson>> values = valuesOf(*name);
        if (!values)
            exitCode = complain(values.problem());
        else if (*format == "json")
            printAsJson((*values)->value());
        else
            printPlain(factsText((*values)->value()));
    });
}

void addCompare(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string older, newer, plan;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command =
        app.add_subcommand("compare", say("List what two editions of a device's files say differently."));
    command->add_option("OLD", options->older, say("Device file, maker's file, or name of a device"))->required();
    command->add_option("NEW", options->newer, say("The same"))->required();
    command->add_option("--plan", options->plan,
                        say("Plan file: also list which of its findings and registers change"));
    command->callback([options, &exitCode] {
        const auto older = valuesOf(options->older), newer = valuesOf(options->newer);
        for (const auto* side : {&older, &newer})
            if (!*side) {
                exitCode = complain(side->problem());
                return;
            }
        const std::vector<DescriptionDifference> differences = compareDescriptions(**older, **newer);
        for (const DescriptionDifference& d : differences)
            switch (d.kind) {
            case DescriptionDifference::Kind::Gone:
                printFormat("gone     {}: {} ({})\n", d.pointer, d.before, placeText((*older)->place(d.pointer)));
                break;
            case DescriptionDifference::Kind::New:
                printFormat("new      {}: {} ({})\n", d.pointer, d.after, placeText((*newer)->place(d.pointer)));
                break;
            case DescriptionDifference::Kind::Changed:
                printFormat("changed  {}: {} -> {} ({})\n", d.pointer, d.before, d.after,
                            placeText((*newer)->place(d.pointer)));
                break;
            }
        printFormat("{}\n", sayCount(long(differences.size()), "{} difference", "{} differences"));
        // Corrections that the newer edition no longer needs, or no longer bears.
        const Expected<Device> device = deviceNamed(options->newer);
        if (!device) {
            exitCode = complain(device.problem());
            return;
        }
        if (device->origins)
            for (const Problem& remark : device->origins->remarks)
                printFormat("{}\n", remark.text());
        if (!options->plan.empty()) {
            const Expected<Device> before = deviceNamed(options->older);
            const auto opened = openPlan(options->plan, exitCode);
            if (!before || !opened)
                return;
            const auto computed = [&opened](const Device& with) {
                LoadedPlan work{
                    std::make_shared<const Device>(with), opened->filedBoard, opened->plan, opened->provenance, {}, {}};
                return computeSnapshot(work);
            };
            const auto a = computed(*before), b = computed(*device);
            const auto tell = [](const Snapshot& from, const Snapshot& other, const char* what) {
                for (const Finding& finding : from.findings)
                    if (std::none_of(other.findings.begin(), other.findings.end(), [&](const Finding& f) {
                            return f.rule == finding.rule && f.text == finding.text;
                        }))
                        printFormat("plan: {} {} {}\n", what, finding.rule, finding.text);
            };
            tell(*a, *b, say("no longer"));
            tell(*b, *a, "now");
            std::map<std::string, std::uint32_t> registers;
            for (const RegisterValue& value : a->image.registers)
                registers[a->device->instances[value.instance].name + "." +
                          a->device->blockOf(value.instance).registers[value.reg].name] = value.value;
            for (const RegisterValue& value : b->image.registers) {
                const std::string name = b->device->instances[value.instance].name + "." +
                                         b->device->blockOf(value.instance).registers[value.reg].name;
                const auto known = registers.find(name);
                if (known == registers.end())
                    printFormat("plan: {} = 0x{:X} is set now\n", name, value.value);
                else if (known->second != value.value)
                    printFormat("plan: {}: 0x{:X} -> 0x{:X}\n", name, known->second, value.value);
                if (known != registers.end())
                    registers.erase(known);
            }
            for (const auto& [name, value] : registers)
                printFormat("plan: {} = 0x{:X} is no longer set\n", name, value);
        }
        exitCode = differences.empty() ? kClean : kFindings;
    });
}

void addPropose(CLI::App& app, int& exitCode)
{
    struct Options {
        std::string device, block, take;
        double least = kLeastConfidence;
    };
    auto options = std::make_shared<Options>();
    CLI::App* command =
        app.add_subcommand("propose", say("Propose what blocks and fields mean, each with its reason."));
    command->add_option("DEVICE", options->device, say("Device file, maker's file, or name of a device"))->required();
    command->add_option("BLOCK", options->block, say("Only this block"));
    command->add_option("--least", options->least, say("Least confidence, from 0 to 1 (default 0.7)"))
        ->check(CLI::Range(0.0, 1.0));
    command->add_option("--take", options->take,
                        say("Add the proposals to this file of facts, with their reasons as comments"));
    command->callback([options, &exitCode] {
        const Expected<Device> device = deviceNamed(options->device);
        if (!device) {
            exitCode = complain(device.problem());
            return;
        }
        if (!options->block.empty() && std::none_of(device->blocks.begin(), device->blocks.end(),
                                                    [&](const Block& block) { return block.name == options->block; })) {
            std::vector<std::string> names;
            for (const Block& block : device->blocks)
                names.push_back(block.name);
            exitCode = complain(problemOf(say("\"{}\" is not a block of {}.{}", options->block, device->name,
                                              didYouMean(options->block, names))));
            return;
        }
        std::string lines;
        for (const Proposal& proposal : proposalsFor(*device)) {
            if ((!options->block.empty() && proposal.block != options->block) || proposal.confidence < options->least)
                continue;
            printFormat("{:.2f}  {}\n      {}\n", proposal.confidence, proposal.fact, proposal.reason);
            lines += fmt::format("# {}\n{}\n", proposal.reason, proposal.fact);
        }
        if (options->take.empty() || lines.empty())
            return;
        std::error_code error;
        std::string before;
        if (std::filesystem::exists(options->take, error)) {
            Expected<std::string> text = readFile(options->take);
            if (!text) {
                exitCode = complain(text.problem());
                return;
            }
            before = *std::move(text);
        }
        const std::string now = before + (before.empty() || before.ends_with('\n') ? "" : "\n") + lines;
        const Expected<bool> saved = replaceFile(options->take, now, &before);
        if (!saved)
            exitCode = complain(saved.problem());
        else if (!*saved)
            exitCode =
                refuse(options->take + say(" was changed while this command ran; nothing was saved. Run it again."));
    });
}

} // namespace

Expected<Device> deviceNamed(const std::string& name)
{
    const Expected<std::filesystem::path> file = deviceFile(name);
    return file ? loadDevice(*file) : Expected<Device>(file.problem());
}

static void addDevice(CLI::App& app, int& exitCode)
{
    CLI::App* command =
        app.add_subcommand("device", say("Describe a chip: its files, what they say, and what is missing."));
    command->require_subcommand(1);
    addCoverage(*command, exitCode);
    addLayers(*command, exitCode);
    addOrigin(*command, exitCode);
    addFacts(*command, exitCode);
    addCompare(*command, exitCode);
    addPropose(*command, exitCode);
    addDeviceTable(*command, exitCode);
    addDeviceExport(*command, exitCode);
}

BINDREL_COMMAND(addDevice)

} // namespace bindrel::cli
