// SPDX-License-Identifier: GPL-3.0-or-later
// Capture: times of edges. The ticks are as coarse as the wanted resolution allows, so that the counter reaches far;
// between two stamps up to one period less a tick can be told.
#include "core/base/say.h"
#include "core/kinds/common/division.h"
#include "core/kinds/common/interrupt_load.h"
#include "core/kinds/common/timer_block.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

namespace bindrel {

namespace {

int channelOf(const BoundNeed& bound)
{
    for (const Seat& seat : bound.seats)
        if (seat.channel > 0)
            return seat.channel;
    return 0;
}

std::int64_t edgeOf(const Need& need)
{
    return goalIs(need, "edge", "rising") ? 0 : goalIs(need, "edge", "falling") ? 1 : 2;
}

/// The counter over two of its periods, and three pulses. Intervals between two stamps can be measured up to one
/// counter period.
Waveform drawStamps(const Duration& reach, std::int64_t edge)
{
    Waveform wave;
    wave.title = say("two periods of the counter");
    wave.span = reach * Rational(2);
    Waveform::Trace input{say("input"), false, {}};
    for (const auto& [up, down] : {std::pair{Rational(1, 8), Rational(2, 8)},
                                   {Rational(5, 8), Rational(7, 8)},
                                   {Rational(11, 8), Rational(13, 8)}}) {
        input.edges.push_back({reach * up, true});
        input.edges.push_back({reach * down, false});
        if (edge != 1)
            wave.marks.push_back({reach * up, reach * up, 0, say("stamp"), false});
        if (edge != 0)
            wave.marks.push_back({reach * down, reach * down, 0, say("stamp"), false});
    }
    wave.traces = {std::move(input)};
    wave.ramp = Waveform::Ramp{say("count"), {{Duration(Rational(0)), 0}, {reach, 1}, {reach, 0}, {wave.span, 1}}, {}};
    return wave;
}

Setting solveCapture(const TuningContext& c)
{
    Setting out;
    const std::string& name = c.device.instances[c.bound.instance].name;
    const int channel = channelOf(c.bound);
    const std::string n = std::to_string(channel);
    if (channel > 0 && !c.has("captured" + n)) {
        out.notComputed = formatIfNeeded(
            c, "channel {} of {} cannot capture: its block has no role \"captured{}\"; choose another timer", n, name,
            n);
        return out;
    }
    const Duration resolution = goalTime(c.need, "resolution"), longest = goalTime(c.need, "longest");
    const Rational kernel = c.kernel().rate.value;
    // The largest prescaler whose ticks are no longer than asked for; with none as small, the smallest there is.
    const std::int64_t most = std::max<std::int64_t>((resolution.value * kernel).floor(), 0);
    std::int64_t prescaler = 1;
    if (c.has("prescaler")) {
        const Encoding& encoding = c.encoding("prescaler");
        const std::uint32_t codes = c.maxCode("prescaler");
        prescaler = encoding.nearest(most, codes).value_or(1);
        if (prescaler > most) { // the one below it, if there is one
            const std::int64_t above = prescaler;
            prescaler = encoding.atLeast(1, codes).value_or(1);
            for (std::optional<std::int64_t> next = prescaler; next && *next <= most && *next < above;
                 next = encoding.atLeast(*next + 1, codes))
                prescaler = *next;
        }
    }
    const Duration tick(Rational(prescaler) / kernel);
    Achieved row{"resolution",
                 say("Resolution"),
                 "\u2264 " + formatIfNeeded(c, resolution),
                 formatIfNeeded(c, tick),
                 std::nullopt,
                 tick <= resolution,
                 formatIfNeeded(c, "{} / {}", prescaler, formatIfNeeded(c, c.kernel().rate)),
                 {}};
    if (!row.ok)
        row.trouble = formatIfNeeded(c, "the shortest tick at {1} is {0}. Use a faster clock.", c.kernelName(),
                                     formatIfNeeded(c, c.kernel().rate));
    out.achieved.push_back(row);
    const std::int64_t counts = c.encoding("period").largest(c.maxCode("period"));
    const Duration reach(Rational(counts - 1) * tick.value);
    Achieved far{"longest",
                 say("Longest interval"),
                 "\u2265 " + formatIfNeeded(c, longest),
                 formatIfNeeded(c, reach),
                 std::nullopt,
                 reach >= longest,
                 formatIfNeeded(c, "{} \u00d7 {}", counts - 1, formatIfNeeded(c, tick)),
                 {}};
    if (!far.ok) {
        const std::int64_t enough = (longest.value * kernel / (counts - 1)).ceil();
        const std::optional<std::int64_t> coarser =
            c.has("prescaler")
                ? c.encoding("prescaler").atLeast(std::max<std::int64_t>(enough, 1), c.maxCode("prescaler"))
                : std::nullopt;
        far.trouble =
            coarser
                ? formatIfNeeded(c, "the counter wraps earlier. Choose a resolution of {}, or a timer with more bits.",
                                 formatIfNeeded(c, Duration(Rational(*coarser) / kernel), 4))
                : std::string(say("the counter wraps earlier. Use a slower clock, or a timer with more bits."));
    }
    out.achieved.push_back(far);

    if (c.has("prescaler"))
        out.roles.push_back({"prescaler", prescaler, "resolution"});
    out.roles.push_back({"period", counts, "longest"});
    if (c.has("captures"))
        out.roles.push_back({"captures", 1, ""});
    if (channel > 0) {
        if (c.has("captures" + n))
            out.roles.push_back({"captures" + n, 1, ""});
        const std::string edge = goalIfNeeded(c, "edge");
        const bool can = c.has("edge" + n) || goalIs(c.need, "edge", "rising");
        out.achieved.push_back({"edge",
                                say("Edges"),
                                edge,
                                can ? edge : "rising",
                                std::nullopt,
                                can,
                                {},
                                can ? std::string() : formatIfNeeded(c, "{} captures only rising edges.", name)});
        if (c.has("edge" + n))
            out.roles.push_back({"edge" + n, edgeOf(c.need), "edge"});
        if (goalIs(c.need, "interrupt", "yes"))
            out.events.push_back({"capture",
                                  "capture_interrupt" + n,
                                  "captured" + n,
                                  "edge",
                                  say("Called by the interrupt after each time stamp."),
                                  {}});
    }
    if (c.has("update"))
        out.roles.push_back({"update", 1, "", RoleValue::When::Event});
    out.roles.push_back({"on", 1, "", RoleValue::When::Start});
    if (c.look)
        c.look->waveform = drawStamps(reach, edgeOf(c.need));
    return out;
}

void declareCapture(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const Setting& setting = f.settings[need];
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    const std::int64_t prescaler = setting.role("prescaler").value_or(1);
    const std::int64_t hertz = std::max<std::int64_t>(f.rates.clocks[setting.kernel].rate.value.floor(), 1);
    w.comment(
        fmt::format("A tick is {}: {}.", setting.goal("resolution")->achieved, setting.goal("resolution")->formula));
    w.linef("#define {}_PRESCALER {}u", NAME, prescaler);
    w.linef("#define {}_TICKS_PER_SECOND {}u {}", NAME, (Rational(hertz) / prescaler).floor(),
            cComment("rounded down"));
    w.check(code("{0} / {1}_PRESCALER == {1}_TICKS_PER_SECOND", rateMacro(f, w.names, setting.kernel), NAME),
            cString(w.names.needs[need].text() + " ticks from its clock"));
    if (channelOf(f.bindings.needs[need]) <= 0)
        return;
    w.line();
    w.comment(fmt::format("{}: ticks since the one before, right up to {}. The first gives 0.",
                          setting.events.empty()
                              ? "Reads the last time stamp if there is a new one"
                              : "The last time stamp; to be called once in the function of the edge, and always true",
                          setting.goal("longest")->achieved));
    w.linef("bool {}_take(uint32_t *ticks);", name);
    w.comment("Nanoseconds of ticks.");
    w.linef("uint64_t {}_nanoseconds(uint32_t ticks);", name);
}

void defineCapture(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const Setting& setting = f.settings[need];
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const int channel = channelOf(f.bindings.needs[need]);
    if (channel <= 0)
        return;
    const Word name = w.names.need(need);
    const std::string flag = "captured" + std::to_string(channel), stamp = "compare" + std::to_string(channel);
    const std::int64_t counts = setting.role("period").value_or(1);
    const bool told = !setting.events.empty();
    w.line();
    w.linef("bool {}_take(uint32_t *ticks)", name);
    w.line("{");
    w.line("    static uint32_t last;");
    w.line("    static bool known;");
    if (!told) // else the handler has seen and cleared the flag
        takeFlag(w, instance, flag);
    w.linef("    const uint32_t now = {};", readRole(w, instance, stamp));
    w.linef("    *ticks = !known ? 0u : {};", countsBetween(std::uint64_t(counts)));
    w.line("    known = true;");
    w.line("    last = now;");
    w.line("    return true;");
    w.line("}");
    const std::int64_t prescaler = setting.role("prescaler").value_or(1);
    const Rational tick = Rational(prescaler) / f.rates.clocks[setting.kernel].rate.value * 1'000'000'000;
    w.line();
    w.linef("uint64_t {}_nanoseconds(uint32_t ticks)", name);
    w.line("{");
    // Whole and rest apart, so that no product leaves 64 bits: the denominator of a rate has less than 32 in all
    // sensible plans.
    if (tick.defined() && tick.fits64() && tick.den() < (INT64_C(1) << 31) &&
        tick.num() / tick.den() < (INT64_C(1) << 31))
        w.linef("    return (uint64_t)ticks * {}u{};", tick.floor(),
                tick.isInteger()
                    ? Code()
                    : code(" + (uint64_t)ticks * {}u / {}u", (tick - Rational(tick.floor())).num(), tick.den()));
    else
        w.linef("    return (uint64_t)ticks * 1000000000u / {}_TICKS_PER_SECOND;", w.names.NEED(need));
    w.line("}");
}

} // namespace

Kind captureKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "capture";
    spec.title = "Capture";
    spec.otherNames = {{"input capture", {}}, {"frequency input", {}}, {"pulse width", {}}};
    spec.instanceKind = "timer";
    spec.demands = {"captured#"};
    spec.goals = {{"resolution", "Resolution", T::Duration, "1 us", {}, "Of a time stamp."},
                  {"longest", "Longest interval", T::Duration, "10 ms", {}, "That must not overflow the counter."},
                  {"edge", "Edges", T::Choice, "rising", {"rising", "falling", "both"}, ""},
                  {"interrupt", "Interrupt", T::Choice, "no", {"no", "yes"}, "At each time stamp.", 0, 0, true},
                  priorityGoal(),
                  aboveGoal(),
                  takesGoal()};
    spec.signals = [](const Need&) {
        return std::vector<SignalSpec>{{"in", "input", "CH#", 0, SignalSpec::Direction::In, false}};
    };
    spec.sharedAs = [](const Need& need) { return "capture " + sameText(goalValue(need, "resolution")); };
    spec.brief = [](const Need& need) { return shortGoal(need, "resolution"); };
    spec.roles = timerRoles();
    spec.instanceSignals = timerSignals();
    spec.instanceEvents = timerEvents();
    kind.tuning.solve = solveCapture;
    kind.tuning.accuracy = [](const TuningContext& c) { return passedOn(c, "times are read"); };
    kind.source = {declareCapture,
                   defineCapture,
                   {"prescaler", "ticks_per_second", "take", "nanoseconds", "edge"},
                   {{"prescaler", "prescaler"}}};
    return kind;
}

} // namespace bindrel
