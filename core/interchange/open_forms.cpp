// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/interchange/open_forms.h"

#include "core/base/text.h"
#include "core/interchange/csv.h"
#include "core/tables/columns.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

std::string xmlWords(std::string_view text)
{
    std::string out;
    for (const char c : text)
        out += c == '<' ? "&lt;" : c == '>' ? "&gt;" : c == '&' ? "&amp;" : c == '"' ? "&quot;" : std::string(1, c);
    return out;
}

std::string element(const char* name, const std::string& text)
{
    return text.empty() ? std::string() : fmt::format("<{}>{}</{}>", name, xmlWords(text), name);
}

std::string fieldElement(const Field& field, const std::string& name, int low, int bits)
{
    using Access = Field::Access;
    const char* access = "read-write";
    const char* written = nullptr;
    bool clearedByReading = false;
    switch (field.access) {
    case Access::ReadWrite:
        break;
    case Access::ReadOnly:
        access = "read-only";
        break;
    case Access::WriteOnly:
    case Access::Key:
        access = "write-only";
        break;
    case Access::WriteOneToClear:
        written = "oneToClear";
        break;
    case Access::WriteZeroToClear:
        written = "zeroToClear";
        break;
    case Access::WriteOneToSet:
        written = "oneToSet";
        break;
    case Access::WriteOneToToggle:
        written = "oneToToggle";
        break;
    case Access::ReadToClear:
        access = "read-only";
        clearedByReading = true;
        break;
    case Access::Once:
        access = "read-writeOnce";
        break;
    }
    std::string about = field.about;
    if (field.access == Access::Key)
        about += fmt::format("{}Every write must carry 0x{:X} here.", about.empty() ? "" : " ", field.key);
    std::string out =
        fmt::format("          <field>{}{}<bitOffset>{}</bitOffset><bitWidth>{}</bitWidth><access>{}</access>",
                    element("name", name), element("description", about), low, bits, access);
    if (written)
        out += fmt::format("<modifiedWriteValues>{}</modifiedWriteValues>", written);
    if (clearedByReading)
        out += "<readAction>clear</readAction>";
    if (!field.values.empty() && bits == field.width) {
        out += "<enumeratedValues>";
        std::set<std::string> names;
        for (const EnumValue& value : field.values) {
            std::string called;
            for (const char c : value.name)
                called += (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ? c : '_';
            while (!names.insert(called).second)
                called += "_";
            out += fmt::format("<enumeratedValue>{}{}<value>{}</value></enumeratedValue>", element("name", called),
                               called == value.name ? std::string() : element("description", value.name), value.code);
        }
        out += "</enumeratedValues>";
    }
    return out + "</field>\n";
}

void addRegister(std::string& out, const Register& reg, std::uint32_t reset, std::vector<std::string>& left,
                 const std::string& block)
{
    const auto head = [&](const std::string& name, std::uint32_t offset, int width, std::uint32_t value) {
        out +=
            fmt::format("        <register>{}{}<addressOffset>0x{:X}</addressOffset><size>{}</size><resetValue>0x{:X}"
                        "</resetValue>",
                        element("name", name), element("description", reg.about), offset, width, value);
    };
    if (!reg.guards.empty())
        left.push_back(fmt::format("{}.{}: what must be written before it", block, reg.name));
    if (!reg.settles.value.isZero())
        left.push_back(fmt::format("{}.{}: the wait after each write", block, reg.name));
    if (!reg.parts.empty()) {
        left.push_back(fmt::format("{}.{}: that its parts are one register", block, reg.name));
        for (const RegisterPart& part : reg.parts) {
            head(part.name, part.offset, part.width, reset >> part.lsb & part.mask());
            out += "</register>\n";
        }
        return;
    }
    head(reg.name, reg.offset, reg.width, reset);
    if (!reg.fields.empty()) {
        out += "\n        <fields>\n";
        for (const Field& field : reg.fields) {
            if (field.pieces.empty()) {
                out += fieldElement(field, field.name, field.lsb, field.width);
                continue;
            }
            left.push_back(fmt::format("{}.{}.{}: that its pieces are one field", block, reg.name, field.name));
            int number = 0;
            for (const auto& [low, bits] : field.pieces)
                out += fieldElement(field, fmt::format("{}_{}", field.name, number++), low, bits);
        }
        out += "        </fields>\n        ";
    }
    out += "</register>\n";
}

bool isIdentifier(std::string_view name)
{
    return !name.empty() && !(name[0] >= '0' && name[0] <= '9') && std::all_of(name.begin(), name.end(), [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
    });
}

std::string identifier(std::string_view name)
{
    std::string out;
    for (const char c : name)
        out += isIdentifier("x" + std::string(1, c)) ? c : '_';
    return isIdentifier(out) ? out : "P_" + out;
}

/// Signals of a pad by mux code; -1 for fixed functions.
std::map<int, std::vector<std::string>> signalsAt(const Device& device, const Pad& pad, std::vector<std::string>& left)
{
    std::map<int, std::vector<std::string>> out;
    for (const RouteIndex index : pad.routes) {
        const Route& route = device.routes[index];
        const Instance& instance = device.instances[route.instance];
        const std::string name = instance.name + "." + instance.signals[size_t(route.signal)].name;
        const bool simple =
            route.mechanism == Route::Mechanism::Selector && route.selects.size() <= 1 && route.group < 0;
        if (route.wired() || (route.mechanism == Route::Mechanism::Fixed))
            out[-1].push_back(name);
        else if (simple && route.code >= 0)
            out[route.code].push_back(name);
        else
            left.push_back(fmt::format("{} to {}: what must be set for it beside the pad's own code", name, pad.name));
    }
    return out;
}

} // namespace

std::string registerXml(const Device& device, std::vector<std::string>& left)
{
    std::string out =
        fmt::format("<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<device schemaVersion=\"1.3\" "
                    "xmlns:xs=\"http://www.w3.org/2001/XMLSchema-instance\">\n  {}<version>1.0</version>\n"
                    "  {}\n  <addressUnitBits>8</addressUnitBits>\n  <width>32</width>\n  <peripherals>\n",
                    element("name", identifier(device.name)),
                    element("description", device.about.empty() ? device.name : device.about));
    std::map<int, std::string> first; // block -> the instance that has its registers
    for (const Instance& instance : device.instances) {
        const Block& block = device.blocks[instance.block];
        if (block.registers.empty())
            continue;
        std::string interrupts;
        for (const auto& [event, number] : instance.interrupts)
            interrupts += fmt::format("<interrupt>{}<value>{}</value></interrupt>",
                                      element("name", identifier(instance.name + "_" + event)), number);
        const auto known = first.find(int(instance.block));
        if (known != first.end() && instance.resets.empty()) {
            out +=
                fmt::format("    <peripheral derivedFrom=\"{}\">{}<baseAddress>0x{:08X}</baseAddress>{}</peripheral>\n",
                            known->second, element("name", identifier(instance.name)), instance.base, interrupts);
            continue;
        }
        if (known == first.end() && instance.resets.empty())
            first[int(instance.block)] = identifier(instance.name);
        std::uint32_t size = 4;
        for (const Register& reg : block.registers)
            for (const auto& [offset, bytes] : reg.places())
                size = std::max(size, offset + bytes);
        out +=
            fmt::format("    <peripheral>\n      {}{}{}<baseAddress>0x{:08X}</baseAddress>"
                        "<addressBlock><offset>0</offset><size>0x{:X}</size><usage>registers</usage></addressBlock>{}\n"
                        "      <registers>\n",
                        element("name", identifier(instance.name)), element("description", block.about),
                        element("groupName", identifier(block.name)), instance.base, size, interrupts);
        for (const RegisterIndex r : block.registers.indices()) {
            const auto other = instance.resets.find(RegisterIndex(int(r)));
            addRegister(out, block.registers[r],
                        other == instance.resets.end() ? block.registers[r].reset : other->second, left, block.name);
        }
        out += "      </registers>\n    </peripheral>\n";
    }
    return out + "  </peripherals>\n</device>\n";
}

std::string boundaryScanText(const Device& device)
{
    std::map<std::string, std::pair<PackagePin::Kind, std::vector<std::string>>> by;
    for (const PackagePin& pin : device.package.pins) {
        by[identifier(pin.name)].first = pin.kind;
        by[identifier(pin.name)].second.push_back(pin.number);
    }
    std::string ports, maps;
    for (const auto& [name, pins] : by) {
        const auto& [kind, numbers] = pins;
        const char* mode = kind == PackagePin::Kind::Supply   ? "POWER_POS"
                           : kind == PackagePin::Kind::Ground ? "POWER_0"
                           : kind == PackagePin::Kind::Pad    ? "inout"
                                                              : "LINKAGE_INOUT";
        const bool several = numbers.size() > 1;
        ports += fmt::format("{}    {} : {} {}", ports.empty() ? "" : ";\n", name, mode,
                             several ? fmt::format("bit_vector(1 to {})", numbers.size()) : "bit");
        maps += fmt::format("{}\"{}: {}{}{}", maps.empty() ? "" : ", \" &\n      ", name, several ? "(" : "",
                            joined(numbers, ", "), several ? ")" : "");
    }
    const std::string entity = identifier(device.name), map = identifier(device.package.name);
    return fmt::format("-- Pins of {}, as its device file describes them. There is no scan chain in it.\n"
                       "entity {} is\n  generic (PHYSICAL_PIN_MAP : string := \"{}\");\n  port (\n{}\n  );\n"
                       "  use STD_1149_1_2013.all;\n"
                       "  attribute COMPONENT_CONFORMANCE of {} : entity is \"STD_1149_1_2013\";\n"
                       "  attribute PIN_MAP of {} : entity is PHYSICAL_PIN_MAP;\n"
                       "  constant {} : PIN_MAP_STRING :=\n      {}\";\nend {};\n",
                       printable(device.name), entity, map, ports, entity, entity, map, maps, entity);
}

std::string pinFunctionTable(const Device& device, std::vector<std::string>& left)
{
    std::set<int> codes;
    std::vector<std::map<int, std::vector<std::string>>> signals;
    for (const Pad& pad : device.pads) {
        signals.push_back(signalsAt(device, pad, left));
        for (const auto& [code, names] : signals.back())
            if (code >= 0)
                codes.insert(code);
    }
    std::vector<std::string> heading{"Pin", "Pad", "Type"};
    for (const int code : codes)
        heading.push_back(fmt::format("F{}", code));
    heading.push_back("Fixed");
    std::string out = csvLine(heading);
    const auto line = [&](const std::string& number, const std::string& name, const char* type, PadIndex pad) {
        std::vector<std::string> cells{number, name, type};
        for (const int code : codes)
            cells.push_back(
                pad < 0 || !signals[size_t(pad)].contains(code) ? "" : joined(signals[size_t(pad)][code], " / "));
        cells.push_back(pad < 0 || !signals[size_t(pad)].contains(-1) ? "" : joined(signals[size_t(pad)][-1], " / "));
        out += csvLine(cells);
    };
    for (const PackagePin& pin : device.package.pins)
        line(pin.number, pin.name,
             pin.kind == PackagePin::Kind::Supply      ? "supply"
             : pin.kind == PackagePin::Kind::Ground    ? "ground"
             : pin.kind == PackagePin::Kind::Dedicated ? "dedicated"
                                                       : "",
             pin.pad);
    return out;
}

std::string pinFunctionColumns(const Device& device)
{
    std::vector<std::string> left;
    std::set<int> codes;
    Columns columns;
    for (const Pad& pad : device.pads)
        for (const auto& [code, names] : signalsAt(device, pad, left)) {
            if (code >= 0)
                codes.insert(code);
            for (const std::string& name : names) {
                const std::size_t dot = name.find('.');
                columns.names[name] = TableSignal{name.substr(0, dot), name.substr(dot + 1), {}};
            }
        }
    using What = Column::What;
    columns.columns = {{"Pin", What::Pin, device.package.name, -1, {}},
                       {"Pad", What::Pad, {}, -1, {}},
                       {"Type", What::Type, {}, -1, {}}};
    for (const int code : codes)
        columns.columns.push_back({fmt::format("F{}", code), What::Code, {}, code, {}});
    columns.columns.push_back({"Fixed", What::Fixed, {}, -1, {}});
    for (const Instance& instance : device.instances)
        for (const InstanceSignal& signal : instance.signals) {
            static const char* const directions[] = {"in", "out", "both", "analog"};
            if (const auto name = columns.names.find(instance.name + "." + signal.name); name != columns.names.end())
                name->second->direction = directions[int(signal.direction)];
        }
    return columnsText(columns, "the table");
}

} // namespace bindrel
