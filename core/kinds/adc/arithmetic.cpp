// SPDX-License-Identifier: GPL-3.0-or-later
// ADC: sample time, sequence time, trigger.
//
// The input charges the converter's capacitor C through the source R and the switch r. To be within half a bit of N
// bits,
//     e^(-t / ((R + r) C)) <= 1 / 2^(N + 1),   so   t >= (N + 1) ln 2 (R + r) C.
// ln 2 is taken for 0.693148, a little more than it is.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/kinds/adc/adc.h"
#include "core/kinds/common/timer_trigger.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

const Rational kLn2(693'148, 1'000'000);

} // namespace

std::vector<int> adcInputs(const BoundNeed& bound)
{
    std::vector<int> out;
    for (const Seat& seat : bound.seats)
        out.push_back(seat.pad < 0 ? -1 : seat.channel);
    return out;
}

std::int64_t adcResolution(const Device& device, InstanceIndex instance, int bits)
{
    std::vector<std::int64_t> list = device.abilities(instance, "resolution");
    std::sort(list.begin(), list.end());
    for (const std::int64_t one : list)
        if (one >= bits)
            return one;
    // A file that does not say has as many as its values have room for.
    const FieldRef data = device.roleField(instance, "data");
    return !list.empty() ? list.back() : data.valid() ? device.fieldOf(data).width : bits;
}

std::int64_t adcCycles(const Device& device, InstanceIndex instance, const Setting& setting)
{
    std::int64_t sample = 0;
    for (const RoleValue& value : setting.roles)
        if (isWordOf(value.role, "sample") || isWordOf(value.role, "sample#"))
            sample = std::max(sample, value.value);
    return setting.role("oversampling")
               ? *setting.role("oversampling") * device.ability(instance, "settling", 1)
               : (sample + device.ability(instance, "conversion_cycles", 0)) * setting.role("average").value_or(1);
}

/// A sequence: each input is sampled, then converted; and what is left until the next, where that is not too long to be
/// drawn beside it. `every`: from one sequence to the next; zero: nobody says.
/// With `stored`, also how the results fill the memory: each is moved when its conversion is over, the next one behind.
Waveform drawSequence(const Duration& sample, const Duration& each, int inputs, const Duration& every, bool stored)
{
    constexpr int kBeside = 12;
    const Duration sequence = each * Rational(inputs);
    const bool whole = every > sequence && every.value <= sequence.value * Rational(kBeside);
    Waveform wave;
    wave.title = inputs == 1 ? say("a conversion") : say("a sequence");
    if (every > sequence)
        wave.title = say("every {} {}", format(every, 4), wave.title);
    wave.span = whole ? every : sequence;
    Waveform::Band band{"ADC", {}};
    Waveform::Trace trace{say("sample"), true, {}};
    for (int i = 0; i < inputs; ++i) {
        const Duration start = each * Rational(i);
        band.parts.push_back({start, start + sample, inputs == 1 ? say("sample") : say("sample {}", i + 1), true});
        band.parts.push_back({start + sample, start + each, inputs == 1 ? say("convert") : say("convert {}", i + 1)});
        if (i > 0)
            trace.edges.push_back({start, true});
        trace.edges.push_back({start + sample, false});
    }
    if (whole)
        band.parts.push_back({sequence, every, say("free, ") + format(every - sequence, 4)});
    wave.traces = {trace};
    wave.bands = {band};
    if (stored) {
        Waveform::Band memory{say("memory"), {}};
        for (int i = 0; i < inputs; ++i)
            memory.parts.push_back({each * Rational(i + 1), i + 1 < inputs ? each * Rational(i + 2) : wave.span,
                                    i == 0 ? say("result 1") : say("results 1 to {}", i + 1), i + 1 == inputs});
        // The last comes with the end of the picture where nothing follows it.
        if (memory.parts.back().to <= memory.parts.back().from)
            memory.parts.pop_back();
        if (!memory.parts.empty())
            wave.bands.push_back(std::move(memory));
    }
    return wave;
}

/// The time of a sequence as another need's own answer tells it.
static std::optional<Duration> sequenceOf(const Setting& setting, const TuningContext& c)
{
    const std::int64_t cycles = adcCycles(c.device, c.bound.instance, setting) * goalsOf<AdcGoals>(c.need).inputs;
    return setting.notComputed.empty() && cycles > 0 ? std::optional<Duration>(Rational(cycles) / c.kernel().rate.value)
                                                     : std::nullopt;
}

/// The two levels that values are held against, each at the nearest step.
static void solveWatch(const TuningContext& c, const AdcGoals& g, std::int64_t bits, Setting& out)
{
    const std::string& name = c.device.instances[c.bound.instance].name;
    Achieved row{
        "watch", say("Watch"), formatIfNeeded(c, "{} to {} mV", g.watchLow, g.watchHigh), {}, std::nullopt, true, {},
        {}};
    const std::int64_t largest = (INT64_C(1) << std::min<std::int64_t>(bits, 30)) - 1;
    const auto step = [&](std::int64_t millivolts) {
        return std::clamp<std::int64_t>(
            (Rational(millivolts) * (largest + 1) / std::max<std::int64_t>(g.millivolts, 1)).round(), 0, largest);
    };
    const auto fits = [&](const char* role, std::int64_t value) {
        const std::optional<std::uint32_t> code = c.has(role) ? c.encoding(role).encode(value) : std::nullopt;
        return code && *code <= c.maxCode(role);
    };
    const std::int64_t low = step(g.watchLow), high = step(g.watchHigh);
    if (!c.has("watch_low") || !c.has("watch_high") || !c.has("watched")) {
        row.ok = false;
        row.achieved = "nothing";
        row.trouble = formatIfNeeded(c, "{} holds its values against nothing. Compare them in the program.", name);
    } else if (g.watchLow >= g.watchHigh || g.watchHigh > g.millivolts) {
        row.ok = false;
        row.achieved = "nothing";
        row.trouble = formatIfNeeded(
            c, "the lower level must lie below the upper one, and that at most at the reference of {} mV.",
            g.millivolts);
    } else if (!fits("watch_low", low) || !fits("watch_high", high)) {
        row.ok = false;
        row.achieved = "nothing";
        row.trouble = formatIfNeeded(c, "{} cannot hold levels of {} bits. Ask for fewer.", name, bits);
    } else {
        const auto volts = [&](std::int64_t code) {
            return formatIfNeeded(c, Voltage(Rational(code) * g.millivolts / (largest + 1) / 1000), 4);
        };
        row.achieved = formatIfNeeded(c, "{} to {}", volts(low), volts(high));
        row.formula = formatIfNeeded(c, "{} to {} of {}", low, high, largest);
        out.roles.push_back({"watch_low", low, "watch"});
        out.roles.push_back({"watch_high", high, "watch"});
        if (c.has("watch_on"))
            out.roles.push_back({"watch_on", 1, "watch"});
        out.events.push_back({c.device.interruptOf(c.bound.instance, "watch") ? "watch" : "done",
                              "watch_interrupt",
                              "watched",
                              "watched",
                              say("Called by the interrupt when a value was outside the watched levels."),
                              {}});
    }
    out.achieved.push_back(row);
}

namespace {

/// The longest averages that the rate allows: less noise costs nothing. Gives the cycles of one input.
Rational solveOversampling(const TuningContext& c, const AdcGoals& g, RoleValue::When when, Setting& out)
{
    const std::int64_t settling = c.device.ability(c.bound.instance, "settling", 1);
    const Rational most = c.kernel().rate.value / g.rate.value / g.inputs / settling;
    const Encoding& encoding = c.encoding("oversampling");
    std::optional<std::int64_t> best = encoding.atLeast(1, c.maxCode("oversampling"));
    for (std::optional<std::int64_t> next = best; next && Rational(*next) <= most;
         next = encoding.atLeast(*next + 1, c.maxCode("oversampling")))
        best = next;
    out.roles.push_back({"oversampling", best.value_or(1), "rate", when});
    out.achieved.push_back({"rate",
                            say("Oversampling"),
                            "",
                            std::to_string(best.value_or(1)),
                            std::nullopt,
                            true,
                            formatIfNeeded(c, "\u2264 {} / ({} \u00d7 {}{})", formatIfNeeded(c, c.kernel().rate),
                                           formatIfNeeded(c, g.rate), g.inputs,
                                           settling > 1 ? formatIfNeeded(c, " \u00d7 {}", settling) : std::string()),
                            {},
                            true});
    return Rational(best.value_or(1)) * settling;
}

/// How long an input is looked at, so that the capacitor of the converter is charged through its source. Gives the
/// cycles of one input.
Rational solveSampling(const TuningContext& c, const AdcGoals& g, std::int64_t bits, const std::vector<int>& inputs,
                       RoleValue::When when, Setting& out)
{
    const std::int64_t farads = c.device.ability(c.bound.instance, "sample_femtofarads", 0),
                       ohms = c.device.ability(c.bound.instance, "sample_ohms", 0);
    const Duration needed(kLn2 * (bits + 1) * (g.ohms + ohms) * Rational(farads, INT64_C(1'000'000'000'000'000)));
    const std::string role = c.has("sample") ? "sample" : std::string();
    std::int64_t sample = 0;
    bool can = true;
    // At its fastest the clock gives the shortest time.
    const std::int64_t least = (needed.value * shifted(c.kernel().rate, c.kernel().tolerance.high).value).ceil();
    const auto choose = [&](const std::string& own) {
        const std::optional<std::int64_t> found =
            c.encoding(own).atLeast(std::max<std::int64_t>(least, 1), c.maxCode(own));
        can = can && found.has_value();
        sample = std::max(sample, found.value_or(c.encoding(own).largest(c.maxCode(own))));
        out.roles.push_back({own, found.value_or(c.encoding(own).largest(c.maxCode(own))), "source", when});
    };
    if (!role.empty())
        choose(role);
    else
        for (const int input : inputs)
            if (input >= 0 && c.has("sample" + std::to_string(input)))
                choose("sample" + std::to_string(input));
    if (sample == 0) { // nothing to choose
        const std::vector<std::int64_t> fixed = c.device.abilities(c.bound.instance, "sample_cycles");
        sample = fixed.empty() ? 0 : fixed.front();
        can = sample >= least || farads == 0;
    }
    const Duration got(Rational(sample) / c.kernel().rate.value);
    Achieved row{"source",
                 say("Sample time"),
                 farads == 0 ? std::string() : "\u2265 " + formatIfNeeded(c, needed, 4),
                 formatIfNeeded(c, got),
                 std::nullopt,
                 can,
                 farads == 0 ? say("the device's file gives no capacitor of the input")
                             : formatIfNeeded(c, "{} / {}", sample, formatIfNeeded(c, c.kernel().rate)),
                 {}};
    if (!row.ok)
        row.trouble =
            formatIfNeeded(c,
                           "{} ohms charge the input too slowly for {} bits. Give {} a slower clock, put a buffer in "
                           "front, or ask for fewer bits.",
                           g.ohms, bits, c.kernelName());
    out.achieved.push_back(row);
    const Rational each = Rational(sample) + c.device.ability(c.bound.instance, "conversion_cycles", 0);
    if (c.look && sample > 0)
        c.look->waveform = drawSequence(got, Duration(each / c.kernel().rate.value), g.inputs,
                                        g.rate.value > Rational(0) ? period(g.rate) : Duration(), g.dma);
    return each;
}

/// What begins a conversion, and what comes of its values.
void solveStart(const TuningContext& c, const AdcGoals& g, std::int64_t bits, RoleValue::When when, Setting& out)
{
    const std::string& name = c.device.instances[c.bound.instance].name;
    if (g.byTimer) {
        std::string trouble;
        const std::optional<TimerTrigger> trigger = timerTrigger(c, g.by, g.rate, trouble);
        out.achieved.push_back(triggerRow(trigger, g.rate, trouble));
        if (trigger)
            out.roles.push_back({"trigger", std::int64_t(trigger->code), "trigger"});
    } else if (c.has("trigger")) {
        out.roles.push_back({"trigger", 0, "trigger", when});
    }

    if (g.continuous && c.has("start") && !c.has("continuous"))
        out.achieved.push_back(
            {"trigger",
             say("Started by"),
             "continuous",
             "software",
             std::nullopt,
             false,
             {},
             formatIfNeeded(c, "{} does not restart by itself. Let a timer or the program start it.", name)});
    else if (c.has("continuous"))
        out.roles.push_back({"continuous", g.continuous, "trigger", when});
    if (g.watch)
        solveWatch(c, g, bits, out);
    else if (c.has("watch_on"))
        out.roles.push_back({"watch_on", 0, "watch", when});
}

/// Which inputs are converted, in which order.
void solveInputs(const TuningContext& c, const AdcGoals& g, const std::vector<int>& inputs, RoleValue::When when,
                 Setting& out)
{
    const std::string& name = c.device.instances[c.bound.instance].name;
    const bool sequences = c.has("slot1") || std::any_of(inputs.begin(), inputs.end(), [&c](int input) {
                               return c.has("input" + std::to_string(input));
                           });
    if (!sequences && !c.has("input") && g.inputs > 1)
        out.achieved.push_back({"inputs",
                                say("Inputs"),
                                std::to_string(g.inputs),
                                "1",
                                std::nullopt,
                                false,
                                {},
                                formatIfNeeded(c, "{} has no choice of inputs.", name)});
    if ((g.byTimer || g.continuous || g.dma || g.interrupt) && !sequences && g.inputs > 1)
        out.achieved.push_back(
            {"inputs",
             "Inputs",
             std::to_string(g.inputs),
             "1",
             std::nullopt,
             false,
             {},
             formatIfNeeded(c,
                            "{} converts one input at a time; several that follow each other take software. "
                            "Let software start it.",
                            name)});
    int slot = 0;
    for (const int input : inputs) {
        ++slot;
        if (input < 0)
            continue;
        if (c.has("slot1"))
            out.roles.push_back({"slot" + std::to_string(slot), input, "inputs", when});
        else if (!sequences && slot == 1 && c.has("input"))
            out.roles.push_back({"input", input, "inputs", RoleValue::When::Use});
    }
    if (!c.has("slot1") && sequences)
        for (const auto& [role, field] : c.device.blockOf(c.bound.instance).roles)
            if (isWordOf(role, "input#"))
                out.roles.push_back(
                    {role,
                     std::any_of(inputs.begin(), inputs.end(),
                                 [&role = role](int input) { return role == "input" + std::to_string(input); }),
                     "inputs", when});
    if (c.has("length"))
        out.roles.push_back({"length", g.inputs, "inputs", when});
}

/// In the order that a converter wants: regulator, calibration, on.
void bringUpConverter(const TuningContext& c, Setting& out)
{
    if (c.has("regulator"))
        out.before.push_back({RoleStep::Kind::Set, "regulator", 1, say("Its regulator first.")});
    if (c.has("calibrate"))
        out.after.push_back({RoleStep::Kind::Set, "calibrate", 1, say("Calibrate while it is off.")});
    if (c.has("calibrate") && c.has("calibrated"))
        out.after.push_back({RoleStep::Kind::Await, "calibrated", 1, say("Until that is done.")});
    if (c.has("on"))
        out.after.push_back({RoleStep::Kind::Set, "on", 1, say("Switch it on.")});
    if (c.has("on") && c.has("ready"))
        out.after.push_back({RoleStep::Kind::Await, "ready", 1, say("Until it can convert.")});
}

Setting solveOne(const TuningContext& c)
{
    Setting out;
    const AdcGoals& g = goalsOf<AdcGoals>(c.need);
    const std::string& name = c.device.instances[c.bound.instance].name;
    const Rational kernel = c.kernel().rate.value;
    const std::vector<int> inputs = adcInputs(c.bound);
    // A converter that several needs use in turn is set by each before it converts.
    const RoleValue::When when = c.bound.shared ? RoleValue::When::Use : RoleValue::When::Config;

    const std::int64_t bits = adcResolution(c.device, c.bound.instance, g.bits);
    Achieved resolution{"resolution",
                        say("Resolution"),
                        formatIfNeeded(c, "\u2265 {} bits", g.bits),
                        formatIfNeeded(c, "{} bits", bits),
                        std::nullopt,
                        bits >= g.bits,
                        {},
                        {}};
    if (!resolution.ok)
        resolution.trouble = formatIfNeeded(c, "{} has {} bits at most. Ask for these, or average.", name, bits);
    out.achieved.push_back(resolution);
    if (c.has("resolution"))
        out.roles.push_back({"resolution", bits, "resolution", when});

    Rational each = c.has("oversampling") ? solveOversampling(c, g, when, out)
                                          : solveSampling(c, g, bits, inputs, when, out); // cycles of one input
    if (g.average > 1 || c.has("average")) {
        const std::optional<std::int64_t> mean =
            c.has("average") ? c.encoding("average").atLeast(g.average, c.maxCode("average")) : std::nullopt;
        if (mean)
            out.roles.push_back({"average", *mean, "average", when});
        each = each * mean.value_or(1);
        if (g.average > 1)
            out.achieved.push_back(
                {"average",
                 say("Average of"),
                 formatIfNeeded(c, "\u2265 {}", g.average),
                 std::to_string(mean.value_or(1)),
                 std::nullopt,
                 mean.has_value(),
                 {},
                 mean ? ""
                 : c.has("average")
                     ? formatIfNeeded(c, "{} makes one value of {} at most.", name,
                                      c.encoding("average").largest(c.maxCode("average")))
                     : formatIfNeeded(c, "{} makes a value of each conversion. Average in the program.", name)});
    }
    const Duration total(each * g.inputs / kernel);
    const Frequency fastest(Rational(1) / total.value);
    Achieved time{"rate",
                  say("Sequence"),
                  "\u2264 " + formatIfNeeded(c, period(g.rate), 4),
                  formatIfNeeded(c, total),
                  std::nullopt,
                  total <= period(g.rate),
                  formatIfNeeded(c, "{} \u00d7 {} / {}", g.inputs, each.text(), formatIfNeeded(c, c.kernel().rate)),
                  {},
                  true};
    if (!time.ok)
        time.trouble = formatIfNeeded(
            c,
            "one takes longer than there is time. Ask for {} at most, for fewer bits, or for a lower source impedance.",
            formatIfNeeded(c, fastest, 3));
    out.achieved.push_back(time);

    solveStart(c, g, bits, when, out);
    solveInputs(c, g, inputs, when, out);
    if (c.has("dma_results"))
        out.roles.push_back({"dma_results", g.dma, "dma"});
    if (g.interrupt)
        out.events.push_back({"done", "done_interrupt", "done", "done", say("Called by the interrupt at each value."),
                              Frequency(g.rate.value * g.inputs)});

    // A converter that is not started converts all the time while it is on.
    if (g.continuous && c.has("start"))
        out.roles.push_back({"start", 1, "trigger", RoleValue::When::Start});

    bringUpConverter(c, out);
    return out;
}

} // namespace

Setting solveAdc(const TuningContext& c)
{
    Setting out = solveOne(c);
    if (!c.bound.shared || !out.notComputed.empty())
        return out;
    // Needs that use the converter in turn share its time.
    Rational busy;
    std::vector<std::string> who;
    for (const NeedIndex n : c.plan.needs.indices()) {
        const Need& need = c.plan.needs[n];
        if (need.kind != "adc" || c.bindings.needs[n].instance != c.bound.instance)
            continue;
        const TuningContext other{c.device, c.rates, need, c.bindings.needs[n], c.plan, c.bindings, nullptr, false};
        if (const std::optional<Duration> time =
                need.id == c.need.id ? sequenceOf(out, c) : sequenceOf(solveOne(other), other)) {
            busy = busy + time->value * goalsOf<AdcGoals>(need).rate.value;
            who.push_back(need.title);
        }
    }
    Achieved row{"rate",
                 say("Converter in use"),
                 "< 100 %",
                 formatIfNeeded(c, Ratio(busy), 3),
                 std::nullopt,
                 busy < Rational(1),
                 say("by ") + listed(who),
                 {},
                 true};
    if (!row.ok)
        row.trouble =
            formatIfNeeded(c,
                           "{} need it for longer than there is time. Ask one of them for a lower rate, or move it to "
                           "another converter.",
                           listed(who));
    out.achieved.push_back(row);
    return out;
}

} // namespace bindrel
