// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/block_kind.h"
#include "core/device/device_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <charconv>
#include <set>

namespace bindrel {

namespace {

constexpr int kMaxCopies = 256;

std::string numbered(std::string_view pattern, int n)
{
    std::string out(pattern);
    if (const size_t at = out.find("{n}"); at != std::string::npos)
        out.replace(at, 3, std::to_string(n));
    return out;
}

/// "0x5A", "90".
std::optional<std::uint32_t> wordOf(std::string_view text)
{
    const bool hex = text.starts_with("0x") || text.starts_with("0X");
    if (hex)
        text.remove_prefix(2);
    std::uint32_t value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value, hex ? 16 : 10);
    return error == std::errc() && end == text.data() + text.size() ? std::optional(value) : std::nullopt;
}

std::optional<int> smallNumber(std::string_view text)
{
    int value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    return error == std::errc() && end == text.data() + text.size() ? std::optional(value) : std::nullopt;
}

/// "7", "7:4": lowest bit and how many; empty when it is neither.
std::optional<std::pair<int, int>> bitsOf(std::string_view text)
{
    const size_t colon = text.find(':');
    const auto high = smallNumber(text.substr(0, colon));
    const auto low = colon == std::string_view::npos ? high : smallNumber(text.substr(colon + 1));
    if (!high || !low || *low < 0 || *high > 31 || *low > *high)
        return std::nullopt;
    return std::pair(*low, *high - *low + 1);
}

Field::Access readAccess(const JsonNode& node)
{
    using A = Field::Access;
    static const std::vector<std::pair<std::string, A>> known{
        {"rw", A::ReadWrite},         {"ro", A::ReadOnly},          {"wo", A::WriteOnly},
        {"w1c", A::WriteOneToClear},  {"w0c", A::WriteZeroToClear}, {"w1s", A::WriteOneToSet},
        {"w1t", A::WriteOneToToggle}, {"rc", A::ReadToClear},       {"once", A::Once}};
    const std::string text = node.string("access", "rw");
    std::vector<std::string> names;
    for (const auto& [name, access] : known) {
        if (name == text)
            return access;
        names.push_back(name);
    }
    node.child("access").fail(say("\"{}\" is not an access; use {}.", text, listed(names)));
    return A::ReadWrite;
}

/// "7:4", or pieces from the code's highest bits down: "9,3:0".
void readPieces(Field& field, const JsonNode& node)
{
    const std::string text = node.asString();
    std::vector<std::pair<int, int>> pieces;
    for (const std::string& piece : splitted(text, ','))
        if (const std::optional<std::pair<int, int>> bits = bitsOf(trimmed(piece)))
            pieces.insert(pieces.begin(), *bits);
        else {
            field.lsb = 0;
            field.width = 1;
            return node.fail(say("\"{}\" names no bits; write \"7\" or \"7:4\", from 31 down to 0, or pieces "
                                 "with the highest bits of the value first, as \"9,3:0\".",
                                 text));
        }
    std::uint32_t seen = 0;
    field.width = 0;
    for (const auto& [low, bits] : pieces) {
        const std::uint32_t mask = (bits == 32 ? ~0u : (1u << bits) - 1) << low;
        if (seen & mask)
            return node.fail(say("\"{}\" names a bit twice.", text));
        seen |= mask;
        field.width += bits;
    }
    field.lsb = pieces.front().first;
    if (pieces.size() > 1)
        field.pieces = std::move(pieces);
}

/// A row "OVS": "3", or an object with bits, access, values, about, count and the first number.
void readField(Register& reg, const std::string& name, const JsonNode& node)
{
    Field field;
    field.name = name;
    int copies = 1, first = 0;
    if (node.isObject()) {
        node.allowOnly({"bits", "access", "values", "about", "count", "first", "key", "follows", "survives_reset"});
        readPieces(field, node.child("bits"));
        field.access = readAccess(node);
        field.about = node.string("about", "");
        field.survivesReset = node.boolean("survives_reset", false);
        if (node.has("key")) {
            field.access = Field::Access::Key;
            field.key = node.child("key").asWord();
            if (field.key > field.maxCode())
                node.child("key").fail(say("does not fit into {} bits.", field.width));
        }
        for (const auto& [valueName, code] : node.optionalChild("values").members())
            field.values.push_back({valueName, static_cast<std::uint32_t>(code.asInteger(0, field.maxCode()))});
        copies = static_cast<int>(node.integer("count", 1, 32, 1));
        first = static_cast<int>(node.integer("first", 0, 1000, 0));
    } else {
        readPieces(field, node);
    }
    if (copies > 1 && !field.pieces.empty())
        node.fail(say("has a count, so its bits lie side by side; list fields of several pieces one by one."));
    if (copies > 1 && name.find("{n}") == std::string::npos)
        node.fail(say("has a count, so its name needs {n} where the number goes."));
    for (int n = 0; n < copies; ++n) {
        Field copy = field;
        copy.name = numbered(name, first + n);
        copy.lsb = field.lsb + n * field.width;
        if (copy.top() > 31) {
            node.fail(say("{} ends at bit {}; a register has bits 31:0.", copy.name, copy.top()));
            return;
        }
        reg.fields.push_back(std::move(copy));
    }
}

/// "follows" of the fields, once all registers of the block are known.
void resolveFollowing(Block& block, const JsonNode& registers)
{
    for (const auto& [regName, from] : registers.members())
        for (const auto& [fieldName, node] : from.child("fields").members()) {
            if (!node.isObject() || !node.has("follows"))
                continue;
            const JsonNode follows = node.child("follows");
            follows.allowOnly({"field", "after"});
            const JsonNode target = follows.child("field");
            const Role control = readRole(block, target.asString(), target);
            for (Register& reg : block.registers)
                for (Field& field : reg.fields)
                    if (reg.name == regName && field.name == fieldName) {
                        field.followsReg = control.reg;
                        field.followsField = control.field;
                        field.followsAfter = follows.child("after").asDuration();
                    }
        }
}

} // namespace

std::pair<int, int> readBits(const JsonNode& node)
{
    const std::string text = node.asString();
    if (const std::optional<std::pair<int, int>> bits = bitsOf(text))
        return *bits;
    node.fail(say("\"{}\" names no bits; write \"7\" or \"7:4\", from 31 down to 0.", text));
    return {0, 1};
}

void DeviceReader::readBlocks()
{
    UniqueWords words;
    for (const auto& [name, node] : section("blocks").members()) {
        words.add(name, node);
        device_.blocks.push_back(readBlock(name, node));
    }
}

void checkKind(const JsonNode& node, const std::string& kind)
{
    if (kind.empty() || findBlockKind(kind))
        return;
    std::vector<std::string> known;
    for (const BlockKind& block : blockKinds())
        known.push_back(block.id);
    node.fail(say("\"{}\" is no kind of block; use {}, or none for a block that Bindrel need not know.{}", kind,
                  listed(known), didYouMean(kind, known)));
}

void checkWord(const JsonNode& node, const std::string& kind, const std::string& word,
               std::vector<WordSpec> BlockKind::*vocabulary, const char* what)
{
    // A block without a kind is for plain field values; its words are its own.
    const BlockKind* block = findBlockKind(kind);
    if (!block)
        return;
    std::vector<std::string> known;
    for (const WordSpec& spec : block->*vocabulary) {
        if (isWordOf(word, spec.name))
            return;
        known.push_back(spec.name);
    }
    node.fail(say("\"{}\" is no {} of a {}; {}.{}", word, what, kind,
                  known.empty() ? say("it has none") : say("use ") + listed(known), didYouMean(word, known)));
}

Block DeviceReader::readBlock(const std::string& name, const JsonNode& node)
{
    node.allowOnly({"kind", "about", "width", "abilities", "registers", "roles", "lanes", "draws", "draws_per_mhz"});
    Block block;
    block.name = name;
    block.kind = node.string("kind", "");
    block.about = node.string("about", "");
    readDraws(node, block.draws, block.drawsPerMegahertz);
    if (node.has("kind"))
        checkKind(node.child("kind"), block.kind);
    for (const auto& [ability, values] : node.optionalChild("abilities").members()) {
        checkWord(values, block.kind, ability, &BlockKind::abilities, "ability");
        for (const JsonNode& value : values.items())
            block.abilities[ability].push_back(value.asInteger(0, INT32_MAX));
    }
    readRegisters(block, node.child("registers"), readWidth(node, 32));
    resolveFollowing(block, node.child("registers"));
    readRoles(block, node.optionalChild("roles"));
    if (node.has("lanes"))
        readLaneRoles(block, node.child("lanes"));
    return block;
}

int DeviceReader::readWidth(const JsonNode& node, int common)
{
    const auto width = static_cast<int>(node.integer("width", 8, 32, common));
    if (width != 8 && width != 16 && width != 32) {
        node.child("width").fail(say("must be 8, 16 or 32."));
        return common;
    }
    return width;
}

void DeviceReader::readRegisters(Block& block, const JsonNode& node, int width)
{
    for (const auto& [name, from] : node.members()) {
        from.allowOnly({"offset", "reset", "width", "about", "fields", "count", "first", "stride", "parts",
                        "read_as_written", "guard", "settles"});
        Register reg;
        if (from.has("parts")) {
            for (const char* key : {"offset", "width"})
                if (from.has(key))
                    from.child(key).fail(say("is not said of a register of parts: each part says its own."));
            readParts(reg, from.child("parts"));
            reg.readAsWritten = from.boolean("read_as_written", false);
        } else {
            reg.width = readWidth(from, width);
            reg.offset = from.word("offset", 0);
            if (from.has("read_as_written"))
                from.child("read_as_written").fail(say("is said of a register of parts only."));
        }
        reg.reset = from.word("reset", 0);
        if (from.has("settles")) {
            reg.settles = from.child("settles").asDuration();
            if (!(reg.settles.value > Rational(0)) || reg.settles.value > Rational(1))
                from.child("settles").fail(say("must be above zero and at most a second."));
        }
        reg.about = from.string("about", "");
        const auto copies = static_cast<int>(from.integer("count", 1, kMaxCopies, 1));
        const auto first = static_cast<int>(from.integer("first", 0, 1000, 0));
        const auto stride = static_cast<std::uint32_t>(from.integer("stride", 1, 4096, reg.bytes()));
        for (const auto& [offset, bytes] : reg.places())
            if (offset % bytes != 0 || stride % bytes != 0 || offset > 0xFF'FFFF) {
                from.fail(say("of {} bits, its offset and stride must be multiples of {}, below 0x100 0000.", bytes * 8,
                              bytes));
                break;
            }
        if (copies > 1 && reg.parts.empty() && stride < reg.bytes())
            from.child("stride").fail(say("must be {} or more: a register has so many bytes.", reg.bytes()));
        if (reg.width < 32 && reg.reset >> reg.width != 0)
            from.child("reset").fail(say("does not fit into {} bits.", reg.width));
        if (copies > 1 && name.find("{n}") == std::string::npos)
            from.fail(say("has a count, so its name needs {n} where the number goes."));
        for (const auto& [fieldName, fieldNode] : from.child("fields").members())
            readField(reg, fieldName, fieldNode);
        for (const Field& field : reg.fields)
            if (field.top() >= reg.width) {
                from.child("fields").fail(say("{} lies beyond the {} bits of the register.", field.name, reg.width));
                break;
            }
        for (int n = 0; n < copies; ++n) {
            Register copy = reg;
            copy.name = numbered(name, first + n);
            from.requireWord(copy.name);
            for (const Field& field : copy.fields)
                from.requireWord(field.name);
            copy.offset = reg.offset + stride * static_cast<std::uint32_t>(n);
            for (RegisterPart& part : copy.parts) {
                if (copies > 1 && part.name.find("{n}") == std::string::npos) {
                    from.child("parts").fail(
                        say("{}: of several registers, the names of the parts need {{n}} where the number goes.",
                            part.name));
                    break;
                }
                part.name = numbered(part.name, first + n);
                from.requireWord(part.name);
                part.offset += stride * static_cast<std::uint32_t>(n);
            }
            if (from.has("guard"))
                guardNodes_.push_back({static_cast<int>(device_.blocks.size()),
                                       static_cast<int>(block.registers.size()), from.child("guard")});
            block.registers.push_back(std::move(copy));
        }
    }
    // Registers and their parts are members of one structure in C.
    std::set<std::string> names;
    for (const Register& reg : block.registers) {
        std::vector<std::string> own{reg.name};
        for (const RegisterPart& part : reg.parts)
            own.push_back(part.name);
        for (const std::string& name : own)
            if (!names.insert(name).second)
                node.fail(
                    say("{} has two registers or parts of the name {}; give one of them another.", block.name, name));
    }
}

/// [{ "name": "COUNTH", "offset": "0x05", "bits": "15:8" }, …], in the order in which they are written.
void DeviceReader::readParts(Register& reg, const JsonNode& list)
{
    std::uint32_t seen = 0;
    for (const JsonNode& row : list.items()) {
        row.allowOnly({"name", "offset", "bits"});
        RegisterPart part;
        part.name = row.string("name");
        part.offset = row.child("offset").asWord();
        std::tie(part.lsb, part.width) = readBits(row.child("bits"));
        if ((part.width != 8 && part.width != 16) || part.lsb % 8 != 0) {
            row.child("bits").fail(say("a part has 8 or 16 bits, and begins at bit 0, 8, 16 or 24."));
            return;
        }
        if (seen & (part.mask() << part.lsb)) {
            row.child("bits").fail(say("some of these bits are in a part before."));
            return;
        }
        seen |= part.mask() << part.lsb;
        reg.parts.push_back(std::move(part));
    }
    reg.width = std::popcount(seen);
    if (reg.parts.size() < 2 || (reg.width < 32 && seen >> reg.width != 0)) {
        list.fail(say("must list two parts or more, whose bits together go from 0 up without a gap."));
        reg.parts.clear();
        reg.width = 32;
        return;
    }
    reg.offset = std::min_element(reg.parts.begin(), reg.parts.end(), [](const RegisterPart& a, const RegisterPart& b) {
                     return a.offset < b.offset;
                 })->offset;
}

/// "LOCK.KEY=0x5A" of the same block, or "CPU.LOCK.KEY=0x5A" of another instance, or several that are written one after
/// the other; once all instances are known.
void DeviceReader::resolveGuards()
{
    for (const GuardNode& from : guardNodes_) {
        if (from.block >= int(device_.blocks.size()))
            continue;
        Block& block = device_.blocks[from.block];
        const std::vector<JsonNode> nodes = from.node.isArray() ? from.node.items() : std::vector<JsonNode>{from.node};
        if (nodes.empty())
            from.node.fail(say("lists no key; leave it out, or give one."));
        if (nodes.size() > 8)
            from.node.fail(say("lists more than eight keys."));
        for (const JsonNode& node : nodes)
            if (const std::optional<WriteGuard> guard = readGuard(block, from, node))
                block.registers[from.reg].guards.push_back(*guard);
    }
}

std::optional<WriteGuard> DeviceReader::readGuard(Block& block, const GuardNode& from, const JsonNode& node)
{
    WriteGuard guard;
    std::string text = node.asString();
    const size_t equals = text.find('=');
    const std::optional<std::uint32_t> code =
        equals == std::string::npos ? std::nullopt : wordOf(text.substr(equals + 1));
    text.resize(std::min(equals, text.size()));
    const Field* field = nullptr;
    if (std::count(text.begin(), text.end(), '.') == 1) {
        const Role own = readRole(block, text, node);
        if (own.reg < 0)
            return std::nullopt;
        guard = {-1, own.reg, own.field, code.value_or(0)};
        field = &block.registers[own.reg].fields[own.field];
        if (own.reg == from.reg)
            node.fail(say("is in the register that it guards; a key inside the register is said at its field."));
    } else {
        const FieldRef ref = fieldNamed(text, node);
        if (!ref.valid())
            return std::nullopt;
        guard = {ref.instance, ref.reg, ref.field, code.value_or(0)};
        field = &device_.fieldOf(ref);
    }
    if (!code || *code > field->maxCode())
        node.fail(say("must be a field and the value that it gets: \"LOCK.KEY=0x5A\"."));
    const Register& lock =
        guard.instance < 0 ? block.registers[guard.reg] : device_.registerOf({guard.instance, guard.reg, guard.field});
    const bool guarded = std::any_of(guardNodes_.begin(), guardNodes_.end(), [&](const GuardNode& other) {
        return other.reg == guard.reg &&
               &device_.blocks[other.block] ==
                   (guard.instance < 0 ? &block : &device_.blocks[device_.instances[guard.instance].block]);
    });
    if (!lock.parts.empty())
        node.fail(say("{} has parts; a key goes into a register that is written as a whole.", lock.name));
    if (guarded)
        node.fail(say("{} has a guard itself; list all keys here, in the order in which they are written.", lock.name));
    return guard;
}

} // namespace bindrel
