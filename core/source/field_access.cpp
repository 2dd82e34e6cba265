// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/field_access.h"

#include <algorithm>
#include <map>

namespace bindrel {

Code waitForRole(const Writer& w, InstanceIndex instance, std::string_view role, const Code& value,
                 const Code& microseconds)
{
    return waitCall(w.facts, w.names, w.facts.device.roleField(instance, role), value,
                    code("{} * {}", microseconds, w.names.macro("WAIT_PASSES_PER_US")));
}

Code putRegisterOf(const Writer& w, InstanceIndex instance, std::string_view role, const Code& value)
{
    return registerPut(w.facts, w.names, instance, w.facts.device.roleField(instance, role).reg, value);
}

Code bareField(const Writer& w, const FieldRef& ref)
{
    const Field& field = w.facts.device.fieldOf(ref);
    const Code word = registerValue(w.facts, w.names, ref.instance, ref.reg);
    const Word macro = fieldMacro(w.facts, w.names, ref);
    if (!field.pieces.empty())
        return code("{}_OF({})", macro, word);
    return field.lsb == 0 ? code("{} & {}", word, macro) : code("({} & {}) >> {}u", word, macro, field.lsb);
}

Code readField(const Writer& w, const FieldRef& ref)
{
    const Code bits = bareField(w, ref);
    return w.facts.device.fieldOf(ref).pieces.empty() ? code("({})", bits) : bits;
}

Code readRole(const Writer& w, InstanceIndex instance, std::string_view role)
{
    return readField(w, w.facts.device.roleField(instance, role));
}

std::pair<std::int64_t, std::int64_t> valuesOf(const Device& device, InstanceIndex instance, std::string_view role)
{
    const Encoding& encoding = device.blockOf(instance).role(role)->encoding;
    return {encoding.decode(0).value_or(0),
            encoding.largest(device.fieldOf(device.roleField(instance, role)).maxCode())};
}

Code readValue(const Writer& w, InstanceIndex instance, std::string_view role)
{
    const Encoding& encoding = w.facts.device.blockOf(instance).role(role)->encoding;
    const Code bits = readRole(w, instance, role);
    switch (encoding.kind) {
    case Encoding::Kind::MinusOne:
        return code("({} + 1u)", bits);
    case Encoding::Kind::Bcd:
        return code("{}({})", w.names.name("from_bcd"), bits);
    case Encoding::Kind::Piecewise: {
        const Encoding::Segment& only = encoding.segments.front();
        const Code steps = only.step == 1 ? bits : code("{} * {}u", bits, only.step);
        return only.base < 0 ? code("({} - {}u)", steps, -only.base) : code("({} + {}u)", steps, only.base);
    }
    default:
        return bits;
    }
}

void writeValue(Writer& w, InstanceIndex instance, std::string_view role, const Code& value, int indent)
{
    const Encoding& encoding = w.facts.device.blockOf(instance).role(role)->encoding;
    Code bits = value;
    if (encoding.kind == Encoding::Kind::MinusOne)
        bits = code("({} - 1u)", value);
    else if (encoding.kind == Encoding::Kind::Bcd)
        bits = code("{}({})", w.names.name("to_bcd"), value);
    else if (encoding.kind == Encoding::Kind::Piecewise) {
        const Encoding::Segment& only = encoding.segments.front();
        const Code above = only.base < 0 ? code("({} + {}u)", value, -only.base) : code("({} - {}u)", value, only.base);
        bits = only.step == 1 ? above : code("({} / {}u)", above, only.step);
    }
    writeRole(w, instance, role, bits, indent);
}

namespace {

/// Masks of flags that a zero clears, beside the given bits: every write must carry ones there.
std::vector<Code> clearedByZeroes(const Writer& w, InstanceIndex instance, RegisterIndex reg, std::uint32_t beside)
{
    std::vector<Code> out;
    const IndexVector<FieldIndex, Field>& fields = w.facts.device.blockOf(instance).registers[reg].fields;
    for (const FieldIndex f : fields.indices())
        if (fields[f].access == Field::Access::WriteZeroToClear && !(fields[f].mask() & beside))
            out.push_back(code("{}", fieldMacro(w.facts, w.names, {instance, reg, int(f)})));
    return out;
}

/// What every write of a register must carry to count, by its name.
std::vector<Code> keysOf(const Writer& w, InstanceIndex instance, RegisterIndex reg)
{
    std::vector<Code> out;
    const Block& block = w.facts.device.blockOf(instance);
    const IndexVector<FieldIndex, Field>& fields = block.registers[reg].fields;
    for (const FieldIndex f : fields.indices()) {
        if (fields[f].access != Field::Access::Key)
            continue;
        const Word macro = fieldMacro(w.facts, w.names, {instance, reg, int(f)});
        Code key = code("0x{:08X}u", fields[f].at(fields[f].key));
        for (const auto& [value, name] : codeNames(block, fields[f]))
            if (value == fields[f].key)
                key = code("{}_AT({}_{})", macro, macro, name);
        out.push_back(std::move(key));
    }
    return out;
}

} // namespace

std::vector<Code> clearedByOnes(const Facts& facts, const Names& names, InstanceIndex instance, RegisterIndex reg,
                                std::uint32_t beside)
{
    std::vector<Code> out;
    const IndexVector<FieldIndex, Field>& fields = facts.device.blockOf(instance).registers[reg].fields;
    for (const FieldIndex f : fields.indices())
        if (fields[f].actsOnOnes() && !(fields[f].mask() & beside))
            out.push_back(code("{}", fieldMacro(facts, names, {instance, reg, int(f)})));
    return out;
}

/// Puts what stands in the place of a field's bits into its register.
static void putIntoField(Writer& w, const FieldRef& ref, const Code& put, int indent);

void writeRole(Writer& w, InstanceIndex instance, std::string_view role, const Code& value, int indent)
{
    const FieldRef ref = w.facts.device.roleField(instance, role);
    const Field& field = w.facts.device.fieldOf(ref);
    const Word macro = fieldMacro(w.facts, w.names, ref);
    putIntoField(w, ref,
                 field.width == 1                         ? code("({} != 0u ? {} : 0u)", value, macro)
                 : field.lsb == 0 && field.pieces.empty() ? value
                                                          : code("{}_AT({})", macro, value),
                 indent);
}

void writeRoleWhen(Writer& w, InstanceIndex instance, std::string_view role, const Code& condition, int indent)
{
    const FieldRef ref = w.facts.device.roleField(instance, role);
    const Word macro = fieldMacro(w.facts, w.names, ref);
    putIntoField(w, ref,
                 w.facts.device.fieldOf(ref).width == 1 ? code("({} ? {} : 0u)", condition, macro)
                                                        : code("{}_AT({} ? 1u : 0u)", macro, condition),
                 indent);
}

static void putIntoField(Writer& w, const FieldRef& ref, const Code& put, int indent)
{
    const Device& device = w.facts.device;
    const InstanceIndex instance = ref.instance;
    const Register& reg = device.registerOf(ref);
    const Field& field = device.fieldOf(ref);
    const Code margin = Code::trusted(std::string(size_t(indent), ' '));
    const Code place = registerValue(w.facts, w.names, instance, ref.reg);
    const Word macro = fieldMacro(w.facts, w.names, ref);
    std::uint32_t kept = 0;
    for (const Field& other : reg.fields)
        kept |= &other != &field && other.keepsWrites() ? other.mask() : 0;
    // Beside the value: the key, and ones for flags that a zero would clear.
    std::vector<Code> beside = clearedByZeroes(w, instance, ref.reg, field.mask());
    for (Code& key : keysOf(w, instance, ref.reg))
        beside.push_back(std::move(key));
    const Code rest = beside.empty() ? Code() : code(" | {}", joinedCode(beside, " | "));
    if (kept == 0) {
        w.linef("{}{}", margin,
                registerPut(w.facts, w.names, instance, ref.reg,
                            narrowed(reg, rest.empty() ? put : code("{}{}", put, rest))));
        return;
    }
    std::vector<Code> off{code("{}", macro)};
    for (Code& flag : clearedByOnes(w.facts, w.names, instance, ref.reg, field.mask()))
        off.push_back(std::move(flag));
    w.linef("{}{}", margin,
            registerPut(w.facts, w.names, instance, ref.reg,
                        narrowed(reg, code("({} & ~({})) | {}{}", place, joinedCode(off, " | "), put, rest))));
}

void writeRoleCode(Writer& w, InstanceIndex instance, std::string_view role, std::uint32_t value, int indent)
{
    const Device& device = w.facts.device;
    const FieldRef ref = device.roleField(instance, role);
    const IndexVector<FieldIndex, Field>& fields = device.registerOf(ref).fields;
    const bool others = std::any_of(fields.begin(), fields.end(), [&](const Field& field) {
        return field.keepsWrites() && !(field.mask() & device.fieldOf(ref).mask());
    });
    w.step(others ? updateStep(device, {{ref, value, {}}}, {}) : writeStep(device, {{ref, value, {}}}, {}), indent);
}

void clearFlags(Writer& w, InstanceIndex instance, const std::vector<std::string>& roles, int indent)
{
    std::vector<FieldRef> fields;
    for (const std::string& role : roles)
        if (const FieldRef ref = w.facts.device.roleField(instance, role); ref.valid())
            fields.push_back(ref);
    clearFields(w, instance, fields, indent);
}

void clearFields(Writer& w, InstanceIndex instance, const std::vector<FieldRef>& refs, int indent)
{
    const Device& device = w.facts.device;
    const Code margin = Code::trusted(std::string(size_t(indent), ' '));
    std::map<RegisterIndex, std::vector<FieldRef>> byRegister;
    for (const FieldRef& ref : refs)
        byRegister[ref.reg].push_back(ref);
    for (const auto& [at, flags] : byRegister) {
        const Register& reg = device.blockOf(instance).registers[at];
        const Code place = registerValue(w.facts, w.names, instance, at);
        std::vector<Code> ones, cleared, hows;
        std::uint32_t own = 0, kept = 0;
        bool read = false;
        const auto how = [&hows](const char* text) {
            if (std::none_of(hows.begin(), hows.end(), [text](const Code& known) { return known.text() == text; }))
                hows.push_back(Code::trusted(text));
        };
        for (const FieldRef& ref : flags) {
            const Field& field = device.fieldOf(ref);
            const Code macro = code("{}", fieldMacro(w.facts, w.names, ref));
            switch (field.access) {
            case Field::Access::WriteOneToClear:
                ones.push_back(macro);
                how("cleared by writing a one");
                break;
            case Field::Access::WriteZeroToClear:
                how("cleared by writing a zero");
                [[fallthrough]];
            case Field::Access::ReadWrite:
                cleared.push_back(macro);
                break;
            case Field::Access::ReadToClear:
                read = true;
                continue;
            default: // the hardware alone decides
                continue;
            }
            own |= field.mask();
        }
        if (read)
            w.linef("{}(void){}; /* cleared by reading */", margin, place);
        if (own == 0)
            continue;
        for (const Field& field : reg.fields)
            kept |= field.keepsWrites() ? field.mask() & ~own : 0;
        // One write clears them all: zeroes for those that a zero clears, and for the others of a register what leaves
        // them alone.
        std::vector<Code> value;
        if (kept != 0) {
            std::vector<Code> off = cleared;
            for (Code& flag : clearedByOnes(w.facts, w.names, instance, at, 0))
                off.push_back(std::move(flag));
            value.push_back(off.empty() ? place : code("({} & ~({}))", place, joinedCode(off, " | ")));
        }
        value.insert(value.end(), ones.begin(), ones.end());
        for (Code& other : clearedByZeroes(w, instance, at, own))
            value.push_back(std::move(other));
        for (Code& key : keysOf(w, instance, at))
            value.push_back(std::move(key));
        const Code all = value.empty() ? code("0u") : joinedCode(value, " | ");
        w.linef("{}{}{}", margin, registerPut(w.facts, w.names, instance, at, value.empty() ? all : narrowed(reg, all)),
                hows.empty() ? Code() : code(" /* {} */", joinedCode(hows, ", ")));
    }
}

void forgetFlag(Writer& w, InstanceIndex instance, const std::string& role, int indent)
{
    const FieldRef ref = w.facts.device.roleField(instance, role);
    if (ref.valid() && w.facts.device.fieldOf(ref).access != Field::Access::ReadToClear)
        clearFields(w, instance, {ref}, indent);
}

void takeFlag(Writer& w, InstanceIndex instance, const std::string& role)
{
    w.linef("    if (({} & {}) == 0u) {{", roleRegister(w.facts, w.names, instance, role),
            roleMacro(w.facts, w.names, instance, role));
    w.line("        return false;");
    w.line("    }");
    forgetFlag(w, instance, role, 4);
}

Code countsBetween(std::uint64_t counts)
{
    return counts > 0xFFFFFFFFu ? Code::trusted("now - last")
                                : code("now >= last ? now - last : now + {}u - last", counts);
}

} // namespace bindrel
