// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/field_access.h"
#include "core/kinds/gpio/gpio.h"

namespace bindrel {

namespace {

const PadSetup* setupOf(const Facts& f, size_t need)
{
    for (const PadSetup& setup : f.pads)
        if (setup.need == static_cast<int>(need))
            return &setup;
    return nullptr;
}

} // namespace

void declareGpio(Writer& w, size_t need)
{
    const PadSetup* setup = setupOf(w.facts, need);
    const Word name = w.names.need(need);
    if (setup->output) {
        w.comment("Drives the pad.");
        w.linef("void {}_set(bool high);", name);
    }
    w.comment("Level at the pad.");
    w.linef("bool {}_is_high(void);", name);
}

void defineGpio(Writer& w, size_t need)
{
    const Facts& f = w.facts;
    const PadSetup* setup = setupOf(f, need);
    const Pad& pad = f.device.pads[size_t(setup->pad)];
    const Word name = w.names.need(need);
    const std::string n = std::to_string(pad.bit);
    const auto bit = [&](const char* role) { return roleMacro(f, w.names, pad.port, role + n); };
    const auto reg = [&](const char* role) { return roleRegister(f, w.names, pad.port, role + n); };
    if (setup->output) {
        w.line();
        w.linef("void {}_set(bool high)", name);
        w.line("{");
        // Without registers that set and clear, the level register is read and written back.
        const bool direct = f.device.roleField(pad.port, "set" + n).valid() && f.device.roleField(pad.port, "clear" + n).valid();
        w.line("    if (high) {");
        writeRoleCode(w, pad.port, (direct ? "set" : "level") + n, 1, 8);
        w.line("    } else {");
        writeRoleCode(w, pad.port, (direct ? "clear" : "level") + n, direct, 8);
        w.line("    }");
        w.line("}");
    }
    w.line();
    w.linef("bool {}_is_high(void)", name);
    w.line("{");
    w.linef("    return ({} & {}) != 0u;", reg("input"), bit("input"));
    w.line("}");
}

} // namespace bindrel
