// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"

#include <algorithm>

namespace bindrel {

namespace {

/// Whether the block has a buffer to send from and one to take from.
bool hasFrames(const Facts& f, NeedIndex need)
{
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const auto has = [&](const char* role) { return f.device.roleField(instance, role).valid(); };
    return std::all_of(kCanFrameRoles.begin(), kCanFrameRoles.end(), has);
}

/// Four bytes as the word that holds them, the first lowest.
Code word(const char* bytes, int first)
{
    return code("((uint32_t){0}[{1}] | (uint32_t){0}[{2}] << 8 | (uint32_t){0}[{3}] << 16 | (uint32_t){0}[{4}] << 24)",
                Code::trusted(bytes), first, first + 1, first + 2, first + 3);
}

bool isLong(const Facts& f, NeedIndex need)
{
    return canBytes(f.device, f.bindings.needs[need].instance, f.plan.needs[need]) > 8;
}

/// What the codes of a length stand for (ISO 11898-1).
void defineLengths(Writer& w, NeedIndex need)
{
    w.line();
    w.comment("Payload bytes by length code.");
    w.linef("static const uint8_t {}_lengths[16] = {{0, 1, 2, 3, 4, 5, 6, 7, 8, 12, 16, 20, 24, 32, 48, 64}};",
            w.names.need(need));
}

void defineSend(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need);
    const bool extended = f.device.roleField(instance, "send_extended").valid(), flexible = isLong(f, need);
    w.line();
    w.linef("bool {0}_send(const struct {0}_frame *frame)", name);
    w.line("{");
    if (flexible) {
        w.line("    uint32_t code = 0u;");
        w.linef("    while (code < (frame->flexible ? 15u : 8u) && {}_lengths[code] != frame->length) {{", name);
        w.line("        code++;");
        w.line("    }");
    }
    const Code length =
        flexible ? code("{}_lengths[code] != frame->length", name) : Code::trusted("frame->length > 8u");
    if (extended)
        w.linef("    if ({} || frame->id > (frame->extended ? 0x1FFFFFFFu : 0x7FFu)) {{", length);
    else
        w.linef("    if ({} || frame->extended || frame->id > 0x7FFu) {{", length);
    w.line("        return false;");
    w.line("    }");
    w.linef("    if (({} & {}) == 0u) {{", roleRegister(f, w.names, instance, "send_empty"),
            roleMacro(f, w.names, instance, "send_empty"));
    w.line("        return false;");
    w.line("    }");
    writeRole(w, instance, "send_id", Code::trusted("frame->id"), 4);
    if (extended)
        writeRoleWhen(w, instance, "send_extended", Code::trusted("frame->extended"), 4);
    if (flexible) {
        writeRoleWhen(w, instance, "send_flexible", Code::trusted("frame->flexible"), 4);
        if (f.device.roleField(instance, "send_fast").valid())
            writeRoleWhen(w, instance, "send_fast", Code::trusted("frame->flexible"), 4);
    }
    writeRole(w, instance, "send_length", Code::trusted(flexible ? "code" : "frame->length"), 4);
    writeRole(w, instance, "send_low", word("frame->bytes", 0), 4);
    writeRole(w, instance, "send_high", word("frame->bytes", 4), 4);
    if (flexible) {
        w.line("    if (frame->length > 8u) {");
        for (int i = 2; i < 16; ++i)
            writeRole(w, instance, "send_word" + std::to_string(i), word("frame->bytes", 4 * i), 8);
        w.line("    }");
    }
    writeRoleCode(w, instance, "send", 1, 4);
    w.line("    return true;");
    w.line("}");
}

void defineReceive(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need);
    w.line();
    w.linef("bool {0}_receive(struct {0}_frame *frame)", name);
    w.line("{");
    w.linef("    if (({} & {}) == 0u) {{", roleRegister(f, w.names, instance, "receive_full"),
            roleMacro(f, w.names, instance, "receive_full"));
    w.line("        return false;");
    w.line("    }");
    w.linef("    frame->id = {};", readRole(w, instance, "receive_id"));
    if (f.device.roleField(instance, "receive_extended").valid())
        w.linef("    frame->extended = {} != 0u;", readRole(w, instance, "receive_extended"));
    else
        w.line("    frame->extended = false;");
    w.linef("    const uint32_t length = {};", readRole(w, instance, "receive_length"));
    const bool flexible = isLong(f, need);
    if (flexible) {
        w.linef("    frame->flexible = {} != 0u;", readRole(w, instance, "receive_flexible"));
        w.linef("    frame->length = frame->flexible || length <= 8u ? {}_lengths[length & 15u] : 8u;", name);
    } else {
        w.line("    frame->length = (uint8_t)(length > 8u ? 8u : length);");
    }
    w.linef("    const uint32_t low = {};", readRole(w, instance, "receive_low"));
    w.linef("    const uint32_t high = {};", readRole(w, instance, "receive_high"));
    w.line("    for (uint32_t i = 0u; i < 4u; i++) {");
    w.line("        frame->bytes[i] = (uint8_t)(low >> (8u * i));");
    w.line("        frame->bytes[4u + i] = (uint8_t)(high >> (8u * i));");
    w.line("    }");
    if (flexible) {
        w.line("    if (frame->length > 8u) {");
        w.line("        const uint32_t words[14] = {");
        for (int i = 2; i < 16; ++i)
            w.linef("            {},", readRole(w, instance, "receive_word" + std::to_string(i)));
        w.line("        };");
        w.line("        for (uint32_t i = 8u; i < frame->length; i++) {");
        w.line("            frame->bytes[i] = (uint8_t)(words[i / 4u - 2u] >> (8u * (i % 4u)));");
        w.line("        }");
        w.line("    }");
    }
    writeRoleCode(w, instance, "receive_next", 1, 4);
    w.line("    return true;");
    w.line("}");
}

} // namespace

void declareCan(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const Setting& setting = f.settings[need];
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    const std::int64_t quanta = 1 + setting.role("propagation").value_or(0) + setting.role("segment1").value_or(0) +
                                setting.role("segment2").value_or(0);
    const std::int64_t prescaler = setting.role("prescaler").value_or(1);
    w.comment(fmt::format("{}; sample point {}. {}",
                          setting.goal("rate")->formula + " = " + setting.goal("rate")->achieved,
                          setting.goal("sample")->achieved,
                          hasFrames(f, need) ? "Use send and receive for frames."
                                             : "The program must put frames into its message memory."));
    w.linef("#define {}_PRESCALER {}u", NAME, prescaler);
    w.linef("#define {}_QUANTA {}u {}", NAME, quanta, cComment("a bit"));
    w.linef("#define {}_BITS_PER_SECOND {}u", NAME,
            (Rational(f.rates.clocks[setting.kernel].rate.value.floor()) / (prescaler * quanta)).floor());
    w.check(
        code("{0} / ({1}_PRESCALER * {1}_QUANTA) == {1}_BITS_PER_SECOND", rateMacro(f, w.names, setting.kernel), NAME),
        cString(w.names.needs[need].text() + " bit rate from its clock"));
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const CanFilterPlan filters = canFilterPlan(f.device, instance, f.plan.needs[need]);
    if (!filters.filters.filters.empty())
        w.comment(filters.filters.more == 0 ? "Only frames with the planned identifiers are received."
                                            : "Frames with the planned identifiers are received, and some others that "
                                              "the filters cannot reject: check the identifier.");
    if (hasFrames(f, need)) {
        w.line();
        w.linef("struct {}_frame {{", name);
        w.line("    uint32_t id;      /* of 11 bits, or of 29 */");
        w.line("    bool extended;    /* of 29 bits */");
        if (isLong(f, need)) {
            w.line("    bool flexible;    /* its data goes at the data rate, and may be long */");
            w.line("    uint8_t length;   /* 0 to 8; of a flexible one also 12, 16, 20, 24, 32, 48, 64 */");
            w.line("    uint8_t bytes[64];");
        } else {
            w.line("    uint8_t length;   /* 0 to 8 */");
            w.line("    uint8_t bytes[8];");
        }
        w.line("};");
        if (!goalIs(f.plan.needs[need], "listen", "yes")) {
            w.comment("Queues a frame; false if there is no room yet, or the frame is invalid.");
            w.linef("bool {0}_send(const struct {0}_frame *frame);", name);
        }
        w.comment("Reads the oldest received frame, if any.");
        w.linef("bool {0}_receive(struct {0}_frame *frame);", name);
    }
    if (!f.device.roleField(instance, "off_bus").valid())
        return;
    w.line();
    w.comment("True if the controller is bus-off after too many errors; stop and start bring it back after 128 times "
              "11 recessive bits.");
    w.linef("bool {}_off_bus(void);", name);
}

void defineCan(Writer& w, NeedIndex need)
{
    const InstanceIndex instance = w.facts.bindings.needs[need].instance;
    if (hasFrames(w.facts, need)) {
        if (isLong(w.facts, need))
            defineLengths(w, need);
        if (!goalIs(w.facts.plan.needs[need], "listen", "yes"))
            defineSend(w, need);
        defineReceive(w, need);
    }
    if (!w.facts.device.roleField(instance, "off_bus").valid())
        return;
    w.line();
    w.linef("bool {}_off_bus(void)", w.names.need(need));
    w.line("{");
    w.linef("    return ({} & {}) != 0u;", roleRegister(w.facts, w.names, instance, "off_bus"),
            roleMacro(w.facts, w.names, instance, "off_bus"));
    w.line("}");
}

} // namespace bindrel
