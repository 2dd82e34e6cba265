// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/spi/spi.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

/// What a word is in C.
WordLiteral wordType(const SpiGoals& g)
{
    return g.bits > 16 ? WordLiteral("uint32_t") : g.bits > 8 ? WordLiteral("uint16_t") : WordLiteral("uint8_t");
}

/// Microseconds after which a word that is on its way must have gone: twice its time and one more.
std::int64_t wordTime(const SpiGoals& g, const Frequency& sck)
{
    return (Rational(2 * g.bits) / sck.value * 1'000'000).ceil() + 1;
}

Frequency clockOf(const Facts& f, NeedIndex need, const SpiGoals& g)
{
    const Setting& setting = f.settings[need];
    if (!g.controller)
        return g.most;
    const auto half = setting.role("half_period");
    const std::int64_t divider =
        setting.role("prescaler").value_or(1) * (half ? *half * 2 : setting.role("divider").value_or(1));
    return Frequency(f.rates.clocks[setting.kernel].rate.value / divider);
}

} // namespace

void declareSpi(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const SpiGoals& g = goalsOf<SpiGoals>(f.plan.needs[need]);
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    const Frequency sck = clockOf(f, need, g);
    if (g.controller) {
        const Setting& setting = f.settings[need];
        const std::int64_t divider = (f.rates.clocks[setting.kernel].rate.value / sck.value).round();
        // From the C constant, which is rounded down where the rate is no whole number: the assert must hold with that.
        const std::int64_t millihertz =
            (Rational(f.rates.clocks[setting.kernel].rate.value.floor()) * 1000 / divider).floor();
        w.comment(fmt::format("SCK {} maximum requested, {} achieved: {}.", format(g.most), format(sck),
                              f.settings[need].goal("rate")->formula));
        w.linef("#define {}_DIVIDER {}u {}", NAME, divider, cComment("total division of its clock"));
        w.linef("#define {}_SCK_MILLIHERTZ {}u", NAME, millihertz);
        w.check(code("(uint64_t){0} * 1000u / {1}_DIVIDER == {1}_SCK_MILLIHERTZ", rateMacro(f, w.names, setting.kernel),
                     NAME),
                cString(w.names.needs[need].text() + " SCK from its clock"));
    }
    w.linef("#define {}_WORD_US {}u {}", NAME, wordTime(g, sck), cComment("time limit for one word"));
    w.line();
    if (g.controller) {
        w.comment(fmt::format("Sends words and stores those received meanwhile; either pointer may be null. Waits for "
                              "each word with a timeout; returns success or the error.{}",
                              g.hardwareSelect ? "" : " Set the chip-select line yourself before and after."));
        w.linef("enum {0}_status {1}_transfer(const {2} *out, {2} *in, uint32_t count);", w.names.prefix, name,
                wordType(g));
        return;
    }
    if (g.sends) {
        w.comment("Queues a word for the controller to fetch; false when there is no room yet.");
        w.linef("bool {}_offer({} word);", name, wordType(g));
    }
    if (g.receives) {
        w.comment("Reads one word if one has arrived.");
        w.linef("bool {}_receive({} *word);", name, wordType(g));
    }
}

void defineSpi(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const SpiGoals& g = goalsOf<SpiGoals>(f.plan.needs[need]);
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    const auto bit = [&](const char* role) { return roleMacro(f, w.names, instance, role); };
    const auto reg = [&](const char* role) { return roleRegister(f, w.names, instance, role); };
    const WordLiteral type = wordType(g);
    if (g.controller) {
        const Word bad = w.names.macro("TIMEOUT_TRANSFER");
        w.line();
        w.linef("enum {0}_status {1}_transfer(const {2} *out, {2} *in, uint32_t count)", w.names.prefix, name, type);
        w.line("{");
        const std::int64_t depth = f.device.ability(instance, "fifo", 1);
        w.comment("Discard words left over from a transfer that timed out.", 4);
        w.linef("    for (uint32_t i = 0u; i < {}u && ({} & {}) != 0u; i++) {{", depth + 1, reg("receive_full"),
                bit("receive_full"));
        w.linef("        (void){};", reg("data"));
        forgetFlag(w, instance, "receive_full", 8);
        w.line("    }");
        w.line("    for (uint32_t i = 0u; i < count; i++) {");
        if (f.device.roleField(instance, "transmit_empty").valid()) {
            w.linef("        if (!{}) {{", waitForRole(w, instance, "transmit_empty", code("{}", bit("transmit_empty")),
                                                       code("{}_WORD_US", NAME)));
            w.linef("            return {};", bad);
            w.line("        }");
        }
        writeRole(w, instance, "data", Code::trusted("(out ? (uint32_t)out[i] : 0u)"), 8);
        w.comment("Each word sent receives one, which must be read even if it is not used.", 8);
        w.linef("        if (!{}) {{",
                waitForRole(w, instance, "receive_full", code("{}", bit("receive_full")), code("{}_WORD_US", NAME)));
        w.linef("            return {};", bad);
        w.line("        }");
        w.linef("        const {0} word = ({0}){1};", type, readRole(w, instance, "data"));
        forgetFlag(w, instance, "receive_full", 8);
        w.line("        if (in) {");
        w.line("            in[i] = word;");
        w.line("        }");
        w.line("    }");
        w.linef("    return {};", w.names.macro("OK"));
        w.line("}");
        return;
    }
    if (g.sends) {
        w.line();
        w.linef("bool {}_offer({} word)", name, type);
        w.line("{");
        w.linef("    if (({} & {}) == 0u) {{", reg("transmit_empty"), bit("transmit_empty"));
        w.line("        return false;");
        w.line("    }");
        writeRole(w, instance, "data", Code::trusted("word"), 4);
        forgetFlag(w, instance, "transmit_empty", 4);
        w.line("    return true;");
        w.line("}");
    }
    if (g.receives) {
        w.line();
        w.linef("bool {}_receive({} *word)", name, type);
        w.line("{");
        w.linef("    if (({} & {}) == 0u) {{", reg("receive_full"), bit("receive_full"));
        w.line("        return false;");
        w.line("    }");
        forgetFlag(w, instance, "receive_full", 4);
        w.linef("    *word = ({}){};", type, readRole(w, instance, "data"));
        w.line("    return true;");
        w.line("}");
    }
}

} // namespace bindrel
