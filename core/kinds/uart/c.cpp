// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/uart/uart.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"

#include <algorithm>

namespace bindrel {

/// Whether an interrupt takes received bytes into memory.
static bool takesIn(const Setting& setting)
{
    return std::any_of(setting.events.begin(), setting.events.end(),
                       [](const NeedEvent& event) { return event.function == "take_in"; });
}

void declareUart(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const Setting& setting = f.settings[need];
    const Word name = w.names.need(need);
    const Word NAME = w.names.NEED(need);
    const ClockIndex kernel = setting.kernel;
    const std::int64_t divider = setting.role("divider").value_or(1);
    // A chip with a single choice has no role for it.
    const std::int64_t samples =
        setting.role("oversampling")
            .value_or(f.device.ability(w.facts.bindings.needs[need].instance, "oversampling", 16));
    const std::int64_t unit = dividerUnit(f.device, w.facts.bindings.needs[need].instance);
    // From the C constant, which is rounded down where the rate is no whole number: the assert must hold with that.
    const Rational baud =
        Rational(f.rates.clocks[size_t(kernel)].rate.value.floor()) * unit / (Rational(samples) * divider);
    const UartGoals& g = goalsOf<UartGoals>(f.plan.needs[need]);
    const Word kernelHz = rateMacro(f, w.names, kernel);
    w.comment(fmt::format("Asked for {}, achieved {} ({}).", formatBaud(g.baud), formatBaud(Frequency(baud)),
                          format(errorOf(Frequency(baud), g.baud), true)));
    w.linef("#define {}_BAUD {}u", NAME, baud.round());
    w.linef("#define {}_DIVIDER {}u {}", NAME, divider,
            cComment(fmt::format("in 1/{} of {} samples a bit", unit, samples)));
    w.linef("_Static_assert(((uint64_t){0} * {1}u + {2}u * {3}_DIVIDER / 2u) / ({2}u * {3}_DIVIDER) == {3}_BAUD,",
            kernelHz, unit, samples, NAME);
    w.linef("               {});", cString(w.names.needs[need].text() + " baud from its clock"));
    w.line();
    if (g.sends && !setting.moves("TX")) {
        const std::int64_t frame = g.frame.toStop() - 1 + g.frame.stop;
        w.linef("#define {}_BYTE_US {}u {}", NAME, (Rational(2 * frame) / baud * 1'000'000).ceil(),
                cComment("two frames: in this time there is room for a byte"));
        w.comment(g.handshake ? "Sends one byte when there is room; false when there was none for two frames, as when "
                                "the other end holds the line (CTS)."
                              : "Sends one byte when there is room; false when there was none for two frames.");
        w.linef("bool {}_send(uint8_t byte);", name);
        w.comment("The same for several; stops at the first that is not sent and gives how many were.");
        w.linef("uint32_t {}_send_bytes(const uint8_t *bytes, uint32_t count);", name);
    }
    const auto has = [&](const char* role) {
        return f.device.roleField(f.bindings.needs[need].instance, role).valid();
    };
    if (g.sends && has("send_break")) {
        w.comment("Holds the line low for longer than a frame, after what is on its way.");
        w.linef("void {}_send_break(void);", name);
    }
    if (g.receives && has("break_seen")) {
        w.comment("Whether the other end has done so since this was last asked.");
        w.linef("bool {}_break_seen(void);", name);
    }
    if (g.receives && !setting.moves("RX")) {
        w.comment(!takesIn(setting) ? "Takes one byte when there is one."
                                    : "Takes the oldest byte that the interrupt has taken in, when there is one.");
        w.linef("bool {}_receive(uint8_t *byte);", name);
        if (takesIn(setting)) {
            w.comment("Bytes that came while there was no room, since start.");
            w.linef("uint32_t {}_lost(void);", name);
        }
    }
}

void defineUart(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const Setting& setting = f.settings[need];
    const UartGoals& g = goalsOf<UartGoals>(f.plan.needs[need]);
    const InstanceIndex instance = w.facts.bindings.needs[need].instance;
    const Word name = w.names.need(need);
    const auto bit = [&](const char* role) { return roleMacro(f, w.names, instance, role); };
    const auto reg = [&](const char* role) { return roleRegister(f, w.names, instance, role); };
    if (g.sends && !setting.moves("TX")) {
        w.line();
        w.linef("bool {}_send(uint8_t byte)", name);
        w.line("{");
        w.linef("    if (!{}) {{", waitForRole(w, instance, "transmit_empty", code("{}", bit("transmit_empty")),
                                               code("{}_BYTE_US", w.names.NEED(need))));
        w.line("        return false;");
        w.line("    }");
        writeRole(w, instance, "data", Code::trusted("byte"), 4);
        w.line("    return true;");
        w.line("}");
        w.line();
        w.linef("uint32_t {}_send_bytes(const uint8_t *bytes, uint32_t count)", name);
        w.line("{");
        w.line("    uint32_t sent = 0u;");
        w.linef("    while (sent < count && {}_send(bytes[sent])) {{", name);
        w.line("        sent++;");
        w.line("    }");
        w.line("    return sent;");
        w.line("}");
    }
    if (g.sends && f.device.roleField(instance, "send_break").valid()) {
        w.line();
        w.linef("void {}_send_break(void)", name);
        w.line("{");
        writeRoleCode(w, instance, "send_break", 1, 4);
        w.line("}");
    }
    if (g.receives && f.device.roleField(instance, "break_seen").valid()) {
        w.line();
        w.linef("bool {}_break_seen(void)", name);
        w.line("{");
        takeFlag(w, instance, "break_seen");
        w.line("    return true;");
        w.line("}");
    }
    if (g.receives && takesIn(setting)) {
        w.line();
        w.comment("The interrupt alone moves the head, the program alone the tail.");
        w.line("static volatile uint8_t waiting[64];");
        w.line("static volatile uint32_t head, tail, lost;");
        w.line();
        w.linef("void {}_take_in(void)", name);
        w.line("{");
        w.linef("    const uint8_t byte = (uint8_t){};", readRole(w, instance, "data"));
        w.line("    const uint32_t next = (head + 1u) % 64u;");
        w.line("    if (next == tail) {");
        w.line("        lost = lost + 1u;");
        w.line("        return;");
        w.line("    }");
        w.line("    waiting[head] = byte;");
        w.line("    head = next;");
        w.line("}");
        w.line();
        w.linef("bool {}_receive(uint8_t *byte)", name);
        w.line("{");
        w.line("    if (tail == head) {");
        w.line("        return false;");
        w.line("    }");
        w.line("    *byte = waiting[tail];");
        w.line("    tail = (tail + 1u) % 64u;");
        w.line("    return true;");
        w.line("}");
        w.line();
        w.linef("uint32_t {}_lost(void)", name);
        w.line("{");
        w.line("    return lost;");
        w.line("}");
    } else if (g.receives && !setting.moves("RX")) {
        w.line();
        w.linef("bool {}_receive(uint8_t *byte)", name);
        w.line("{");
        w.linef("    if (({} & {}) == 0u) {{", reg("receive_full"), bit("receive_full"));
        w.line("        return false;");
        w.line("    }");
        w.linef("    *byte = (uint8_t){};", readRole(w, instance, "data"));
        w.line("    return true;");
        w.line("}");
    }
}

} // namespace bindrel
