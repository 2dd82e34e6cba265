// SPDX-License-Identifier: GPL-3.0-or-later
// Roles of a block: which of its fields hold what the arithmetic gives, and on which lanes its signals lie.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/block_kind.h"
#include "core/device/device_reader.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

/// The field "CTL.ON" of a block, without an encoding; no field when there is none of that name.
Role fieldOfName(const Block& block, std::string_view dotted)
{
    Role role;
    const size_t dot = dotted.find('.');
    if (dot == std::string_view::npos)
        return role;
    for (const RegisterIndex r : block.registers.indices())
        if (block.registers[r].name == dotted.substr(0, dot))
            for (const FieldIndex f : block.registers[r].fields.indices())
                if (block.registers[r].fields[f].name == dotted.substr(dot + 1)) {
                    role.reg = static_cast<int>(r);
                    role.field = static_cast<int>(f);
                }
    return role;
}

/// Where a field names its values as the role does, the names say the codes: { "none": 0, "odd": 1, "even": 2 }.
Encoding encodingOfNames(const RoleSpec& spec, const Field& field, const JsonNode& from)
{
    Encoding out;
    if (spec.meanings.empty() || field.values.empty())
        return out;
    std::vector<std::string> known;
    for (const auto& [names, value] : spec.meanings)
        for (const std::string& name : splitted(names, '|')) {
            known.push_back(name);
            for (const EnumValue& given : field.values)
                if (lowered(given.name) == name)
                    out.table.emplace_back(value, given.code);
        }
    if (out.table.empty())
        from.fail(say("the values of {} are named otherwise than the role \"{}\" knows them; name them {}, or "
                      "give the role an encoding.",
                      field.name, spec.name, listed(known)));
    out.kind = Encoding::Kind::Table;
    return out;
}

/// Whether what the stages write or read by the role can be converted as the encoding says.
void checkEncoding(const RoleSpec& spec, const Encoding& encoding, const JsonNode& from)
{
    using Kind = Encoding::Kind;
    if (encoding.kind == Kind::AsIs ||
        (spec.encodings == RoleSpec::Encodings::ByUse && spec.use == RoleSpec::Use::Config))
        return;
    const bool oneSegment =
        encoding.kind == Kind::Piecewise && encoding.segments.size() == 1 && encoding.segments.front().firstCode == 0;
    if (spec.encodings == RoleSpec::Encodings::MinusOne) {
        if (encoding.kind != Kind::MinusOne)
            from.fail(say("the role \"{}\" can be encoded \"as is\" or \"minus one\" only.", spec.name));
    } else if (spec.encodings == RoleSpec::Encodings::InC) {
        if (encoding.kind != Kind::MinusOne && encoding.kind != Kind::Bcd && !oneSegment)
            from.fail(say("the program converts the values of the role \"{}\" itself: it can be encoded \"as "
                          "is\", \"minus one\", \"BCD\" or by one piecewise segment that begins at code 0.",
                          spec.name));
    } else {
        from.fail(say("the role \"{}\" is read or written as it is; it takes no encoding.", spec.name));
    }
}

} // namespace

Role readRole(const Block& block, const std::string& dotted, const JsonNode& node)
{
    const Role role = fieldOfName(block, dotted);
    if (role.reg < 0) {
        std::vector<std::string> names;
        for (const Register& reg : block.registers)
            for (const Field& field : reg.fields)
                names.push_back(reg.name + "." + field.name);
        node.fail(say("\"{}\" is not a field of this block.{}", dotted, didYouMean(dotted, names)));
    }
    return role;
}

Encoding readEncoding(const JsonNode& node)
{
    Encoding encoding;
    if (!node.exists())
        return encoding;
    if (node.isObject()) {
        node.allowOnly({"table", "piecewise"});
        if (node.has("table")) {
            encoding.kind = Encoding::Kind::Table;
            for (const JsonNode& row : node.child("table").items()) {
                const std::vector<JsonNode> pair = row.items();
                if (pair.size() != 2)
                    row.fail(say("must be a pair: value, code."));
                else
                    encoding.table.emplace_back(pair[0].asInteger(0, INT32_MAX),
                                                static_cast<std::uint32_t>(pair[1].asInteger(0, UINT32_MAX)));
            }
            return encoding;
        }
        encoding.kind = Encoding::Kind::Piecewise;
        for (const JsonNode& row : node.child("piecewise").items()) {
            row.allowOnly({"codes", "base", "step"});
            const std::vector<JsonNode> codes = row.child("codes").items();
            if (codes.size() != 2) {
                row.fail(say("\"codes\" must be the first and the last code."));
                continue;
            }
            Encoding::Segment segment;
            segment.firstCode = static_cast<std::uint32_t>(codes[0].asInteger(0, UINT32_MAX));
            segment.lastCode = static_cast<std::uint32_t>(codes[1].asInteger(segment.firstCode, UINT32_MAX));
            segment.base = row.integer("base", -INT32_MAX, INT32_MAX);
            segment.step = row.integer("step", 1, INT32_MAX);
            encoding.segments.push_back(segment);
        }
        return encoding;
    }
    const std::string text = node.asString();
    if (text == "minus one")
        encoding.kind = Encoding::Kind::MinusOne;
    else if (text == "power of two")
        encoding.kind = Encoding::Kind::PowerOfTwo;
    else if (text == "BCD")
        encoding.kind = Encoding::Kind::Bcd;
    else if (text != "as is")
        node.fail(say("\"{}\" is not an encoding; use \"as is\", \"minus one\", \"power of two\", \"BCD\", a table or "
                      "piecewise segments.",
                      text));
    return encoding;
}

/// Which signals may lie on which lanes together.
void DeviceReader::readLaneRoles(Block& block, const JsonNode& node)
{
    node.allowOnly({"field", "combinations"});
    if (node.has("field")) {
        const Role field = readRole(block, node.string("field"), node.child("field"));
        block.laneRoles.reg = field.reg;
        block.laneRoles.field = field.field;
    }
    for (const JsonNode& row : node.child("combinations").items()) {
        row.allowOnly({"code", "signals"});
        LaneRoles::Combination combination;
        combination.code = static_cast<std::uint32_t>(row.integer("code", 0, UINT32_MAX, 0));
        for (const auto& [signal, lane] : row.child("signals").members())
            combination.lanes[signal] = static_cast<int>(lane.asInteger(0, 31));
        block.laneRoles.combinations.push_back(std::move(combination));
    }
    if (block.laneRoles.reg < 0 && block.laneRoles.combinations.size() > 1)
        node.fail(say("has several combinations but no \"field\" that picks one."));
}

void DeviceReader::readRoles(Block& block, const JsonNode& node)
{
    const BlockKind* kind = findBlockKind(block.kind);
    if (!kind && !block.kind.empty())
        return; // the kind itself is told already
    std::vector<std::string> known;
    for (const RoleSpec& role : kind ? kind->roles : std::vector<RoleSpec>())
        known.push_back(role.name);
    for (const auto& [name, from] : node.members()) {
        const auto lookUp = [&, &name = name, &from = from](const std::string& full) -> const RoleSpec* {
            const RoleSpec* spec = kind ? kind->role(full) : nullptr;
            if (!spec)
                from.fail(kind ? say("\"{}\" is no role of a {} block; its roles are {}.{}", name, block.kind,
                                     listed(known), didYouMean(name, known))
                               : say("\"{}\": a block without a kind has no roles.", name));
            // A core is meant by its id, as it is written there.
            if (const size_t star = spec ? spec->name.find('*') : std::string::npos; star != std::string::npos) {
                std::vector<std::string> named;
                for (const Core& core : device_.cores)
                    named.push_back(spec->name.substr(0, star) + core.id + spec->name.substr(star + 1));
                if (std::none_of(named.begin(), named.end(),
                                 [&full](const std::string& one) { return isWordOf(full, one); })) {
                    from.fail(say("\"{}\" names no core of this chip; with their ids it is {}.{}", name, listed(named),
                                  didYouMean(name, named)));
                    return nullptr;
                }
            }
            return spec;
        };
        std::vector<std::string> patterns;
        std::optional<Encoding> encoding;
        if (from.isObject() && from.has("slices")) {
            readSlicedRoles(block, name, kind, from);
            continue;
        }
        if (from.isObject()) {
            from.allowOnly({"field", "encoding"});
            patterns.push_back(from.string("field"));
            if (from.has("encoding"))
                encoding = readEncoding(from.child("encoding"));
        } else if (from.isArray()) {
            patterns = from.asStrings();
        } else {
            patterns.push_back(from.asString());
        }
        for (const std::string& pattern : patterns) {
            if (pattern.find("{bit}") != std::string::npos) {
                if (const RoleSpec* spec = lookUp(name + "0"))
                    readBitRoles(block, name, pattern, encoding, *spec, from);
                continue;
            }
            if (patterns.size() > 1) {
                from.fail(
                    say("\"{}\" is one of several fields for one role; only patterns with {{bit}} can be several.",
                        pattern));
                break;
            }
            const RoleSpec* spec = lookUp(name);
            if (!spec)
                break;
            Role role = readRole(block, pattern, from);
            if (role.reg < 0)
                break;
            role.encoding =
                encoding ? *encoding : encodingOfNames(*spec, block.registers[role.reg].fields[role.field], from);
            checkEncoding(*spec, role.encoding, from);
            block.roles[name] = role;
        }
    }
}

/// { "slices": ["SELH.P{bit}", "SELL.P{bit}"] }: the code's highest bits first, as data sheets write them.
void DeviceReader::readSlicedRoles(Block& block, const std::string& name, const BlockKind* kind, const JsonNode& node)
{
    node.allowOnly({"slices", "encoding"});
    static const std::vector<std::string> may{"function", "pull", "drive", "speed", "open_drain"};
    const RoleSpec* spec = kind && kind->id == "port" && std::find(may.begin(), may.end(), name) != may.end()
                               ? kind->role(name + "0")
                               : nullptr;
    if (!spec) {
        node.fail(say("\"{}\" is held by one field; of the roles of a port {} can be in slices.", name, listed(may)));
        return;
    }
    std::vector<std::string> patterns = node.child("slices").asStrings();
    std::reverse(patterns.begin(), patterns.end());
    if (patterns.size() < 2) {
        node.child("slices").fail(say("lists the fields of a code from its highest bits down: at least two."));
        return;
    }
    for (const std::string& pattern : patterns)
        if (pattern.find("{bit}") == std::string::npos) {
            node.child("slices").fail(say("\"{}\" needs {{bit}} where the pad's number goes.", pattern));
            return;
        }
    if (std::set<std::string>(patterns.begin(), patterns.end()).size() < patterns.size()) {
        node.child("slices").fail(say("lists a field twice; each slice holds other bits of the code."));
        return;
    }
    Encoding encoding;
    if (node.has("encoding"))
        encoding = readEncoding(node.child("encoding"));
    checkEncoding(*spec, encoding, node);
    bool any = false;
    for (int bit = 0; bit < 32; ++bit) {
        Role role;
        int bits = 0;
        std::vector<std::string> missing;
        for (size_t i = 0; i < patterns.size(); ++i) {
            std::string named = patterns[i];
            for (size_t at; (at = named.find("{bit}")) != std::string::npos;)
                named.replace(at, 5, std::to_string(bit));
            const Role slice = fieldOfName(block, named);
            if (slice.reg < 0) {
                missing.push_back(named);
                continue;
            }
            if (i == 0) {
                role.reg = slice.reg;
                role.field = slice.field;
            } else {
                role.higher.emplace_back(slice.reg, slice.field);
            }
            bits += block.registers[slice.reg].fields[slice.field].width;
        }
        if (missing.size() == patterns.size())
            continue;
        if (!missing.empty()) {
            node.child("slices").fail(say("bit {} lacks {}, a slice of its code.", bit, listed(missing)));
            return;
        }
        if (bits > 31) {
            node.child("slices").fail(say("the slices of bit {} have {} bits together; at most 31.", bit, bits));
            return;
        }
        role.encoding = encoding;
        if (!block.roles.emplace(name + std::to_string(bit), std::move(role)).second) {
            node.fail(say("bit {} has a second field for the role \"{}\".", bit, name));
            return;
        }
        any = true;
    }
    if (!any)
        node.child("slices").fail(say("these are not fields of this block for any bit."));
}

/// A role for each bit of a port: "function" becomes "function0", "function1", …, for the bits that have the field.
void DeviceReader::readBitRoles(Block& block, const std::string& name, const std::string& pattern,
                                const std::optional<Encoding>& encoding, const RoleSpec& spec, const JsonNode& node)
{
    bool any = false;
    for (int bit = 0; bit < 32; ++bit) {
        std::string named = pattern;
        for (size_t at; (at = named.find("{bit}")) != std::string::npos;)
            named.replace(at, 5, std::to_string(bit));
        Role role = fieldOfName(block, named);
        if (role.reg < 0)
            continue;
        role.encoding =
            encoding ? *encoding : encodingOfNames(spec, block.registers[role.reg].fields[role.field], node);
        if (!any)
            checkEncoding(spec, role.encoding, node);
        if (!block.roles.emplace(name + std::to_string(bit), role).second) {
            node.fail(say("\"{}\" is a second field for bit {} of the role \"{}\"; one field holds its value.", named,
                          bit, name));
            return;
        }
        any = true;
    }
    if (!any)
        node.fail(say("\"{}\" is not a field of this block for any bit.", pattern));
}

} // namespace bindrel
