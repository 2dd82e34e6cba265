// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/uart/uart.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"

#include <algorithm>
#include <map>

namespace bindrel {

namespace {

/// Whether an interrupt takes received bytes into memory.
bool takesIn(const Setting& setting)
{
    return std::any_of(setting.events.begin(), setting.events.end(),
                       [](const NeedEvent& event) { return event.function == "take_in"; });
}

/// Flags of the block that tell of a byte that is not as it was sent, and of one that was lost.
struct ErrorFlags {
    std::vector<std::string> damaged, overrun;

    std::vector<std::string> all() const
    {
        std::vector<std::string> out = damaged;
        out.insert(out.end(), overrun.begin(), overrun.end());
        return out;
    }
};

ErrorFlags errorFlags(const Facts& f, NeedIndex need)
{
    const UartGoals& g = goalsOf<UartGoals>(f.plan.needs[need]);
    const InstanceIndex instance = f.bindings.needs[need].instance;
    ErrorFlags out;
    if (g.receives && g.frame.parity != UartFrame::Parity::None && f.device.roleField(instance, "parity_error").valid())
        out.damaged.push_back("parity_error");
    if (g.receives && f.device.roleField(instance, "framing_error").valid())
        out.damaged.push_back("framing_error");
    if (g.receives && f.device.roleField(instance, "overrun").valid())
        out.overrun.push_back("overrun");
    return out;
}

/// Takes a byte into `byte_in` with what is said of it: each status register is read once, before the byte.
class TakeByte {
public:
    TakeByte(Writer& w, NeedIndex need)
        : w_(w), need_(need), instance_(w.facts.bindings.needs[need].instance), flags_(errorFlags(w.facts, need))
    {
    }

    /// `nothing`: the statement where no byte has come; empty: one has.
    void write(const Code& nothing, const Code& dropped)
    {
        std::vector<std::string> roles = flags_.all();
        if (!nothing.empty())
            roles.push_back("receive_full");
        for (const std::string& role : roles)
            if (const RegisterIndex reg = w_.facts.device.roleField(instance_, role).reg; !states_.contains(reg)) {
                const Word state = Word::of(states_.empty() ? "state" : "state" + std::to_string(states_.size() + 1));
                w_.linef("    const uint32_t {} = {};", state, registerValue(w_.facts, w_.names, instance_, reg));
                states_.emplace(reg, state);
            }
        if (!nothing.empty()) {
            w_.linef("    if (({} & {}) == 0u) {{",
                     states_.at(w_.facts.device.roleField(instance_, "receive_full").reg),
                     roleMacro(w_.facts, w_.names, instance_, "receive_full"));
            w_.linef("        {}", nothing);
            w_.line("    }");
        }
        // Before the byte is taken: a flag of the next one must not be lost. A handler has forgotten it already.
        if (!nothing.empty())
            forgetFlag(w_, instance_, "receive_full", 4);
        w_.linef("    const uint8_t byte_in = (uint8_t){};", readRole(w_, instance_, "data"));
        if (!flags_.overrun.empty()) {
            w_.linef("    if ({}) {{", anyOf(flags_.overrun));
            forget(flags_.overrun);
            w_.linef("        {0} = {0} + 1u;", w_.local(need_, WordLiteral("overruns")));
            w_.line("    }");
        }
        if (!flags_.damaged.empty()) {
            w_.linef("    if ({}) {{", anyOf(flags_.damaged));
            forget(flags_.damaged);
            w_.linef("        {0} = {0} + 1u;", w_.local(need_, WordLiteral("damaged")));
            w_.linef("        {}", dropped);
            w_.line("    }");
        }
    }

private:
    Code anyOf(const std::vector<std::string>& roles) const
    {
        std::vector<Code> tests;
        for (const auto& [reg, state] : states_) {
            std::vector<Code> masks;
            for (const std::string& role : roles)
                if (w_.facts.device.roleField(instance_, role).reg == reg)
                    masks.push_back(code("{}", roleMacro(w_.facts, w_.names, instance_, role)));
            if (!masks.empty())
                tests.push_back(masks.size() == 1 ? code("({} & {}) != 0u", state, masks.front())
                                                  : code("({} & ({})) != 0u", state, joinedCode(masks, " | ")));
        }
        return joinedCode(tests, " || ");
    }

    void forget(const std::vector<std::string>& roles)
    {
        for (const std::string& role : roles)
            forgetFlag(w_, instance_, role, 8);
    }

    Writer& w_;
    NeedIndex need_;
    InstanceIndex instance_;
    ErrorFlags flags_;
    std::map<RegisterIndex, Word> states_;
};

/// Whether the program takes bytes itself or has them taken in by an interrupt: DMA fetches none.
bool takesBytes(const Facts& f, NeedIndex need)
{
    return goalsOf<UartGoals>(f.plan.needs[need]).receives && !f.settings[need].moves("RX");
}

/// Names of the variables that the functions keep.
std::vector<Word> counters(const Facts& f, NeedIndex need)
{
    std::vector<Word> out;
    if (!takesBytes(f, need))
        return out;
    if (takesIn(f.settings[need]))
        out = {WordLiteral("head"), WordLiteral("tail"), WordLiteral("lost")};
    const ErrorFlags flags = errorFlags(f, need);
    if (!flags.damaged.empty())
        out.push_back(WordLiteral("damaged"));
    if (!flags.overrun.empty())
        out.push_back(WordLiteral("overruns"));
    return out;
}

} // namespace

void declareUartState(Writer& w, NeedIndex need)
{
    const bool byInterrupt = takesIn(w.facts.settings[need]);
    const std::vector<Word> all = counters(w.facts, need);
    if (byInterrupt) {
        w.comment("Only the interrupt moves the head, and only the program moves the tail.");
        w.linef("static volatile uint8_t {}[64];", w.local(need, WordLiteral("waiting")));
    }
    for (const Word& name : all)
        w.linef("static {}uint32_t {};", byInterrupt ? Code::trusted("volatile ") : Code(), w.local(need, name));
    if (!all.empty())
        w.line();
}

void resetUartState(Writer& w, NeedIndex need)
{
    for (const Word& name : counters(w.facts, need))
        w.linef("    {} = 0u;", w.local(need, name));
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
    const Rational baud = Rational(f.rates.clocks[kernel].rate.value.floor()) * unit / (Rational(samples) * divider);
    const UartGoals& g = goalsOf<UartGoals>(f.plan.needs[need]);
    const Word kernelHz = rateMacro(f, w.names, kernel);
    w.comment(fmt::format("Requested {}, achieved {} ({}).", formatBaud(g.baud), formatBaud(Frequency(baud)),
                          format(errorOf(Frequency(baud), g.baud), true)));
    w.linef("#define {}_BAUD {}u", NAME, baud.round());
    w.linef("#define {}_DIVIDER {}u {}", NAME, divider,
            cComment(fmt::format("in 1/{} of {} samples per bit", unit, samples)));
    w.check(code("((uint64_t){0} * {1}u + {2}u * {3}_DIVIDER / 2u) / ({2}u * {3}_DIVIDER) == {3}_BAUD", kernelHz, unit,
                 samples, NAME),
            cString(w.names.needs[need].text() + " baud from its clock"));
    w.line();
    if (g.sends && !setting.moves("TX")) {
        const std::int64_t frame = g.frame.toStop() - 1 + g.frame.stop;
        w.linef("#define {}_BYTE_US {}u {}", NAME, (Rational(2 * frame) / baud * 1'000'000).ceil(),
                cComment("two frames: time limit for one byte"));
        w.comment(g.handshake ? "Sends one byte; false if there was no room for two frame times, for example because "
                                "the other end holds CTS."
                              : "Sends one byte; false if there was no room for two frame times.");
        w.linef("bool {}_send(uint8_t byte);", name);
        w.comment("Sends several bytes; stops at the first failure and returns the number sent.");
        w.linef("uint32_t {}_send_bytes(const uint8_t *bytes, uint32_t count);", name);
    }
    const auto has = [&](const char* role) {
        return f.device.roleField(f.bindings.needs[need].instance, role).valid();
    };
    if (g.sends && has("send_break")) {
        w.comment("Sends a break (line low for longer than a frame) after the bytes already queued.");
        w.linef("void {}_send_break(void);", name);
    }
    if (g.receives && has("break_seen")) {
        w.comment("True if a break was received since the last call.");
        w.linef("bool {}_break_seen(void);", name);
    }
    const ErrorFlags flags = errorFlags(f, need);
    if (takesBytes(f, need)) {
        w.comment(fmt::format("{}; false if there is none{}.",
                              takesIn(setting) ? "Reads the oldest received byte" : "Reads one byte",
                              flags.damaged.empty() || takesIn(setting) ? "" : ", or if it was damaged"));
        w.linef("bool {}_receive(uint8_t *byte);", name);
        if (takesIn(setting)) {
            w.comment("Bytes lost because the buffer was full, since start.");
            w.linef("uint32_t {}_lost(void);", name);
        }
        if (!flags.damaged.empty()) {
            w.comment(flags.damaged.size() > 1 ? "Bytes dropped because of a parity or framing error, since start."
                      : flags.damaged.front() == "parity_error"
                          ? "Bytes dropped because of a parity error, since start."
                          : "Bytes dropped because of a framing error, since start.");
            w.linef("uint32_t {}_damaged(void);", name);
        }
        if (!flags.overrun.empty()) {
            w.comment("Overruns (bytes lost because the previous one was not read in time), since start.");
            w.linef("uint32_t {}_overruns(void);", name);
        }
    } else if (!flags.all().empty()) {
        w.comment("True if a byte was damaged or lost since the last call; DMA stores damaged bytes too.");
        w.linef("bool {}_error_seen(void);", name);
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
    if (g.sends && !setting.moves("TX")) {
        w.line();
        w.linef("bool {}_send(uint8_t byte)", name);
        w.line("{");
        w.linef("    if (!{}) {{", waitForRole(w, instance, "transmit_empty", code("{}", bit("transmit_empty")),
                                               code("{}_BYTE_US", w.names.NEED(need))));
        w.line("        return false;");
        w.line("    }");
        writeRole(w, instance, "data", Code::trusted("byte"), 4);
        forgetFlag(w, instance, "transmit_empty", 4);
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
    const ErrorFlags flags = errorFlags(f, need);
    const Word head = w.local(need, WordLiteral("head")), tail = w.local(need, WordLiteral("tail")),
               lost = w.local(need, WordLiteral("lost")), waiting = w.local(need, WordLiteral("waiting"));
    if (takesBytes(f, need) && takesIn(setting)) {
        w.line();
        w.linef("void {}_take_in(void)", name);
        w.line("{");
        TakeByte(w, need).write({}, Code::trusted("return;"));
        w.linef("    const uint32_t next = ({} + 1u) % 64u;", head);
        w.linef("    if (next == {}) {{", tail);
        w.linef("        {0} = {0} + 1u;", lost);
        w.line("        return;");
        w.line("    }");
        w.linef("    {}[{}] = byte_in;", waiting, head);
        w.linef("    {} = next;", head);
        w.line("}");
        w.line();
        w.linef("bool {}_receive(uint8_t *byte)", name);
        w.line("{");
        w.linef("    if ({} == {}) {{", tail, head);
        w.line("        return false;");
        w.line("    }");
        w.linef("    *byte = {}[{}];", waiting, tail);
        w.linef("    {0} = ({0} + 1u) % 64u;", tail);
        w.line("    return true;");
        w.line("}");
    } else if (takesBytes(f, need)) {
        w.line();
        w.linef("bool {}_receive(uint8_t *byte)", name);
        w.line("{");
        TakeByte(w, need).write(Code::trusted("return false;"), Code::trusted("return false;"));
        w.line("    *byte = byte_in;");
        w.line("    return true;");
        w.line("}");
    } else if (!flags.all().empty()) {
        w.line();
        w.linef("bool {}_error_seen(void)", name);
        w.line("{");
        w.line("    bool seen = false;");
        for (const std::string& role : flags.all()) {
            w.linef("    if (({} & {}) != 0u) {{", roleRegister(f, w.names, instance, role),
                    roleMacro(f, w.names, instance, role));
            forgetFlag(w, instance, role, 8);
            w.line("        seen = true;");
            w.line("    }");
        }
        w.line("    return seen;");
        w.line("}");
    }
    if (takesBytes(f, need))
        for (const auto& [there, count] : {std::pair{takesIn(setting), WordLiteral("lost")},
                                           {!flags.damaged.empty(), WordLiteral("damaged")},
                                           {!flags.overrun.empty(), WordLiteral("overruns")}})
            if (there) {
                w.line();
                w.linef("uint32_t {}_{}(void)", name, count);
                w.line("{");
                w.linef("    return {};", w.local(need, count));
                w.line("}");
            }
}

} // namespace bindrel
