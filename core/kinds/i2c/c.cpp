// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/i2c/i2c.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"

#include <algorithm>
#include <map>

namespace bindrel {

void declareI2c(Writer& w, size_t need)
{
    const Setting& setting = w.facts.settings[need];
    const Word name = w.names.need(need);
    if (const Achieved* rate = setting.goal("rate"))
        w.comment(fmt::format("Clock {} for at most {}: {}.", rate->achieved, rate->wanted, rate->formula));
    w.comment("Transfers to the 7-bit address; each byte is waited for with a time-out. Return what went wrong, or success.");
    w.linef("enum {0}_status {1}_write(uint8_t address, const uint8_t *bytes, uint32_t count);", w.names.prefix, name);
    w.linef("enum {0}_status {1}_read(uint8_t address, uint8_t *bytes, uint32_t count);", w.names.prefix, name);
}

void defineI2c(Writer& w, size_t need)
{
    const Facts& f = w.facts;
    const int instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need);
    const auto bit = [&](const char* role) { return roleMacro(f, w.names, instance, role); };
    const auto reg = [&](const char* role) { return roleRegister(f, w.names, instance, role); };
    const Word ok = w.names.macro("OK");
    const Word bad = w.names.macro("TIMEOUT_TRANSFER");
    const Code status = code("enum {}", w.names.name("status"));

    // Commands that have a register to themselves are given as its bits; others are numbered here, and the step sees to where they lie.
    std::uint32_t all = 0, besides = 0;
    const FieldRef start = f.device.roleField(instance, "start");
    bool direct = true;
    for (const char* role : {"start", "stop", "read", "nack"}) {
        const FieldRef ref = f.device.roleField(instance, role);
        direct = direct && ref.reg == start.reg;
        all |= f.device.fieldOf(ref).mask();
    }
    for (const Field& field : f.device.registerOf(start).fields)
        besides |= field.access != Field::Access::ReadOnly && !(field.mask() & all) ? field.mask() : 0;
    direct = direct && besides == 0;
    const std::vector<std::pair<const char*, Word>> commands{{"start", w.names.NEED(need) + "_DO_START"}, {"stop", w.names.NEED(need) + "_DO_STOP"}, {"read", w.names.NEED(need) + "_DO_READ"}, {"nack", w.names.NEED(need) + "_DO_NACK"}};
    const auto doing = [&](const char* role) { return direct ? bit(role) : std::find_if(commands.begin(), commands.end(), [role](const auto& c) { return std::string_view(c.first) == role; })->second; };
    w.line();
    for (size_t i = 0; i < commands.size() && !direct; ++i)
        w.linef("#define {} {}u", commands[i].second, 1u << i);
    if (!direct)
        w.line();
    w.comment("One step on the bus: waits until the byte is through; false when it was not, or was not acknowledged.");
    w.linef("static bool {}_step(uint32_t command)", name);
    w.line("{");
    clearFlags(w, instance, {"done", "nacked", "lost"}, 4);
    std::map<int, std::vector<const char*>> byRegister;
    if (direct)
        w.linef("    {} = {};", reg("start"), narrowed(f.device.registerOf(start), Code::trusted("command")));
    for (const auto& [role, word] : direct ? std::vector<std::pair<const char*, Word>>() : commands)
        byRegister[f.device.roleField(instance, role).reg].push_back(role);
    for (auto it = byRegister.rbegin(); it != byRegister.rend(); ++it) {
        // The register with the start bit last: it sets the others off.
        const auto& [at, roles] = *it;
        const Register& shape = f.device.blockOf(instance).registers[size_t(at)];
        std::uint32_t own = 0, kept = 0;
        for (const char* role : roles)
            own |= f.device.fieldOf(f.device.roleField(instance, role)).mask();
        for (const Field& field : shape.fields)
            kept |= field.keepsWrites() && !(field.mask() & own) ? field.mask() : 0;
        std::vector<Code> terms, off;
        for (const char* role : roles) {
            terms.push_back(code("((command & {}) != 0u ? {} : 0u)", doing(role), bit(role)));
            off.push_back(code("{}", bit(role)));
        }
        for (Code& flag : clearedByOnes(f, w.names, instance, at, own))
            off.push_back(std::move(flag));
        if (kept != 0)
            terms.insert(terms.begin(), code("({} & ~({}))", reg(roles.front()), joinedCode(off, " | ")));
        w.linef("    {} = {};", reg(roles.front()), narrowed(shape, joinedCode(terms, " | ")));
    }
    w.linef("    if (!{}(&{}, {}, {}, 10000u * {})) {{", waitName(w.names, f.device.registerOf(f.device.roleField(instance, "done"))), reg("done"), bit("done"), bit("done"), w.names.macro("WAIT_PASSES_PER_US"));
    w.line("        return false;");
    w.line("    }");
    if (f.device.roleField(instance, "nacked").reg == f.device.roleField(instance, "lost").reg)
        w.linef("    return ({} & ({} | {})) == 0u;", reg("nacked"), bit("nacked"), bit("lost"));
    else
        w.linef("    return {} == 0u && {} == 0u;", readRole(w, instance, "nacked"), readRole(w, instance, "lost"));
    w.line("}");
    w.line();
    w.linef("{} {}_write(uint8_t address, const uint8_t *bytes, uint32_t count)", status, name);
    w.line("{");
    writeRole(w, instance, "data", Code::trusted("((uint32_t)address << 1)"), 4);
    w.linef("    bool going = {}_step({});", name, doing("start"));
    w.line("    for (uint32_t i = 0u; going && i < count; i++) {");
    writeRole(w, instance, "data", Code::trusted("bytes[i]"), 8);
    w.linef("        going = {}_step(0u);", name);
    w.line("    }");
    w.linef("    const bool ended = {}_step({});", name, doing("stop"));
    w.linef("    return going && ended ? {} : {};", ok, bad);
    w.line("}");
    w.line();
    w.linef("{} {}_read(uint8_t address, uint8_t *bytes, uint32_t count)", status, name);
    w.line("{");
    writeRole(w, instance, "data", Code::trusted("(((uint32_t)address << 1) | 1u)"), 4);
    w.linef("    bool going = {}_step({});", name, doing("start"));
    w.line("    for (uint32_t i = 0u; going && i < count; i++) {");
    w.comment("The last byte is not acknowledged, so that the device lets go of the bus.", 8);
    w.linef("        going = {}_step(i + 1u < count ? {} : ({} | {}));", name, doing("read"), doing("read"), doing("nack"));
    w.linef("        bytes[i] = (uint8_t){};", readRole(w, instance, "data"));
    w.line("    }");
    w.linef("    const bool ended = {}_step({});", name, doing("stop"));
    w.linef("    return going && ended ? {} : {};", ok, bad);
    w.line("}");
}

} // namespace bindrel
