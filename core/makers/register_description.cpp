// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/json/json_members.h"
#include "core/makers/makers_file.h"
#include "core/makers/memory_maps.h"
#include "core/makers/register_fields.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <pugixml.hpp>

#include <algorithm>
#include <charconv>
#include <map>
#include <optional>
#include <set>
#include <tuple>
#include <unordered_map>

// System View Description, CMSIS-SVD schema 1.0 to 1.3; docs/imports.md says of each element what becomes of it.

namespace bindrel {

namespace {

using Json = nlohmann::ordered_json;
using Node = pugi::xml_node;
using Given = RegisterXml::Given;

constexpr int kMaxRegisters = 20'000; ///< of a file, arrays counted out
constexpr int kMaxCopies = 256;       ///< that a device file lets a register have
constexpr int kMaxStride = 4096;      ///< bytes
constexpr int kMaxNesting = 8;        ///< clusters in clusters

/// With none of these an element is what it is derived from.
constexpr const char* kOwnWords[]{"registers", "size",          "access",      "resetValue",
                                  "resetMask", "prependToName", "appendToName"};

class RegisterReader : RegisterFields {
public:
    RegisterReader(const std::string& text, const std::string& name) : RegisterFields(text, name)
    {
        file_ = out_.sections.addFile(name);
    }

    Expected<MakersFile> read()
    {
        pugi::xml_document document;
        const pugi::xml_parse_result parsed =
            document.load_buffer(text_.data(), text_.size(), pugi::parse_default | pugi::parse_trim_pcdata);
        if (!parsed)
            return fail(parsed.offset, say("is not XML: {}.", parsed.description()));
        device_ = document.child("device");
        if (!device_)
            return fail(0, say("has no element <device>: it is not a register description (SVD)."));
        if (const std::string bits = textAt(device_.child("addressUnitBits")); !bits.empty() && bits != "8")
            return fail(device_.child("addressUnitBits"),
                        say("counts addresses in units of {} bits; Bindrel knows chips that count bytes.", bits));
        if (textAt(device_.child("cpu").child("endian")) == "big")
            return fail(device_.child("cpu").child("endian"),
                        say("is of a big-endian core; Bindrel writes C for little-endian ones."));
        constexpr std::size_t kSections = 16; // more than are read here
        out_.sections.value() = Json::object();
        reserveMembers(out_.sections.value(), kSections);
        readIdentity();
        Given given;
        take(given, {device_}, device_);
        for (const Node& peripheral : device_.child("peripherals").children("peripheral"))
            peripherals_.emplace(textAt(peripheral.child("name")), peripheral);
        if (!device_.child("peripherals"))
            remark(device_, say("has no peripherals."));
        reserveMembers(blocks_, peripherals_.size());
        reserveMembers(instances_, peripherals_.size());
        for (const Node& peripheral : device_.child("peripherals").children("peripheral"))
            if (!failed_)
                readPeripheral(peripheral, given);
        if (failed_)
            return *failed_;
        readCpu();
        Json& value = out_.sections.value();
        value["blocks"] = std::move(blocks_);
        value["instances"] = std::move(instances_);
        out_.remarks = std::move(remarks_);
        return std::move(out_);
    }

private:
    // Parts.

    void readIdentity()
    {
        Json& value = out_.sections.value();
        if (const std::string about = sentenceFor(textAt(device_.child("description"))); !about.empty()) {
            value["about"] = about;
            out_.sections.put("/about", file_, lineOf(device_.child("description")));
        }
        for (const char* key : {"vendorExtensions"})
            if (device_.child(key))
                remark(device_.child(key), say("is the maker's own extension; it is not read."));
    }

    void readCpu()
    {
        const Node cpu = device_.child("cpu");
        if (!cpu)
            return;
        const std::string name = textAt(cpu.child("name"));
        static const std::map<std::string, std::string, std::less<>> known{
            {"CM0", "0"}, {"CM0PLUS", "0plus"}, {"CM0+", "0plus"}, {"CM1", "1"},     {"CM3", "3"},   {"CM4", "4"},
            {"CM7", "7"}, {"CM23", "23"},       {"CM33", "33"},    {"CM35P", "35p"}, {"CM55", "55"}, {"CM85", "85"}};
        const auto core = known.find(name);
        if (core == known.end()) {
            remark(
                cpu,
                say("the core \"{}\" is not one of Arm's M profile that Bindrel knows; describe it in the device file.",
                    printable(name.substr(0, 40))));
            return;
        }
        const bool fpu = textAt(cpu.child("fpuPresent")) == "true" || textAt(cpu.child("fpuPresent")) == "1";
        Json json;
        std::string called = "Cortex-M" + uppered(core->second);
        if (core->second == "0plus")
            called = "Cortex-M0+";
        json["name"] = called;
        json["architecture"] = "arm-m";
        json["tools"] = "arm-none-eabi-";
        json["flags"] = Json::array({"-mcpu=cortex-m" + core->second, "-mthumb"});
        if (fpu)
            json["flags"].push_back("-mfloat-abi=hard");
        json["fpu"] = fpu;
        int vectors = highestInterrupt_ + 1;
        if (const Node given = cpu.child("deviceNumInterrupts"))
            vectors = std::max<int>(vectors, int(std::min<std::uint64_t>(number(given).value_or(0), 480)));
        json["vectors"] = vectors;
        json["priority_bits"] = int(std::min<std::uint64_t>(number(cpu.child("nvicPrioBits")).value_or(0), 8));
        out_.sections.value()["core"] = std::move(json);
        out_.sections.put("/core", file_, lineOf(cpu));
        if (cpu.child("sauRegionsConfig"))
            remark(cpu.child("sauRegionsConfig"),
                   say("security regions are not read; access guards are described in the device file."));
    }

    void readPeripheral(const Node& node, const Given& outer)
    {
        const Chain chain = chainOf(node);
        if (failed_)
            return;
        Given given = outer;
        take(given, chain, node);
        const std::string pattern = textAt(node.child("name"));
        if (pattern.empty())
            return giveUp(node, say("a peripheral has no name."));
        const std::optional<std::uint64_t> base = number(first(chain, "baseAddress"));
        if (!base)
            return giveUp(node, say("{} has no base address.", printable(pattern.substr(0, 48))));
        if (*base > UINT32_MAX)
            return giveUp(node, say("{} lies beyond 32 bits of address.", printable(pattern.substr(0, 48))));
        const std::string block = blockOf(node, chain, given);
        if (failed_)
            return;
        const Dim dim = dimOf(chain);
        if (node.child("alternatePeripheral"))
            remark(node, say("{} is another view of {} at the same address.", printable(pattern.substr(0, 48)),
                             printable(textAt(node.child("alternatePeripheral")).substr(0, 48))));
        for (int i = 0; i < dim.count; ++i) {
            const std::string name = unique(
                wordFor(dim.isArray() ? withIndex(pattern, dim.index[std::size_t(i)]) : pattern), node, instanceNames_);
            Json instance;
            if (!block.empty())
                instance["block"] = block;
            instance["base"] = fmt::format("0x{:08X}", *base + dim.increment * std::uint64_t(i));
            if (const Json interrupts = interruptsOf(chain, name); !interrupts.empty())
                instance["interrupts"] = interrupts;
            out_.sections.put("/instances/" + name, file_, lineOf(node));
            instances_[name] = std::move(instance);
        }
    }

    Json interruptsOf(const Chain& chain, const std::string& instance)
    {
        Json out = Json::object();
        std::vector<std::pair<std::string, int>> all;
        std::set<std::string> seen;
        for (const Node& link : chain) {
            for (const Node& interrupt : link.children("interrupt")) {
                const std::string name = textAt(interrupt.child("name"));
                const std::optional<std::uint64_t> value = number(interrupt.child("value"));
                if (!value || *value >= 480) {
                    remark(interrupt, say("the interrupt {} has no number from 0 to 479; it is left out.",
                                          printable(name.substr(0, 48))));
                    continue;
                }
                if (seen.insert(name).second)
                    all.emplace_back(name, int(*value));
                highestInterrupt_ = std::max(highestInterrupt_, int(*value));
            }
            if (!all.empty())
                break; // what an element says itself takes the place of what it is derived from
        }
        for (const auto& [name, number] : all) {
            // The event without the name of the instance; one alone tells of everything.
            std::string event = lowered(wordFor(name));
            const std::string prefix = lowered(instance) + "_";
            if (all.size() == 1)
                event = "event";
            else if (event.starts_with(prefix) && event.size() > prefix.size())
                event = event.substr(prefix.size());
            while (out.contains(event))
                event += "_2";
            out[event] = number;
        }
        return out;
    }

    /// The name of the block with these registers; several equal peripherals have one.
    std::string blockOf(const Node& node, const Chain& chain, const Given& given)
    {
        // What only stands at another address has the registers of what it is derived from.
        const bool same =
            chain.size() > 1 && std::none_of(std::begin(kOwnWords), std::end(kOwnWords),
                                             [&node](const char* word) { return bool(node.child(word)); });
        if (same) {
            Given base;
            take(base, {device_}, device_);
            const Chain of(chain.begin() + 1, chain.end());
            take(base, of, of.front());
            return blockOf(of.front(), of, base);
        }
        if (const auto known = blockOfNode_.find(node.internal_object()); known != blockOfNode_.end())
            return known->second;
        const std::string name = newBlockOf(node, chain, given);
        blockOfNode_[node.internal_object()] = name;
        return name;
    }

    std::string newBlockOf(const Node& node, const Chain& chain, const Given& given)
    {
        std::vector<FlatRegister> registers;
        collect(chain, {}, 0, given, registers, 0);
        if (failed_)
            return {};
        if (registers.empty())
            return {};
        std::stable_sort(registers.begin(), registers.end(),
                         [](const FlatRegister& a, const FlatRegister& b) { return a.offset < b.offset; });
        Json json = Json::object();
        reserveMembers(json, 2);
        if (const std::string about = sentenceFor(textAt(first(chain, "description"))); !about.empty())
            json["about"] = about;
        Json list = Json::object();
        reserveMembers(list, registers.size());
        std::set<std::string> names;
        std::map<std::uint64_t, std::string> bytes; // that are taken, by register
        std::vector<std::pair<std::string, const FlatRegister*>> put;
        for (FlatRegister& reg : registers) {
            if (++registers_ > kMaxRegisters) {
                giveUp(node, say("has more than {} registers.", kMaxRegisters));
                return {};
            }
            const std::uint64_t width = std::uint64_t(reg.given.size) / 8;
            if (reg.offset % width != 0 || (reg.count > 1 && reg.stride % width != 0)) {
                note(reg, say("{} of {} bits stands at 0x{:X}, which is no multiple of its size; it is left out.",
                              reg.name, reg.given.size, reg.offset));
                continue;
            }
            if (reg.offset + reg.stride * std::uint64_t(reg.count - 1) > kMaxOffset) {
                note(reg, say("{} stands more than {} MiB behind its block; it is left out.", reg.name, 16));
                continue;
            }
            // Registers at one address: C has one name for it.
            std::string before;
            for (int n = 0; n < reg.count && before.empty(); ++n)
                for (std::uint64_t b = 0; b < width && before.empty(); ++b)
                    if (const auto taken = bytes.find(reg.offset + reg.stride * std::uint64_t(n) + b);
                        taken != bytes.end())
                        before = taken->second;
            if (!before.empty()) {
                note(reg, say("{} is another view of {} at 0x{:X}; only {} is described.", reg.name, before, reg.offset,
                              before));
                continue;
            }
            for (int n = 0; n < reg.count; ++n)
                for (std::uint64_t b = 0; b < width; ++b)
                    bytes[reg.offset + reg.stride * std::uint64_t(n) + b] = reg.name;
            std::string name = reg.name;
            while (!names.insert(lowered(name)).second)
                name += "_2";
            Json one = Json::object();
            reserveMembers(one, 8);
            one["offset"] = fmt::format("0x{:X}", reg.offset);
            if (const std::uint64_t reset = reg.given.reset & reg.given.resetMask; reset != 0)
                one["reset"] =
                    fmt::format("0x{:X}", reg.given.size == 64 ? reset : reset & ((1ull << reg.given.size) - 1));
            if (reg.given.size != 32)
                one["width"] = reg.given.size;
            if (!reg.about.empty())
                one["about"] = reg.about;
            if (reg.count > 1) {
                one["count"] = reg.count;
                if (reg.first != 0)
                    one["first"] = reg.first;
                one["stride"] = reg.stride;
            }
            one["fields"] = std::move(reg.fields);
            appendMember(list, name, std::move(one));
            put.emplace_back(name, &reg);
        }
        if (list.empty())
            return {};
        json["registers"] = std::move(list);
        // Two are equal when their registers are; what is said of them may differ.
        const std::size_t hash = std::hash<Json>()(json["registers"]);
        for (auto [known, end] = blocksByHash_.equal_range(hash); known != end; ++known)
            if (blocks_[known->second]["registers"] == json["registers"])
                return known->second;
        std::string name = textAt(first(chain, "groupName"));
        if (name.empty())
            name = textAt(node.child("headerStructName"));
        if (name.empty()) {
            name = textAt(node.child("name"));
            if (const std::size_t at = name.find("%s"); at != std::string::npos)
                name = name.substr(0, name.find_first_of("[%"));
        }
        name = unique(lowered(wordFor(name)), node, blockNames_);
        blocksByHash_.emplace(hash, name);
        out_.sections.put("/blocks/" + name, file_, lineOf(node));
        for (const auto& [called, reg] : put) {
            const std::string pointer = "/blocks/" + name + "/registers/" + pointerWord(called);
            out_.sections.put(pointer, file_, reg->line);
            for (const auto& [field, line] : reg->fieldLines)
                out_.sections.put(pointer + "/fields/" + pointerWord(field), file_, line);
        }
        appendMember(blocks_, name, std::move(json));
        return name;
    }

    void note(const FlatRegister& reg, std::string message)
    {
        Problem problem = problemOf(std::move(message));
        problem.file = name_;
        problem.line = reg.line;
        problem.column = 1;
        keep(std::move(problem));
    }

    std::string unique(std::string name, const Node& node, std::set<std::string>& taken)
    {
        if (name.empty())
            name = "unnamed";
        const std::string wanted = name;
        for (int n = 2; !taken.insert(lowered(name)).second; ++n)
            name = wanted.substr(0, 44) + "_" + std::to_string(n);
        if (name != wanted && std::string_view(node.name()) == "peripheral" && &taken == &instanceNames_)
            remark(node, say("there is another {}; this one is called {}.", wanted, name));
        return name;
    }

    /// Registers and clusters of an element, flattened: names of clusters stand in front, arrays of clusters become
    /// arrays of each register.
    void collect(const Chain& chain, const std::string& prefix, std::uint64_t offset, const Given& outer,
                 std::vector<FlatRegister>& out, int depth)
    {
        if (depth > kMaxNesting)
            return giveUp(chain.front(), say("nests clusters more than {} deep.", kMaxNesting));
        const std::string prepend =
            std::string_view(chain.front().name()) == "peripheral" ? textAt(first(chain, "prependToName")) : "";
        const std::string append = prepend.empty() && std::string_view(chain.front().name()) != "peripheral"
                                       ? ""
                                       : textAt(first(chain, "appendToName"));
        for (const Node& member : members(chain)) {
            if (failed_)
                return;
            const Chain own = chainOf(member);
            if (failed_)
                return;
            Given given = outer;
            take(given, own, member);
            const std::uint64_t at = offset + number(first(own, "addressOffset")).value_or(0);
            if (!first(own, "addressOffset"))
                return giveUp(member, say("has no address offset."));
            const std::string pattern = textAt(member.child("name"));
            if (pattern.empty())
                return giveUp(member, say("has no name."));
            const Dim dim = dimOf(own);
            if (failed_)
                return;
            if (std::string_view(member.name()) == "cluster")
                collectCluster(own, prefix, pattern, at, dim, given, out, depth);
            else
                addRegister(own, prefix, prepend + pattern + append, at, dim, given, out);
            if (out.size() > std::size_t(kMaxRegisters))
                return giveUp(chain.front(), say("has more than {} registers.", kMaxRegisters));
        }
    }

    void collectCluster(const Chain& own, const std::string& prefix, const std::string& pattern, std::uint64_t at,
                        const Dim& dim, const Given& given, std::vector<FlatRegister>& out, int depth)
    {
        const std::optional<int> firstNumber = dim.isArray() ? dim.firstNumber() : std::nullopt;
        if (dim.isArray() && firstNumber && dim.count <= kMaxCopies && dim.increment <= kMaxStride && dim.count > 1) {
            // One element's registers, each with as many copies, where they are no arrays themselves.
            std::vector<FlatRegister> one;
            collect(own, "", 0, given, one, depth + 1);
            const bool flat =
                std::all_of(one.begin(), one.end(), [](const FlatRegister& reg) { return reg.count == 1; });
            if (flat) {
                for (FlatRegister& reg : one) {
                    reg.name = prefix + withIndex(wordPattern(pattern), "{n}") + "_" + reg.name;
                    reg.offset += at;
                    reg.count = dim.count;
                    reg.first = *firstNumber;
                    reg.stride = dim.increment;
                    out.push_back(std::move(reg));
                }
                return;
            }
        }
        for (int i = 0; i < dim.count && !failed_; ++i) {
            const std::string name = dim.isArray() ? withIndex(pattern, dim.index[std::size_t(i)]) : pattern;
            collect(own, prefix + wordFor(name) + "_", at + dim.increment * std::uint64_t(i), given, out, depth + 1);
            if (out.size() > std::size_t(kMaxRegisters))
                return giveUp(own.front(), say("has more than {} registers.", kMaxRegisters));
        }
    }

    /// A name with %s in which all else is fit for C.
    static std::string wordPattern(const std::string& pattern)
    {
        std::size_t at = pattern.find("[%s]");
        const std::size_t length = at == std::string::npos ? 2 : 4;
        if (at == std::string::npos)
            at = pattern.find("%s");
        if (at == std::string::npos)
            return wordFor(pattern) + "%s";
        std::string rest = pattern.substr(at + length);
        for (char& c : rest)
            if (!((c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_'))
                c = '_';
        return (at == 0 ? std::string() : wordFor(pattern.substr(0, at))) + "%s" + rest;
    }

    void addRegister(const Chain& own, const std::string& prefix, const std::string& pattern, std::uint64_t at,
                     const Dim& dim, const Given& given, std::vector<FlatRegister>& out)
    {
        FlatRegister reg;
        reg.offset = at;
        reg.given = given;
        reg.line = lineOf(own.front());
        reg.about = sentenceFor(textAt(first(own, "description")));
        reg.alternateOf = textAt(first(own, "alternateRegister"));
        if (const std::string group = textAt(first(own, "alternateGroup")); !group.empty() && reg.alternateOf.empty())
            reg.alternateOf = group;
        addWords(reg.about, constraintText(first(own, "writeConstraint")));
        if (given.size != 8 && given.size != 16 && given.size != 32 && given.size != 64) {
            const int wider = given.size < 8 ? 8 : given.size < 16 ? 16 : given.size < 32 ? 32 : 64;
            addWords(reg.about, fmt::format("{} bits.", given.size));
            reg.given.size = wider;
        }
        const std::uint64_t whole = reg.given.size == 64 ? UINT64_MAX : (1ull << reg.given.size) - 1;
        if ((reg.given.resetMask & whole) != whole && first(own, "resetMask"))
            addWords(reg.about,
                     fmt::format("Bits 0x{:X} have no defined value after reset.", ~reg.given.resetMask & whole));
        const std::vector<std::pair<std::string, int>> none;
        std::vector<FlatRegister> halves;
        if (reg.given.size == 64) {
            // C accesses words; the register is two of them, the lower one first.
            for (int half = 0; half < 2; ++half) {
                FlatRegister word = reg;
                word.given.size = 32;
                word.given.reset = reg.given.reset >> (32 * half) & 0xFFFF'FFFFu;
                word.given.resetMask = reg.given.resetMask >> (32 * half) & 0xFFFF'FFFFu;
                word.offset = at + std::uint64_t(4 * half);
                readFields(own, word, 32 * half, 32);
                word.name = half ? "_HIGH" : "_LOW";
                halves.push_back(std::move(word));
            }
            remark(own.front(), say("{} has 64 bits; it is described as two words, {}_LOW and {}_HIGH.",
                                    printable(pattern.substr(0, 48)), printable(pattern.substr(0, 48)),
                                    printable(pattern.substr(0, 48))));
        } else {
            readFields(own, reg, 0, reg.given.size);
            reg.name = "";
            halves.push_back(std::move(reg));
        }
        for (FlatRegister& part : halves) {
            const std::string suffix = part.name;
            const std::optional<int> firstNumber = dim.isArray() ? dim.firstNumber() : std::nullopt;
            if (!dim.isArray()) {
                part.name = prefix + wordFor(pattern) + suffix;
                out.push_back(part);
            } else if (firstNumber && dim.count > 1 && dim.count <= kMaxCopies && dim.increment <= kMaxStride &&
                       dim.increment >= std::uint64_t(part.given.size) / 8) {
                part.name = prefix + withIndex(wordPattern(pattern), "{n}") + suffix;
                part.count = dim.count;
                part.first = *firstNumber;
                part.stride = dim.increment;
                out.push_back(part);
            } else {
                for (int i = 0; i < dim.count; ++i) {
                    FlatRegister one = part;
                    one.name = prefix + wordFor(withIndex(pattern, dim.index[std::size_t(i)])) + suffix;
                    one.offset += dim.increment * std::uint64_t(i);
                    out.push_back(std::move(one));
                }
            }
        }
    }

    MakersFile out_;
    int file_ = 0;
    Node device_;
    std::unordered_map<pugi::xml_node_struct*, std::string> blockOfNode_;
    Json blocks_ = Json::object(), instances_ = Json::object();
    std::unordered_multimap<std::size_t, std::string> blocksByHash_; ///< of their registers
    std::set<std::string> blockNames_, instanceNames_;
    int registers_ = 0, highestInterrupt_ = -1;
};

} // namespace

Expected<MakersFile> readRegisterDescription(const std::string& text, const std::string& name)
{
    if (text.find("memoryMap") == std::string::npos || text.find("<device") != std::string::npos)
        return RegisterReader(text, name).read();
    const MemoryMaps maps = memoryMapsOf(text);
    Expected<MakersFile> out = RegisterReader(maps.text.empty() ? text : maps.text, name).read();
    if (out)
        for (const auto& [line, message] : maps.notes)
            out->remarks.push_back(problemInFile(name, line, message));
    return out;
}

} // namespace bindrel
