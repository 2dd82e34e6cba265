// SPDX-License-Identifier: GPL-3.0-or-later
// DAC: the level that the output has when it is switched on, and setting others.
#include "core/base/say.h"
#include "core/kinds/common/timer_trigger.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

namespace bindrel {

namespace {

std::int64_t largestOf(const Device& device, InstanceIndex instance)
{
    return (INT64_C(1) << std::min<std::int64_t>(device.ability(instance, "resolution", 8), 30)) - 1;
}

/// Levels that a timer steps through, one at each of its periods.
Waveform drawLevels(const Duration& step)
{
    Waveform wave;
    wave.title = say("eight levels of a wave");
    wave.span = step * Rational(8);
    Waveform::Ramp level{"level", {}, {}};
    // A triangle: what is sent is the program's.
    constexpr int kEighths[] = {4, 6, 8, 6, 4, 2, 0, 2};
    for (int i = 0; i < 8; ++i) {
        level.points.push_back({step * Rational(i), Rational(kEighths[i], 8)});
        level.points.push_back({step * Rational(i + 1), Rational(kEighths[i], 8)});
        wave.marks.push_back({step * Rational(i), step * Rational(i), -1, i == 0 ? say("trigger") : "", false});
    }
    wave.handles = {{"rate", step, Duration(), Waveform::Handle::States::Rate, 1, -1}};
    wave.ramp = std::move(level);
    return wave;
}

Setting solveDac(const TuningContext& c)
{
    Setting out;
    const std::string& name = c.device.instances[c.bound.instance].name;
    const std::int64_t largest = largestOf(c.device, c.bound.instance);
    const std::optional<Ratio> level = goalAs<Ratio>(c.need, "level");
    const std::int64_t code = (level->value * largest).round();
    const std::int64_t millivolts = goalNumber(c.need, "reference");
    out.achieved.push_back({"level",
                            say("Initial level"),
                            formatIfNeeded(c, *level),
                            formatIfNeeded(c, Ratio(Rational(code, largest))),
                            std::nullopt,
                            true,
                            formatIfNeeded(c, "{} / {}", code, largest),
                            {}});
    out.achieved.push_back({"reference",
                            say("Step"),
                            "",
                            formatIfNeeded(c, Voltage(Rational(millivolts, 1000) / largest)),
                            std::nullopt,
                            true,
                            formatIfNeeded(c, "{} mV / {}", millivolts, largest),
                            {},
                            true});
    out.roles.push_back({"data", code, "level"});
    const bool buffered = goalIs(c.need, "buffer", "yes");
    if (c.has("buffer"))
        out.roles.push_back({"buffer", buffered, "buffer"});
    else if (buffered && c.need.goals.contains("buffer"))
        out.achieved.push_back({"buffer",
                                say("Buffer"),
                                "yes",
                                "no",
                                std::nullopt,
                                false,
                                {},
                                formatIfNeeded(c, "{} has no output buffer. Add one on the board.", name)});
    if (goalIs(c.need, "trigger", "timer")) {
        std::string trouble;
        const std::optional<TimerTrigger> trigger =
            timerTrigger(c, goalName(c.need, "by"), goalRate(c.need, "rate"), trouble);
        out.achieved.push_back(triggerRow(trigger, goalRate(c.need, "rate"), trouble));
        if (trigger)
            out.roles.push_back({"trigger", std::int64_t(trigger->code), "trigger"});
        if (trigger && c.look && trigger->rate.value > Rational(0))
            c.look->waveform = drawLevels(Duration(Rational(1) / trigger->rate.value));
    } else if (c.has("trigger")) {
        out.roles.push_back({"trigger", 0, "trigger"});
    }
    const bool wave = goalIs(c.need, "dma", "levels");
    if (c.has("dma_levels"))
        out.roles.push_back({"dma_levels", wave, "dma"});
    if (wave && !goalIs(c.need, "trigger", "timer"))
        out.achieved.push_back({"dma",
                                say("DMA"),
                                "levels",
                                "none",
                                std::nullopt,
                                false,
                                {},
                                say("DMA levels need a timer as trigger. Choose one.")});
    if (c.has("on"))
        out.roles.push_back({"on", 1, "", RoleValue::When::Start});
    return out;
}

void declareDac(Writer& w, NeedIndex need)
{
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    w.linef("#define {}_LARGEST {}u", NAME, largestOf(w.facts.device, w.facts.bindings.needs[need].instance));
    w.linef("#define {}_REFERENCE_MILLIVOLTS {}u", NAME, goalNumber(w.facts.plan.needs[need], "reference"));
    w.comment("Sets the level as a converter value, limited to the largest.");
    w.linef("void {}_set(uint32_t value);", name);
    w.comment("Level in millivolts, rounded to the nearest step.");
    w.linef("void {}_set_millivolts(uint32_t millivolts);", name);
}

void defineDac(Writer& w, NeedIndex need)
{
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    w.line();
    w.linef("void {}_set(uint32_t value)", name);
    w.line("{");
    w.linef("    const uint32_t level = value > {0}_LARGEST ? {0}_LARGEST : value;", NAME);
    writeRole(w, w.facts.bindings.needs[need].instance, "data", Code::trusted("level"), 4);
    w.line("}");
    w.line();
    w.linef("void {}_set_millivolts(uint32_t millivolts)", name);
    w.line("{");
    w.linef("    const uint32_t most = millivolts > {0}_REFERENCE_MILLIVOLTS ? {0}_REFERENCE_MILLIVOLTS : millivolts;",
            NAME);
    w.linef("    {0}_set((uint32_t)(((uint64_t)most * {1}_LARGEST + {1}_REFERENCE_MILLIVOLTS / 2u) / "
            "{1}_REFERENCE_MILLIVOLTS));",
            name, NAME);
    w.line("}");
}

} // namespace

Kind dacKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "dac";
    spec.title = "DAC";
    spec.otherNames = {{"analog output", {}}};
    spec.instanceKind = "dac";
    spec.goals = {{"rate", "Updates per second", T::Frequency, "1 kHz", {}, "How often the program sets it."},
                  {"level", "Initial level", T::Ratio, "0 %", {}, "Of the reference."},
                  {"reference",
                   "Reference",
                   T::Integer,
                   "3000",
                   {},
                   "Millivolts that the largest value stands for.",
                   100,
                   20'000,
                   true},
                  {"trigger",
                   "Started by",
                   T::Choice,
                   "software",
                   {"software", "timer"},
                   "timer: each level is output at the end of the timer's period.",
                   0,
                   0,
                   true},
                  {"by",
                   "Timer of",
                   T::Text,
                   "",
                   {},
                   "Id of the need whose timer starts it; empty: one that has the same rate.",
                   0,
                   0,
                   true},
                  {"dma",
                   "DMA",
                   T::Choice,
                   "none",
                   {"none", "levels"},
                   "Levels come from a buffer; in circular mode they form a waveform.",
                   0,
                   0,
                   true},
                  {"buffer", "Buffer", T::Choice, "yes", {"yes", "no"}, "Output buffer, to drive loads.", 0, 0, true}};
    addDmaGoals(spec);
    spec.relevant = [](const Need& need, std::string_view goal) {
        return goal != "by" || goalIs(need, "trigger", "timer");
    };
    spec.requests = [](const Need& need) {
        return goalIs(need, "dma", "levels") ? std::vector<std::string>{"LEVEL"} : std::vector<std::string>();
    };
    spec.instanceRequests = {{"LEVEL", "The next level is wanted."}};
    spec.signals = [](const Need&) {
        return std::vector<SignalSpec>{{"out", "output", "OUT", -1, SignalSpec::Direction::Analog, false}};
    };
    spec.brief = [](const Need& need) { return shortGoal(need, "rate"); };
    using Use = RoleSpec::Use;
    spec.roles = {{"on", Use::Config, false, "", "Switches the converter on.", {}},
                  {"data", Use::Data, true, "steps", "The value that is put out, from 0.", {}},
                  {"buffer", Use::Config, false, "", "Output buffer, to drive loads.", {}},
                  {"dma_levels", Use::Config, false, "", "Enables DMA requests for the next value.", {}},
                  {"trigger",
                   Use::Config,
                   false,
                   "code of the trigger",
                   "Trigger that outputs a value; 0: the write itself. A value named like a timer: the end of that "
                   "timer's period.",
                   {}}};
    spec.abilities = {{"resolution", "Bits of a value; 8 when nothing is said."}};
    spec.instanceSignals = {{"OUT", "The level.", "analog"}};
    spec.instanceEvents = {{"empty", "The next value is wanted."}, {"event", "Anything."}};
    kind.tuning.solve = solveDac;
    kind.tuning.startedByTimers = true;
    kind.tuning.streams = [](const Device& device, InstanceIndex instance, const Need&) {
        return std::vector<StreamSpec>{{"LEVEL", "data", false, largestOf(device, instance) > 255 ? 2 : 1, "levels"}};
    };
    kind.source = {declareDac, defineDac, {"largest", "reference_millivolts", "set", "set_millivolts"}};
    kind.source.startedLater = "drives its output from then on";
    return kind;
}

} // namespace bindrel
