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

Code readRole(const Writer& w, InstanceIndex instance, std::string_view role)
{
    const FieldRef ref = w.facts.device.roleField(instance, role);
    const Field& field = w.facts.device.fieldOf(ref);
    if (!field.pieces.empty())
        return code("{}_OF({})", fieldMacro(w.facts, w.names, ref), roleRegister(w.facts, w.names, instance, role));
    const Code bits =
        code("({} & {})", roleRegister(w.facts, w.names, instance, role), fieldMacro(w.facts, w.names, ref));
    return field.lsb == 0 ? bits : code("({} >> {}u)", bits, field.lsb);
}

std::vector<Code> clearedByOnes(const Facts& facts, const Names& names, InstanceIndex instance, RegisterIndex reg,
                                std::uint32_t beside)
{
    std::vector<Code> out;
    const std::vector<Field>& fields = facts.device.blockOf(instance).registers[size_t(reg)].fields;
    for (size_t f = 0; f < fields.size(); ++f)
        if (fields[f].access == Field::Access::WriteOneToClear && !(fields[f].mask() & beside))
            out.push_back(code("{}", fieldMacro(facts, names, {instance, reg, int(f)})));
    return out;
}

void writeRole(Writer& w, InstanceIndex instance, std::string_view role, const Code& value, int indent)
{
    const Device& device = w.facts.device;
    const FieldRef ref = device.roleField(instance, role);
    const Register& reg = device.registerOf(ref);
    const Field& field = device.fieldOf(ref);
    const Code margin = Code::trusted(std::string(size_t(indent), ' '));
    const Code place = roleRegister(w.facts, w.names, instance, role);
    const Word macro = fieldMacro(w.facts, w.names, ref);
    const Code put = field.width == 1                         ? code("({} != 0u ? {} : 0u)", value, macro)
                     : field.lsb == 0 && field.pieces.empty() ? value
                                                              : code("{}_AT({})", macro, value);
    std::uint32_t kept = 0, keys = 0;
    for (const Field& other : reg.fields) {
        if (&other == &field)
            continue;
        kept |= other.keepsWrites() ? other.mask() : 0;
        keys |= other.access == Field::Access::Key ? other.at(other.key) : 0;
    }
    const Code key = keys ? code(" | 0x{:08X}u", keys) : Code();
    if (kept == 0) {
        w.linef("{}{}", margin,
                registerPut(w.facts, w.names, instance, ref.reg,
                            narrowed(reg, keys || reg.width < 32 ? code("{}{}", put, key) : put)));
        return;
    }
    std::vector<Code> off{code("{}", macro)};
    for (Code& flag : clearedByOnes(w.facts, w.names, instance, ref.reg, field.mask()))
        off.push_back(std::move(flag));
    w.linef("{}{}", margin,
            registerPut(w.facts, w.names, instance, ref.reg,
                        narrowed(reg, code("({} & ~({})) | {}{}", place, joinedCode(off, " | "), put, key))));
}

void writeRoleCode(Writer& w, InstanceIndex instance, std::string_view role, std::uint32_t value, int indent)
{
    const Device& device = w.facts.device;
    const FieldRef ref = device.roleField(instance, role);
    const std::vector<Field>& fields = device.registerOf(ref).fields;
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
    struct Flags {
        std::vector<Code> ones, zeroes, plain;
        Code place;
        bool read = false;
    };
    std::map<int, Flags> byRegister;
    for (const FieldRef& ref : refs) {
        Flags& flags = byRegister[ref.reg];
        flags.place = registerValue(w.facts, w.names, instance, ref.reg);
        const Code macro = code("{}", fieldMacro(w.facts, w.names, ref));
        switch (device.fieldOf(ref).access) {
        case Field::Access::WriteOneToClear:
            flags.ones.push_back(macro);
            break;
        case Field::Access::WriteZeroToClear:
            flags.zeroes.push_back(macro);
            break;
        case Field::Access::ReadToClear:
            flags.read = true;
            break;
        case Field::Access::ReadWrite:
            flags.plain.push_back(macro);
            break;
        default: // hardware alone decides
            break;
        }
    }
    for (const auto& [at, flags] : byRegister) {
        const Register& reg = device.blockOf(instance).registers[size_t(at)];
        std::uint32_t kept = 0;
        for (const Field& field : reg.fields)
            kept |= field.keepsWrites() ? field.mask() : 0;
        const auto put = [&, at = at](const Code& value) { return registerPut(w.facts, w.names, instance, at, value); };
        if (flags.read)
            w.linef("{}(void){}; /* cleared by reading */", margin, flags.place);
        if (!flags.ones.empty() && kept == 0)
            w.linef("{}{} /* cleared by writing a one */", margin, put(narrowed(reg, joinedCode(flags.ones, " | "))));
        else if (!flags.ones.empty()) {
            std::vector<Code> others = clearedByOnes(w.facts, w.names, instance, at, 0);
            w.linef("{}{} /* cleared by writing a one */", margin,
                    put(narrowed(reg, code("({} & ~({})) | {}", flags.place, joinedCode(others, " | "),
                                           joinedCode(flags.ones, " | ")))));
        }
        if (!flags.zeroes.empty() && kept == 0)
            w.linef("{}{} /* cleared by writing a zero, ones leave the others */", margin,
                    put(narrowed(reg, code("~({})", joinedCode(flags.zeroes, " | ")))));
        else if (!flags.zeroes.empty()) {
            // Flags that come between reading and writing back must get ones.
            std::vector<Code> stay;
            for (size_t f = 0; f < reg.fields.size(); ++f)
                if (reg.fields[f].access == Field::Access::WriteZeroToClear)
                    stay.push_back(code("{}", fieldMacro(w.facts, w.names, {instance, at, int(f)})));
            w.linef("{}{} /* cleared by writing a zero, ones leave the others */", margin,
                    put(narrowed(reg, code("({} | {}) & ~({})", flags.place, joinedCode(stay, " | "),
                                           joinedCode(flags.zeroes, " | ")))));
        }
        if (!flags.plain.empty())
            w.linef("{}{}", margin,
                    put(narrowed(reg, code("{} & ~({})", flags.place, joinedCode(flags.plain, " | ")))));
    }
}

void takeFlag(Writer& w, InstanceIndex instance, const std::string& role)
{
    w.linef("    if (({} & {}) == 0u) {{", roleRegister(w.facts, w.names, instance, role),
            roleMacro(w.facts, w.names, instance, role));
    w.line("        return false;");
    w.line("    }");
    // Reading has cleared one of the other sort.
    if (w.facts.device.fieldOf(w.facts.device.roleField(instance, role)).access != Field::Access::ReadToClear)
        clearFlags(w, instance, {role}, 4);
}

Code countsBetween(std::uint64_t counts)
{
    return counts > 0xFFFFFFFFu ? Code::trusted("now - last")
                                : code("now >= last ? now - last : now + {}u - last", counts);
}

} // namespace bindrel
