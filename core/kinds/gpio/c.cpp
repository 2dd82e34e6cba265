// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/gpio/gpio.h"
#include "core/source/field_access.h"

#include <algorithm>
#include <map>
#include <tuple>

namespace bindrel {

namespace {

/// The pads of a need in the order of its word.
std::vector<const PadSetup*> padsOf(const Facts& f, NeedIndex need)
{
    std::vector<const PadSetup*> out;
    for (const PadSetup& setup : f.pads)
        if (setup.need == static_cast<int>(need))
            out.push_back(&setup);
    std::sort(out.begin(), out.end(), [](const PadSetup* a, const PadSetup* b) { return a->seat < b->seat; });
    return out;
}

/// A level register that serves several pads is read and written back: no interrupt may change another pad between.
void beginShared(Writer& w, bool shared)
{
    if (!shared)
        return;
    w.comment("The register holds other pads too: no interrupt may change it between the read and the write.", 4);
    w.linef("    const uint32_t held = {}_interrupts_hold();", w.names.prefix);
}

void endShared(Writer& w, bool shared)
{
    if (shared)
        w.linef("    {}_interrupts_release(held);", w.names.prefix);
}

void defineWrite(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const std::vector<const PadSetup*> pads = padsOf(f, need);
    w.line();
    w.linef("void {}_write(uint32_t word)", w.names.need(need));
    w.line("{");
    // Where each port has a register that sets and one that clears, nothing between reading and writing back can be
    // lost.
    std::map<std::pair<int, int>, std::vector<size_t>> sets, clears, levels;
    for (size_t i = 0; i < pads.size(); ++i) {
        const Pad& pad = f.device.pads[pads[i]->pad];
        const std::string n = std::to_string(pad.bit);
        const FieldRef set = f.device.roleField(pad.port, "set" + n), clear = f.device.roleField(pad.port, "clear" + n),
                       level = f.device.roleField(pad.port, "level" + n);
        if (set.valid() && clear.valid()) {
            sets[{pad.port, set.reg}].push_back(i);
            clears[{pad.port, clear.reg}].push_back(i);
        } else {
            levels[{pad.port, level.reg}].push_back(i);
        }
    }
    const auto bits = [&](const std::vector<size_t>& which, const char* role, bool whenHigh) {
        std::vector<Code> terms;
        for (const size_t i : which) {
            const Pad& pad = f.device.pads[pads[i]->pad];
            const Word bit = roleMacro(f, w.names, pad.port, role + std::to_string(pad.bit));
            terms.push_back(whenHigh ? code("((word >> {}u & 1u) != 0u ? {} : 0u)", i, bit)
                                     : code("((word >> {}u & 1u) == 0u ? {} : 0u)", i, bit));
        }
        return joinedCode(terms, " | ");
    };
    for (const auto& [role, groups, whenHigh] : {std::tuple{"set", &sets, true}, {"clear", &clears, false}})
        for (const auto& [where, which] : *groups) {
            const Pad& pad = f.device.pads[pads[which.front()]->pad];
            const Register& reg = f.device.blockOf(where.first).registers[RegisterIndex(where.second)];
            w.linef("    {}", putRegisterOf(w, where.first, role + std::to_string(pad.bit),
                                            narrowed(reg, bits(which, role, whenHigh))));
        }
    beginShared(w, !levels.empty());
    for (const auto& [where, which] : levels) {
        const Pad& pad = f.device.pads[pads[which.front()]->pad];
        const Register& reg = f.device.blockOf(where.first).registers[RegisterIndex(where.second)];
        const bool keyed = std::any_of(reg.fields.begin(), reg.fields.end(),
                                       [](const Field& field) { return field.access == Field::Access::Key; });
        if (which.size() == 1 || keyed) {
            for (const size_t i : which)
                writeRole(w, where.first, "level" + std::to_string(f.device.pads[pads[i]->pad].bit),
                          code("(word >> {}u & 1u)", i), 4);
            continue;
        }
        std::vector<Code> off;
        std::uint32_t own = 0;
        for (const size_t i : which) {
            const std::string role = "level" + std::to_string(f.device.pads[pads[i]->pad].bit);
            own |= f.device.fieldOf(f.device.roleField(where.first, role)).mask();
            off.push_back(code("{}", roleMacro(f, w.names, where.first, role)));
        }
        for (Code& flag : clearedByOnes(f, w.names, where.first, where.second, own))
            off.push_back(std::move(flag));
        const Code place = roleRegister(f, w.names, where.first, "level" + std::to_string(pad.bit));
        w.linef("    {}", putRegisterOf(w, where.first, "level" + std::to_string(pad.bit),
                                        narrowed(reg, code("({} & ~({})) | {}", place, joinedCode(off, " | "),
                                                           bits(which, "level", true)))));
    }
    endShared(w, !levels.empty());
    w.line("}");
}

void defineRead(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const std::vector<const PadSetup*> pads = padsOf(f, need);
    w.line();
    w.linef("uint32_t {}_read(void)", w.names.need(need));
    w.line("{");
    // Each register is read once, so that its pads are of one moment.
    std::map<std::pair<int, int>, int> read;
    std::vector<Code> terms;
    for (size_t i = 0; i < pads.size(); ++i) {
        const Pad& pad = f.device.pads[pads[i]->pad];
        const std::string role = "input" + std::to_string(pad.bit);
        const auto [at, fresh] =
            read.try_emplace({pad.port, f.device.roleField(pad.port, role).reg}, static_cast<int>(read.size()));
        if (fresh)
            w.linef("    const uint32_t levels{} = {};", at->second, roleRegister(f, w.names, pad.port, role));
        terms.push_back(
            code("((levels{} & {}) != 0u ? 1u << {}u : 0u)", at->second, roleMacro(f, w.names, pad.port, role), i));
    }
    w.linef("    return {};", joinedCode(terms, " | "));
    w.line("}");
}

/// By the port's own toggle bit where it has one; else by what the level register says.
void defineToggle(Writer& w, const Pad& pad, const Word& name)
{
    const Device& device = w.facts.device;
    const std::string n = std::to_string(pad.bit);
    w.line();
    w.linef("void {}_toggle(void)", name);
    w.line("{");
    if (device.roleField(pad.port, "toggle" + n).valid()) {
        writeRoleCode(w, pad.port, "toggle" + n, 1, 4);
    } else {
        const bool readable =
            device.fieldOf(device.roleField(pad.port, "level" + n)).access != Field::Access::WriteOnly;
        const std::string role = (readable ? "level" : "input") + n;
        beginShared(w, true);
        w.linef("    {}_set(({} & {}) == 0u);", name, roleRegister(w.facts, w.names, pad.port, role),
                roleMacro(w.facts, w.names, pad.port, role));
        endShared(w, true);
    }
    w.line("}");
}

} // namespace

void declareGpio(Writer& w, NeedIndex need)
{
    if (goalsOf<GpioGoals>(w.facts.plan.needs[need]).width > 1) {
        if (goalsOf<GpioGoals>(w.facts.plan.needs[need]).output) {
            w.comment("Drives all pads, the first from the lowest bit; pads of one port change together.");
            w.linef("void {}_write(uint32_t word);", w.names.need(need));
        }
        w.comment("Levels at the pads.");
        w.linef("uint32_t {}_read(void);", w.names.need(need));
        return;
    }
    const PadSetup* setup = padsOf(w.facts, need).front();
    const Word name = w.names.need(need);
    if (setup->output) {
        w.comment("Drives the pad.");
        w.linef("void {}_set(bool high);", name);
        w.comment("Inverts the level that the pad is driven to.");
        w.linef("void {}_toggle(void);", name);
    }
    w.comment("Level at the pad.");
    w.linef("bool {}_is_high(void);", name);
}

void defineGpio(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    if (const GpioGoals& g = goalsOf<GpioGoals>(f.plan.needs[need]); g.width > 1) {
        if (g.output)
            defineWrite(w, need);
        defineRead(w, need);
        return;
    }
    const PadSetup* setup = padsOf(f, need).front();
    const Pad& pad = f.device.pads[setup->pad];
    const Word name = w.names.need(need);
    const std::string n = std::to_string(pad.bit);
    const auto bit = [&](const char* role) { return roleMacro(f, w.names, pad.port, role + n); };
    const auto reg = [&](const char* role) { return roleRegister(f, w.names, pad.port, role + n); };
    if (setup->output) {
        w.line();
        w.linef("void {}_set(bool high)", name);
        w.line("{");
        // Without registers that set and clear, the level register is read and written back.
        const bool direct =
            f.device.roleField(pad.port, "set" + n).valid() && f.device.roleField(pad.port, "clear" + n).valid();
        beginShared(w, !direct);
        w.line("    if (high) {");
        writeRoleCode(w, pad.port, (direct ? "set" : "level") + n, 1, 8);
        w.line("    } else {");
        writeRoleCode(w, pad.port, (direct ? "clear" : "level") + n, direct, 8);
        w.line("    }");
        endShared(w, !direct);
        w.line("}");
        defineToggle(w, pad, name);
    }
    w.line();
    w.linef("bool {}_is_high(void)", name);
    w.line("{");
    w.linef("    return ({} & {}) != 0u;", reg("input"), bit("input"));
    w.line("}");
}

} // namespace bindrel
