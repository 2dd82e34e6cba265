// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/i2c/i2c.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"

#include <algorithm>
#include <map>

namespace bindrel {

namespace {

void declareTarget(Writer& w, NeedIndex need)
{
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    w.linef("#define {}_ADDRESS 0x{:02X}u", NAME, goalsOf<I2cGoals>(w.facts.plan.needs[need]).address);
    w.line();
    w.comment("Bus events of a target.");
    w.linef("enum {}_happening {{", name);
    for (const auto& [word, about] : {std::pair{WordLiteral("NOTHING"), "no more"},
                                      {WordLiteral("CALLED"), "addressed; a transfer begins"},
                                      {WordLiteral("BYTE_CAME"), "read it"},
                                      {WordLiteral("BYTE_WANTED"), "provide the next"},
                                      {WordLiteral("ENDED"), "the transfer is over"}})
        w.linef("    {}_{}, {}", NAME, word, cComment(about));
    w.line("};");
    w.comment("The next event; the controller waits until a byte is read or provided.");
    w.linef("enum {0}_happening {0}_happened(void);", name);
    w.linef("uint8_t {}_take(void);", name);
    w.linef("void {}_give(uint8_t byte);", name);
}

void defineTarget(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    w.line();
    w.linef("enum {0}_happening {0}_happened(void)", name);
    w.line("{");
    // In the order in which they come in a transfer: bytes belong to the call before them and lie before the end.
    for (const auto& [role, word, taken] : {std::tuple{"called", WordLiteral("CALLED"), true},
                                            {"byte_came", WordLiteral("BYTE_CAME"), false},
                                            {"byte_wanted", WordLiteral("BYTE_WANTED"), false},
                                            {"ended", WordLiteral("ENDED"), true}}) {
        w.linef("    if (({} & {}) != 0u) {{", roleRegister(f, w.names, instance, role),
                roleMacro(f, w.names, instance, role));
        if (taken)
            forgetFlag(w, instance, role, 8);
        w.linef("        return {}_{};", NAME, word);
        w.line("    }");
    }
    w.linef("    return {}_NOTHING;", NAME);
    w.line("}");
    w.line();
    w.linef("uint8_t {}_take(void)", name);
    w.line("{");
    w.linef("    return (uint8_t){};", readRole(w, instance, "data"));
    w.line("}");
    w.line();
    w.linef("void {}_give(uint8_t byte)", name);
    w.line("{");
    writeRole(w, instance, "data", Code::trusted("byte"), 4);
    w.line("}");
}

} // namespace

void declareI2c(Writer& w, NeedIndex need)
{
    if (goalsOf<I2cGoals>(w.facts.plan.needs[need]).target) {
        declareTarget(w, need);
        return;
    }
    const I2cGoals& g = goalsOf<I2cGoals>(w.facts.plan.needs[need]);
    const Setting& setting = w.facts.settings[need];
    const Word name = w.names.need(need);
    const WordLiteral address = g.tenBits ? WordLiteral("uint16_t") : WordLiteral("uint8_t");
    if (const Achieved* rate = setting.goal("rate"))
        w.comment(fmt::format("SCL {}, maximum requested {}: {}.", rate->achieved, rate->wanted, rate->formula));
    w.linef("#define {}_STRETCH_US {}u {}", w.names.NEED(need),
            std::clamp<std::int64_t>((g.patience.value * 1'000'000).ceil(), 1, 10'000'000),
            cComment("maximum clock stretching by a device"));
    w.line();
    w.comment(fmt::format("Transfers to a {}-bit address; each byte has a timeout. {}: no device answered, or it takes "
                          "no more bytes; {}: another controller owns the bus.",
                          g.tenBits ? 10 : 7, w.names.macro("NOT_ACKNOWLEDGED").text(),
                          w.names.macro("ARBITRATION_LOST").text()));
    w.linef("enum {0}_status {1}_write({2} address, const uint8_t *bytes, uint32_t count);", w.names.prefix, name,
            address);
    w.linef("enum {0}_status {1}_read({2} address, uint8_t *bytes, uint32_t count);", w.names.prefix, name, address);
    w.comment("Writes, then reads after a repeated start: how registers of a device are read.");
    w.linef("enum {0}_status {1}_write_read({2} address, const uint8_t *out, uint32_t out_count, uint8_t *in, uint32_t "
            "in_count);",
            w.names.prefix, name, address);
    if (w.facts.device.roleField(w.facts.bindings.needs[need].instance, "clear_bus").valid()) {
        w.comment("Frees a bus whose SDA is held low by a device: nine clocks and a stop condition.");
        w.linef("enum {0}_status {1}_recover(void);", w.names.prefix, name);
    }
}

namespace {

/// The functions of a controller: one step on the bus, and the transfers that are made of steps.
class ControllerWriter {
public:
    ControllerWriter(Writer& writer, NeedIndex need)
        : w(writer), f(w.facts), g(goalsOf<I2cGoals>(f.plan.needs[need])), instance(f.bindings.needs[need].instance),
          name(w.names.need(need)), NAME(w.names.NEED(need)), ok(w.names.macro("OK")),
          timeout(w.names.macro("TIMEOUT_TRANSFER")), notAcknowledged(w.names.macro("NOT_ACKNOWLEDGED")),
          lost(w.names.macro("ARBITRATION_LOST")), status(code("enum {}", w.names.name("status"))),
          address(g.tenBits ? WordLiteral("uint16_t") : WordLiteral("uint8_t"))
    {
        // Commands that have a register to themselves are given as its bits; others are numbered here, and the step
        // sees to where they lie.
        std::uint32_t all = 0, besides = 0;
        const FieldRef start = f.device.roleField(instance, "start");
        for (const char* role : {"start", "stop", "read", "nack"}) {
            const FieldRef ref = f.device.roleField(instance, role);
            direct = direct && ref.reg == start.reg;
            all |= f.device.fieldOf(ref).mask();
            commands.emplace_back(role, NAME + "_DO_" + Word::spelled(role).upper());
        }
        for (const Field& field : f.device.registerOf(start).fields)
            besides |= field.access != Field::Access::ReadOnly && !(field.mask() & all) ? field.mask() : 0;
        direct = direct && besides == 0;
    }

    void define()
    {
        defineStep();
        defineBegin();
        defineEnd();
        defineTransfers();
        if (f.device.roleField(instance, "clear_bus").valid())
            defineRecovery();
    }

private:
    Word bit(const char* role) const { return roleMacro(f, w.names, instance, role); }

    /// The word for a command that step() takes.
    Word doing(const char* role) const
    {
        if (direct)
            return bit(role);
        return std::find_if(commands.begin(), commands.end(),
                            [role](const auto& c) { return std::string_view(c.first) == role; })
            ->second;
    }

    void defineStep()
    {
        w.line();
        for (size_t i = 0; i < commands.size() && !direct; ++i)
            w.linef("#define {} {}u", commands[i].second, 1u << i);
        if (!direct)
            w.line();
        w.comment("One step on the bus: waits until the byte is done.");
        w.linef("static {} {}_step(uint32_t command)", status, name);
        w.line("{");
        clearFlags(w, instance, {"done", "nacked", "lost"}, 4);
        giveCommand();
        w.linef("    if (!{}) {{",
                waitForRole(w, instance, "done", code("{}", bit("done")), code("{}_STRETCH_US", NAME)));
        w.linef("        return {};", timeout);
        w.line("    }");
        w.linef("    if ({} != 0u) {{", readRole(w, instance, "lost"));
        w.linef("        return {};", lost);
        w.line("    }");
        w.linef("    return {} != 0u ? {} : {};", readRole(w, instance, "nacked"), notAcknowledged, ok);
        w.line("}");
    }

    void giveCommand()
    {
        if (direct) {
            const Register& shape = f.device.registerOf(f.device.roleField(instance, "start"));
            w.linef("    {}", putRegisterOf(w, instance, "start", narrowed(shape, Code::trusted("command"))));
            return;
        }
        std::map<int, std::vector<const char*>> byRegister;
        for (const auto& [role, word] : commands)
            byRegister[f.device.roleField(instance, role).reg].push_back(role);
        // The register with the start bit last: it sets the others off.
        for (auto it = byRegister.rbegin(); it != byRegister.rend(); ++it)
            giveCommandIn(it->first, it->second);
    }

    /// What of a command lies in one register, whose other fields stay.
    void giveCommandIn(RegisterIndex at, const std::vector<const char*>& roles)
    {
        const Register& shape = f.device.blockOf(instance).registers[at];
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
            terms.insert(terms.begin(), code("({} & ~({}))", roleRegister(f, w.names, instance, roles.front()),
                                             joinedCode(off, " | ")));
        w.linef("    {}", putRegisterOf(w, instance, roles.front(), narrowed(shape, joinedCode(terms, " | "))));
    }

    void defineBegin()
    {
        w.line();
        w.comment(g.tenBits
                      ? "A start condition and the address: 11110, its upper two bits and whether is read; then the "
                        "lower eight, which a repeated start for reading leaves out."
                      : "A start condition, the address, and whether is read.");
        w.linef("static {} {}_begin({} address, bool read)", status, name, address);
        w.line("{");
        if (g.tenBits) {
            w.line("    const uint32_t head = 0xF0u | ((uint32_t)address >> 7 & 6u);");
            writeRole(w, instance, "data", Code::trusted("head"), 4);
            w.linef("    {} result = {}_step({});", status, name, doing("start"));
            w.linef("    if (result != {}) {{", ok);
            w.line("        return result;");
            w.line("    }");
            writeRole(w, instance, "data", Code::trusted("((uint32_t)address & 0xFFu)"), 4);
            w.linef("    result = {}_step(0u);", name);
            w.linef("    if (result != {} || !read) {{", ok);
            w.line("        return result;");
            w.line("    }");
            writeRole(w, instance, "data", Code::trusted("(head | 1u)"), 4);
        } else {
            writeRole(w, instance, "data", Code::trusted("(((uint32_t)address << 1 & 0xFEu) | (read ? 1u : 0u))"), 4);
        }
        w.linef("    return {}_step({});", name, doing("start"));
        w.line("}");
    }

    void defineEnd()
    {
        w.line();
        w.comment("A stop condition frees the bus; not if another controller has won arbitration.");
        w.linef("static {0} {1}_end({0} result)", status, name);
        w.line("{");
        w.linef("    if (result == {}) {{", lost);
        w.line("        return result;");
        w.line("    }");
        w.linef("    const {} ended = {}_step({});", status, name, doing("stop"));
        w.linef("    return result != {0} || ended != {1} ? result : ended;", ok, timeout);
        w.line("}");
    }

    void defineTransfers()
    {
        w.line();
        w.linef("{} {}_write_read({} address, const uint8_t *out, uint32_t out_count, uint8_t *in, uint32_t in_count)",
                status, name, address);
        w.line("{");
        w.linef("    {} result = {};", status, ok);
        w.line("    if (out_count > 0u || in_count == 0u) {");
        w.linef("        result = {}_begin(address, false);", name);
        w.linef("        for (uint32_t i = 0u; result == {} && i < out_count; i++) {{", ok);
        writeRole(w, instance, "data", Code::trusted("out[i]"), 12);
        w.linef("            result = {}_step(0u);", name);
        w.line("        }");
        w.line("    }");
        w.linef("    if (result == {} && in_count > 0u) {{", ok);
        w.linef("        result = {}_begin(address, true);", name);
        w.linef("        for (uint32_t i = 0u; result == {} && i < in_count; i++) {{", ok);
        w.comment("The controller itself does not acknowledge the last byte, so that the device releases the bus.", 12);
        w.line("            const bool last = i + 1u == in_count;");
        w.linef("            result = {}_step(last ? ({} | {}) : {});", name, doing("read"), doing("nack"),
                doing("read"));
        w.linef("            if (last && result == {}) {{", notAcknowledged);
        w.linef("                result = {};", ok);
        w.line("            }");
        w.linef("            in[i] = (uint8_t){};", readRole(w, instance, "data"));
        w.line("        }");
        w.line("    }");
        w.linef("    return {}_end(result);", name);
        w.line("}");
        w.line();
        w.linef("{} {}_write({} address, const uint8_t *bytes, uint32_t count)", status, name, address);
        w.line("{");
        w.linef("    return {}_write_read(address, bytes, count, (uint8_t *)0, 0u);", name);
        w.line("}");
        w.line();
        w.linef("{} {}_read({} address, uint8_t *bytes, uint32_t count)", status, name, address);
        w.line("{");
        w.linef("    return {}_write_read(address, (const uint8_t *)0, 0u, bytes, count);", name);
        w.line("}");
    }

    void defineRecovery()
    {
        w.line();
        w.linef("{} {}_recover(void)", status, name);
        w.line("{");
        clearFlags(w, instance, {"done", "nacked", "lost"}, 4);
        writeRoleCode(w, instance, "clear_bus", 1, 4);
        w.linef("    return {} ? {} : {};",
                waitForRole(w, instance, "done", code("{}", bit("done")), code("{}_STRETCH_US", NAME)), ok, timeout);
        w.line("}");
    }

    Writer& w;
    const Facts& f;
    const I2cGoals& g;
    const InstanceIndex instance;
    const Word name, NAME, ok, timeout, notAcknowledged, lost;
    const Code status;
    const WordLiteral address; ///< type of an address
    std::vector<std::pair<const char*, Word>> commands;
    bool direct = true; ///< a command is the bits of its register
};

} // namespace

void defineI2c(Writer& w, NeedIndex need)
{
    if (goalsOf<I2cGoals>(w.facts.plan.needs[need]).target)
        defineTarget(w, need);
    else
        ControllerWriter(w, need).define();
}

} // namespace bindrel
