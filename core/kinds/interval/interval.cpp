// SPDX-License-Identifier: GPL-3.0-or-later
// Interval: a tick of the firmware. A period is PRE x TOP kernel cycles; the best way is the one whose time is nearest,
// and of two as near the one with the finer ticks.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/kinds/common/chain.h"
#include "core/kinds/common/division.h"
#include "core/kinds/common/interrupt_load.h"
#include "core/kinds/common/timer_block.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

namespace bindrel {

namespace {

bool wantsInterrupt(const Need& need)
{
    return goalIs(need, "interrupt", "yes");
}
bool isOnce(const Need& need)
{
    return goalIs(need, "repeats", "once");
}

Waveform drawPeriods(const Duration& period, bool once, const std::optional<Duration>& handler)
{
    Waveform wave;
    wave.title = say("two periods");
    wave.triggers = period;
    wave.span = period * Rational(2);
    const Duration blip = period / Rational(60);
    wave.traces = {{say("tick"), false, {{period - blip, true}, {period, false}, {wave.span - blip, true}}}};
    wave.handles = {{"period", period, Duration(), Waveform::Handle::States::Time, 1, 0}};
    wave.ramp =
        Waveform::Ramp{say("count"), {{Duration(Rational(0)), 0}, {period, 1}, {period, 0}, {wave.span, 1}}, {}};
    if (once) {
        wave.title = say("one period, then it stops");
        wave.traces.front().edges.pop_back();
        wave.ramp->points.back() = {wave.span, 0};
    }
    if (handler && *handler < period) {
        Waveform::Band cpu{say("handler"), {{period, period + *handler, format(*handler, 3), true}}};
        if (!once)
            cpu.parts.push_back({period + *handler, wave.span, "", false});
        wave.bands.push_back(std::move(cpu));
    }
    return wave;
}

Setting solveInterval(const TuningContext& c)
{
    Setting out;
    const Duration wanted = goalTime(c.need, "period");
    const Ticks ticks = ticksOf(c);
    if (!ticks.trouble.empty()) {
        out.notComputed = ticks.trouble;
        return out;
    }
    const bool chained = ticks.need >= 0;
    const Rational kernel = ticks.rate.value;
    const auto time = [&kernel](const Division& way) { return Duration(way.cycles() / kernel); };
    const Division longest = longestDivision(c, {});
    const std::vector<Division> ways = divisionsNear(c, wanted.value * kernel, {}, 4);
    if (ways.empty()) {
        out.notComputed =
            formatIfNeeded(c, "{} is too short: two ticks of {} are the shortest", formatIfNeeded(c, wanted), ticks.of);
        return out;
    }
    const Division& best = ways.front();
    Achieved period{"period",
                    say("Period"),
                    formatIfNeeded(c, wanted),
                    formatIfNeeded(c, time(best)),
                    errorOf(time(best), wanted),
                    true,
                    formatIfNeeded(c, "{} \u00d7 {} / {}", best.prescaler, best.count, formatIfNeeded(c, ticks.rate)),
                    {}};
    period.ok = period.error && period.error->value.abs() <= Rational(10'000);
    if (!period.ok)
        period.trouble =
            chained ? formatIfNeeded(c, "counting {} the error is {}. Let that come {}.", ticks.of,
                                     formatIfNeeded(c, *period.error, true),
                                     wanted > time(longest) ? say("more slowly")
                                                            : say("at a rate that this is a multiple of"))
            : wanted > time(longest)
                ? formatIfNeeded(
                      c, "the longest at {} is {}. Give {} a slower clock, or count the periods of another timer.",
                      formatIfNeeded(c, ticks.rate), formatIfNeeded(c, time(longest)), c.kernelName())
                : formatIfNeeded(c, "the nearest is {} off. Give {} a faster clock.",
                                 formatIfNeeded(c, *period.error, true), c.kernelName());
    out.achieved.push_back(period);
    out.achieved.push_back({"period",
                            say("Resolution"),
                            "",
                            formatIfNeeded(c, Duration(Rational(best.prescaler) / kernel)),
                            std::nullopt,
                            true,
                            formatIfNeeded(c, "{} / {}; at most {}", best.prescaler, formatIfNeeded(c, ticks.rate),
                                           formatIfNeeded(c, time(longest))),
                            {},
                            true});
    if (chained)
        out.achieved.push_back({"counts", say("Counts"), "", ticks.of, std::nullopt, true, {}, {}, true});
    addChainRoles(c, ticks, out);
    if (c.has("prescaler"))
        out.roles.push_back({"prescaler", best.prescaler, "period"});
    out.roles.push_back({"period", best.count, "period"});
    if (isOnce(c.need) && c.has("once"))
        out.roles.push_back({"once", 1, "repeats"});
    if (isOnce(c.need) && !c.has("once"))
        out.achieved.push_back(
            {"repeats",
             "Repeats",
             "once",
             say("until it is stopped"),
             std::nullopt,
             false,
             {},
             formatIfNeeded(
                 c, "{} has no one-shot mode. Choose another timer, or let it repeat and stop it in its tick function.",
                 c.device.instances[c.bound.instance].name)});
    if (c.has("update"))
        out.roles.push_back({"update", 1, "", RoleValue::When::Event});
    if (wantsInterrupt(c.need)) {
        out.achieved.push_back(interruptLoad(c, "interrupt", Frequency(Rational(1) / time(best).value)));
        out.events.push_back({"update", "update_interrupt", "updated", "tick",
                              say("Called by the interrupt at the end of each period."),
                              Frequency(Rational(1) / time(best).value)});
    }
    out.roles.push_back({"on", 1, "", RoleValue::When::Start});
    if (c.look) {
        c.look->waveform = drawPeriods(time(best), isOnce(c.need),
                                       wantsInterrupt(c.need) ? std::optional(handlerTime(c)) : std::nullopt);
        for (const Division& way : ways)
            c.look->alternatives.push_back({fmt::format("\u00f7{}, {}", way.prescaler, way.count),
                                            format(time(way)),
                                            say("{}, in ticks of {}", format(errorOf(time(way), wanted), true),
                                                format(Duration(Rational(way.prescaler) / kernel))),
                                            {{"prescaler", way.prescaler}, {"period", way.count}}});
        c.look->ranking = say("the smallest error, then the finest ticks");
    }
    return out;
}

/// The periods of the nearest way; see solveInterval().
std::optional<Frequency> intervalBeats(const TuningContext& c)
{
    const Ticks ticks = ticksOf(c);
    const std::vector<Division> ways =
        ticks.trouble.empty() ? divisionsNear(c, goalTime(c.need, "period").value * ticks.rate.value, {}, 1)
                              : std::vector<Division>();
    return ways.empty() ? std::nullopt : std::optional(Frequency(ticks.rate.value / ways.front().cycles()));
}

Accuracy intervalAccuracy(const TuningContext& c)
{
    return timeAccuracy(timedAs(c));
}

void declareInterval(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const Setting& setting = f.settings[need];
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const std::int64_t prescaler = setting.role("prescaler").value_or(1), ticks = setting.role("period").value_or(1);
    const Ticks counted = ticksOf({f.device, f.rates, f.plan.needs[need], f.bindings.needs[need], f.plan, f.bindings});
    const Rational rate = counted.rate.value.isZero() ? Rational(1) : counted.rate.value;
    w.comment(fmt::format("Requested {}, achieved {}: {}.", setting.goal("period")->wanted,
                          setting.goal("period")->achieved, setting.goal("period")->formula));
    w.linef("#define {}_PRESCALER {}u", NAME, prescaler);
    w.linef("#define {}_TICKS {}u", NAME, ticks);
    if (counted.need >= 0) {
        w.comment(fmt::format("Counts the {}, which must be started too.", counted.of));
        w.linef("#define {}_SECONDS {}u {}", NAME, (Rational(prescaler) * ticks / rate).floor(),
                cComment("rounded down"));
    } else {
        w.linef("#define {}_MICROSECONDS {}u {}", NAME,
                (Rational(prescaler) * ticks * 1'000'000 / Rational(std::max<std::int64_t>(rate.floor(), 1))).floor(),
                cComment("rounded down"));
        w.check(code("(uint64_t){0}_PRESCALER * {0}_TICKS * 1000000u / {1} == {0}_MICROSECONDS", NAME,
                     rateMacro(f, w.names, setting.kernel)),
                cString(w.names.needs[need].text() + " period from its clock"));
    }
    w.line();
    if (f.device.roleField(instance, "updated").valid() && !wantsInterrupt(f.plan.needs[need])) {
        w.comment("True if a period has ended since the last call.");
        w.linef("bool {}_elapsed(void);", name);
    }
    if (f.device.roleField(instance, "counter").valid()) {
        w.comment("Ticks of the present period, from 0.");
        w.linef("uint32_t {}_now(void);", name);
    }
}

void defineInterval(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need);
    if (f.device.roleField(instance, "updated").valid() && !wantsInterrupt(f.plan.needs[need])) {
        w.line();
        w.linef("bool {}_elapsed(void)", name);
        w.line("{");
        takeFlag(w, instance, "updated");
        w.line("    return true;");
        w.line("}");
    }
    if (f.device.roleField(instance, "counter").valid()) {
        w.line();
        w.linef("uint32_t {}_now(void)", name);
        w.line("{");
        w.linef("    return {};", readRole(w, instance, "counter"));
        w.line("}");
    }
}

} // namespace

Kind intervalKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "interval";
    spec.title = "Interval";
    spec.otherNames = {{"timer", {}},
                       {"tick", {}},
                       {"periodic interrupt", {{"interrupt", "yes"}}},
                       {"timer interrupt", {{"interrupt", "yes"}}},
                       {"interrupt", {{"interrupt", "yes"}}},
                       {"delay", {{"repeats", "once"}}}};
    spec.phrases = {
        {"one shot", {{"repeats", "once"}}}, {"one-shot", {{"repeats", "once"}}}, {"polled", {{"interrupt", "no"}}}};
    spec.instanceKind = "timer";
    spec.nominalTriggerRate = [](const Need& need) {
        const Duration period = goalTime(need, "period");
        return period.value > Rational(0) ? Frequency(Rational(1) / period.value) : Frequency();
    };
    spec.goals = {
        {"period", "Period", T::Duration, "1 ms", {}, "Between two ticks."},
        {"interrupt",
         "Interrupt",
         T::Choice,
         "yes",
         {"yes", "no"},
         "no: the program polls for the end of a period.",
         0,
         0,
         true},
        togglesGoal(),
        priorityGoal(),
        aboveGoal(),
        takesGoal(),
        {"repeats", "Repeats", T::Choice, "yes", {"yes", "once"}, "once: one period after each start.", 0, 0, true},
        {"counts",
         "Counts",
         T::Text,
         "",
         {},
         "Id of a need whose timer periods are counted instead of clock cycles, for times beyond one timer.",
         0,
         0,
         true}};
    spec.relevant = [](const Need& need, std::string_view goal) { return goal != "toggles" || wantsInterrupt(need); };
    spec.toggles = [](const Need& need) { return wantsInterrupt(need) ? goalName(need, "toggles") : std::string(); };
    spec.pacedBy = [](const Need& need) { return goalName(need, "counts"); };
    spec.signals = [](const Need&) { return std::vector<SignalSpec>(); };
    spec.brief = [](const Need& need) { return shortGoal(need, "period"); };
    spec.roles = timerRoles();
    spec.instanceEvents = timerEvents();
    kind.tuning.solve = solveInterval;
    kind.tuning.accuracy = intervalAccuracy;
    kind.tuning.timerPeriodRate = intervalBeats;
    kind.tuning.dependsOnOtherTimers = true;
    kind.tuning.dependsOnCoreRate = true;
    kind.source = {declareInterval,
                   defineInterval,
                   {"prescaler", "ticks", "microseconds", "seconds", "elapsed", "now", "tick"},
                   {{"prescaler", "prescaler"}, {"period", "ticks"}}};
    return kind;
}

} // namespace bindrel
