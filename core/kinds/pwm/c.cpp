// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/pwm/pwm.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"

#include <set>

namespace bindrel {

namespace {

/// Output number of the need (from 1) and the timer's channel that carries it.
std::vector<std::pair<int, int>> channelsOf(const Writer& w, NeedIndex need)
{
    std::vector<std::pair<int, int>> out;
    for (const Seat& seat : w.facts.bindings.needs[need].seats)
        if (seat.signal.channel >= 0 && !seat.signal.id.ends_with('n'))
            out.emplace_back(seat.signal.channel + 1, seat.channel);
    return out;
}

/// Whether there is a fault input whose flag can be read.
bool hasFault(const Writer& w, NeedIndex need)
{
    return goalsOf<PwmGoals>(w.facts.plan.needs[need]).fault != PwmGoals::Fault::None &&
           w.facts.device.roleField(w.facts.bindings.needs[need].instance, "fault").valid();
}

} // namespace

void declarePwm(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const Setting& setting = f.settings[need];
    const Word name = w.names.need(need);
    const Word NAME = w.names.NEED(need);
    const std::int64_t slopes = setting.role("centre").value_or(0) == 1 ? 2 : 1;
    const std::int64_t prescaler = setting.role("prescaler").value_or(1);
    const std::int64_t period = setting.role("period").value_or(1);
    const Achieved* frequency = setting.goal("frequency");
    // As the C constant has it: a rate that is no whole number is rounded down there, and the asserts must hold with
    // that.
    const Rational rate = f.rates.clocks[setting.kernel].rate.value.floor();
    const Rational millihertz = rate * 1000 / (Rational(slopes) * prescaler * period);
    w.comment(
        fmt::format("Requested {}, achieved {}: {}.", frequency->wanted, frequency->achieved, frequency->formula));
    w.linef("#define {}_PRESCALER {}u", NAME, prescaler);
    w.linef("#define {}_TICKS {}u {}", NAME, period, cComment(slopes == 2 ? "of one slope" : "of one period"));
    w.linef("#define {}_MILLIHERTZ {}u", NAME, millihertz.floor());
    w.check(code("(uint64_t){} * 1000u / ({}u * {}_PRESCALER * {}_TICKS) == {}_MILLIHERTZ",
                 rateMacro(f, w.names, setting.kernel), slopes, NAME, NAME, NAME),
            cString(w.names.needs[need].text() + " frequency from its clock"));
    if (const auto dead = setting.role("dead_time")) {
        const Duration time(Rational(*dead) / rate);
        w.linef("#define {}_DEAD_TICKS {}u {}", NAME, *dead,
                cComment(w.facts.settings[need].goal("dead")->achieved + " at " + format(Frequency(rate))));
        w.linef("#define {}_DEAD_PICOSECONDS {}u", NAME, (time.value * INT64_C(1'000'000'000'000)).floor());
        w.check(code("(uint64_t){0}_DEAD_TICKS * 1000000000000u / {1} == {0}_DEAD_PICOSECONDS", NAME,
                     rateMacro(f, w.names, setting.kernel)),
                cString(w.names.needs[need].text() + " dead time from its clock"));
    }
    if (const auto dead = setting.role("dead_time_low"))
        w.linef("#define {}_DEAD_LOW_TICKS {}u {}", NAME, *dead,
                cComment(setting.goal("dead_low")->achieved + " before the low side is on"));
    w.line();
    w.comment(f.device.roleField(f.bindings.needs[need].instance, "buffered").valid()
                  ? "Sets the duty of an output in per mille (limited to 1000), rounded to the nearest tick. Takes "
                    "effect at the next period."
                  : "Sets the duty of an output in per mille (limited to 1000), rounded to the nearest tick. Takes "
                    "effect immediately: this timer has no buffering.");
    for (const auto& [output, channel] : channelsOf(w, need))
        w.linef("void {}_set_duty{}(uint32_t per_mille);", name, output);
    w.comment("Sets the pulse width in nanoseconds, limited to the period.");
    for (const auto& [output, channel] : channelsOf(w, need))
        w.linef("void {}_set_pulse{}(uint32_t nanoseconds);", name, output);
    const PwmGoals& g = goalsOf<PwmGoals>(f.plan.needs[need]);
    if (g.servo.degrees > 0) {
        w.comment(fmt::format("Sets the angle in thousandths of a degree, from 0 at {} to {} at {} (limited to that).",
                              format(g.servo.narrow), g.servo.degrees * 1000, format(g.servo.wide)));
        for (const auto& [output, channel] : channelsOf(w, need))
            w.linef("void {}_set_millidegrees{}(uint32_t millidegrees);", name, output);
    }
    bool told = false;
    for (const auto& [output, channel] : channelsOf(w, need))
        if (g.level[size_t(output - 1)]) {
            if (!told) {
                w.linef("#define {}_SUPPLY_MILLIVOLTS {}u", NAME, (f.rates.supply.value * 1000).round());
                w.comment("Sets the filtered output level in millivolts, limited to the supply.");
            }
            told = true;
            w.linef("void {}_set_millivolts{}(uint32_t millivolts);", name, output);
        }
    if (hasFault(w, need)) {
        w.comment("True if the fault input has switched the outputs off. start() switches them on again.");
        w.linef("bool {}_fault(void);", name);
        w.linef("void {}_clear_fault(void);", name);
    }
}

void definePwm(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need);
    const Word NAME = w.names.NEED(need);
    const PwmGoals& g = goalsOf<PwmGoals>(f.plan.needs[need]);
    for (const auto& [output, channel] : channelsOf(w, need)) {
        w.because({Place::Kind::Goal, f.plan.needs[need].id, "duty" + std::to_string(output)});
        w.line();
        w.linef("void {}_set_duty{}(uint32_t per_mille)", name, output);
        w.line("{");
        w.line("    const uint32_t part = per_mille > 1000u ? 1000u : per_mille;");
        w.comment("Split by thousands: a long period times the duty would overflow 32 bits.", 4);
        w.linef("    const uint32_t ticks = part * ({0}_TICKS / 1000u) + (part * ({0}_TICKS % 1000u) + 500u) / 1000u;",
                NAME);
        const std::string compare = "compare" + std::to_string(channel);
        const Encoding::Kind encoding = f.device.blockOf(instance).role(compare)->encoding.kind;
        const bool opposed = g.opposed && output % 2 == 0; // active while the count is above
        const auto put = [&] {
            if (opposed)
                w.linef("    const uint32_t from = {}_TICKS - ticks;", NAME);
            const Word count = opposed ? Word::of("from") : Word::of("ticks");
            writeRole(w, instance, compare,
                      encoding == Encoding::Kind::MinusOne ? code("({0} > 0u ? {0} - 1u : 0u)", count)
                                                           : code("{}", count),
                      4);
        };
        put();
        w.line("}");
        w.line();
        w.linef("void {}_set_pulse{}(uint32_t nanoseconds)", name, output);
        w.line("{");
        w.linef("    const uint64_t cycles_of_tick = (uint64_t){}u * {}_PRESCALER;",
                f.settings[need].role("centre").value_or(0) == 1 ? 2 : 1, NAME);
        w.linef("    const uint64_t nearest = ((uint64_t)nanoseconds * {} + cycles_of_tick * 500000000u) / "
                "(cycles_of_tick * 1000000000u);",
                rateMacro(f, w.names, f.settings[need].kernel));
        w.linef("    const uint32_t ticks = nearest > {0}_TICKS ? {0}_TICKS : (uint32_t)nearest;", NAME);
        put();
        w.line("}");
        if (g.servo.degrees > 0) {
            const std::int64_t narrow = (g.servo.narrow.value * 1'000'000'000).round(),
                               wide = (g.servo.wide.value * 1'000'000'000).round();
            w.line();
            w.linef("void {}_set_millidegrees{}(uint32_t millidegrees)", name, output);
            w.line("{");
            w.linef("    const uint32_t angle = millidegrees > {0}u ? {0}u : millidegrees;", g.servo.degrees * 1000);
            w.linef("    {}_set_pulse{}({}u + (uint32_t)(((uint64_t)angle * {}u + {}u) / {}u));", name, output, narrow,
                    std::max<std::int64_t>(wide - narrow, 0), g.servo.degrees * 500, g.servo.degrees * 1000);
            w.line("}");
        }
        if (g.level[size_t(output - 1)]) {
            w.line();
            w.linef("void {}_set_millivolts{}(uint32_t millivolts)", name, output);
            w.line("{");
            w.linef(
                "    const uint32_t level = millivolts > {0}_SUPPLY_MILLIVOLTS ? {0}_SUPPLY_MILLIVOLTS : millivolts;",
                NAME);
            w.linef("    const uint32_t ticks = (uint32_t)(((uint64_t)level * {0}_TICKS + {0}_SUPPLY_MILLIVOLTS / 2u) "
                    "/ {0}_SUPPLY_MILLIVOLTS);",
                    NAME);
            put();
            w.line("}");
        }
    }
    if (!hasFault(w, need))
        return;
    w.because({Place::Kind::Goal, f.plan.needs[need].id, "fault"});
    const Code reg = roleRegister(f, w.names, instance, "fault");
    const Word bit = roleMacro(f, w.names, instance, "fault");
    w.line();
    w.linef("bool {}_fault(void)", name);
    w.line("{");
    w.linef("    return ({} & {}) != 0u;", reg, bit);
    w.line("}");
    w.line();
    w.linef("void {}_clear_fault(void)", name);
    w.line("{");
    clearFlags(w, instance, {"fault"}, 4);
    w.line("}");
}

} // namespace bindrel
