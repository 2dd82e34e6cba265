// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/i2c/i2c.h"
#include "core/quantity/format.h"

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

    w.line();
    w.comment("One step on the bus: waits until the byte is through; false when it was not, or was not acknowledged.");
    w.linef("static bool {}_step(uint32_t command)", name);
    w.line("{");
    w.linef("    {} = {} | {} | {};", reg("done"), bit("done"), bit("nacked"), bit("lost"));
    w.linef("    {} = command;", reg("start"));
    w.linef("    if (!{}(&{}, {}, {}, 10000u * {})) {{", w.names.name("wait"), reg("done"), bit("done"), bit("done"), w.names.macro("WAIT_PASSES_PER_US"));
    w.line("        return false;");
    w.line("    }");
    w.linef("    return ({} & ({} | {})) == 0u;", reg("done"), bit("nacked"), bit("lost"));
    w.line("}");
    w.line();
    w.linef("{} {}_write(uint8_t address, const uint8_t *bytes, uint32_t count)", status, name);
    w.line("{");
    w.linef("    {} = (uint32_t)address << 1;", reg("data"));
    w.linef("    bool going = {}_step({});", name, bit("start"));
    w.line("    for (uint32_t i = 0u; going && i < count; i++) {");
    w.linef("        {} = bytes[i];", reg("data"));
    w.linef("        going = {}_step(0u);", name);
    w.line("    }");
    w.linef("    const bool ended = {}_step({});", name, bit("stop"));
    w.linef("    return going && ended ? {} : {};", ok, bad);
    w.line("}");
    w.line();
    w.linef("{} {}_read(uint8_t address, uint8_t *bytes, uint32_t count)", status, name);
    w.line("{");
    w.linef("    {} = ((uint32_t)address << 1) | 1u;", reg("data"));
    w.linef("    bool going = {}_step({});", name, bit("start"));
    w.line("    for (uint32_t i = 0u; going && i < count; i++) {");
    w.comment("The last byte is not acknowledged, so that the device lets go of the bus.", 8);
    w.linef("        going = {}_step(i + 1u < count ? {} : ({} | {}));", name, bit("read"), bit("read"), bit("nack"));
    w.linef("        bytes[i] = (uint8_t){};", reg("data"));
    w.line("    }");
    w.linef("    const bool ended = {}_step({});", name, bit("stop"));
    w.linef("    return going && ended ? {} : {};", ok, bad);
    w.line("}");
}

} // namespace bindrel
