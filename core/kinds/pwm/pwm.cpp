// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/pwm/pwm.h"

#include "core/base/say.h"
#include "core/base/whole_number.h"
#include "core/tuning/pads.h"

#include <algorithm>
#include <cstdlib>

namespace bindrel {

namespace {

int channelCount(const Need& need)
{
    return std::clamp(int(goalNumber(need, "channels")), 1, 4);
}

/// out1, out1n, out2, … and fault. A pair must get the two outputs of one channel.
std::vector<SignalSpec> pwmSignals(const Need& need)
{
    using D = SignalSpec::Direction;
    const bool pairs = goalIs(need, "outputs", "complementary");
    std::vector<SignalSpec> out;
    for (int i = 0; i < channelCount(need); ++i) {
        const std::string n = std::to_string(i + 1);
        out.push_back({"out" + n, pairs ? say("high side ") + n : say("output ") + n, "CH#", i, D::Out, false});
        if (pairs)
            out.push_back({"out" + n + "n", say("low side ") + n, "CH#N", i, D::Out, false});
    }
    if (!goalIs(need, "fault", "none") && goalName(need, "fault_by").empty())
        out.push_back({"fault", say("fault input"), "FLT", -1, D::In, false});
    return out;
}

bool pwmRelevant(const Need& need, std::string_view goal)
{
    if (goal.starts_with("duty"))
        return wholeNumber(goal.substr(4), 99).value_or(0) <= channelCount(need);
    if (goal == "dead" || goal == "dead_low")
        return goalIs(need, "outputs", "complementary");
    if (goal == "phase")
        return goalIs(need, "alignment", "centre") && goalIs(need, "outputs", "single") && channelCount(need) > 1;
    if (goal == "narrow" || goal == "wide")
        return int(goalNumber(need, "travel")) > 0;
    if (goal == "fault_filter" || goal == "fault_by")
        return !goalIs(need, "fault", "none");
    return true;
}

} // namespace

PwmGoals PwmGoals::of(const Need& need)
{
    PwmGoals out;
    out.frequency = goalRate(need, "frequency");
    out.centre = goalIs(need, "alignment", "centre");
    out.channels = channelCount(need);
    out.pairs = goalIs(need, "outputs", "complementary");
    for (size_t i = 0; i < out.duty.size(); ++i)
        if (const GoalValue duty = goalValue(need, "duty" + std::to_string(i + 1));
            const Duration* pulse = std::get_if<Duration>(&duty))
            out.pulse[i] = *pulse;
        else if (const Voltage* level = std::get_if<Voltage>(&duty))
            out.level[i] = *level;
        else if (const Ratio* share = std::get_if<Ratio>(&duty))
            out.duty[i] = *share;
    out.activeLow = goalIs(need, "polarity", "inverted");
    out.opposed = pwmRelevant(need, "phase") && goalIs(need, "phase", "opposed");
    out.dead = goalTime(need, "dead");
    out.deadLow = need.goals.contains("dead_low") ? goalTime(need, "dead_low") : out.dead;
    out.servo = {goalNumber(need, "travel"), goalTime(need, "narrow"), goalTime(need, "wide")};
    if (need.goals.contains("trigger_at")) {
        out.triggerAfter = goalAs<Duration>(need, "trigger_at");
        out.triggerAt = goalAs<Ratio>(need, "trigger_at");
    }
    out.fault = goalIs(need, "fault", "active low")    ? Fault::ActiveLow
                : goalIs(need, "fault", "active high") ? Fault::ActiveHigh
                                                       : Fault::None;
    out.faultFilter = goalTime(need, "fault_filter");
    if (need.goals.contains("idle"))
        out.idleHigh = goalIs(need, "idle", "high");
    out.steps = goalNumber(need, "steps");
    return out;
}

Kind pwmKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "pwm";
    spec.title = "PWM";
    spec.otherNames = {{"motor", {}},
                       {"bridge", {}},
                       {"dimmer", {}},
                       {"half bridge", {{"outputs", "complementary"}}, "Half bridge"},
                       {"half-bridge", {{"outputs", "complementary"}}, "Half bridge"},
                       {"full bridge", {{"channels", "2"}, {"outputs", "complementary"}}, "Full bridge"},
                       {"h-bridge", {{"channels", "2"}, {"outputs", "complementary"}}, "Full bridge"},
                       {"three-phase bridge", {{"channels", "3"}, {"outputs", "complementary"}}, "Bridge"}};
    spec.instanceKind = "timer";
    spec.goals = {
        {"frequency", "Frequency", T::Frequency, "20 kHz", {}, "Of one full period of the output."},
        {"alignment",
         "Alignment",
         T::Choice,
         "edge",
         {"edge", "centre"},
         "Centre: the counter runs up and down, pulses are symmetric."},
        {"channels", "Channels", T::Integer, "1", {}, "", 1, 4},
        {"outputs",
         "Outputs",
         T::Choice,
         "single",
         {"single", "complementary"},
         "Complementary: a high and a low side for each channel."},
        {"duty1",
         "Duty 1",
         T::Ratio,
         "0 %",
         {},
         "At start: of the period, a time (1.5 ms), or a level after a filter (1.2 V).",
         0,
         0,
         false,
         true},
        {"duty2",
         "Duty 2",
         T::Ratio,
         "0 %",
         {},
         "At start: of the period, a time (1.5 ms), or a level after a filter (1.2 V).",
         0,
         0,
         false,
         true},
        {"duty3",
         "Duty 3",
         T::Ratio,
         "0 %",
         {},
         "At start: of the period, a time (1.5 ms), or a level after a filter (1.2 V).",
         0,
         0,
         false,
         true},
        {"duty4",
         "Duty 4",
         T::Ratio,
         "0 %",
         {},
         "At start: of the period, a time (1.5 ms), or a level after a filter (1.2 V).",
         0,
         0,
         false,
         true},
        {"dead",
         "Dead time",
         T::Duration,
         "1 us",
         {},
         "Minimum time for which both sides of a pair are off at each change."},
        {"dead_low",
         "Dead time (low)",
         T::Duration,
         "1 us",
         {},
         "Minimum dead time before the low side switches on, if different from the other one.",
         0,
         0,
         true},
        {"fault",
         "Fault input",
         T::Choice,
         "none",
         {"none", "active low", "active high"},
         "Switches the outputs to their idle levels in hardware."},
        {"fault_by",
         "Fault from",
         T::Text,
         "",
         {},
         "Id of a comparator need whose result is the fault; empty: a pad.",
         0,
         0,
         true},
        {"fault_filter",
         "Fault filter",
         T::Duration,
         "0 s",
         {},
         "Shorter pulses on the fault input are ignored.",
         0,
         0,
         true},
        {"polarity",
         "Polarity",
         T::Choice,
         "normal",
         {"normal", "inverted"},
         "Active level of all outputs.",
         0,
         0,
         true},
        {"idle",
         "Idle levels",
         T::Choice,
         "low",
         {"low", "high"},
         "Level of all outputs while they are disabled. Empty: the inactive level.",
         0,
         0,
         true},
        {"phase",
         "Phase",
         T::Choice,
         "together",
         {"together", "opposed"},
         "opposed: every second output is shifted by half a period.",
         0,
         0,
         true},
        {"travel",
         "Travel",
         T::Integer,
         "0",
         {},
         "Servo travel in degrees between the narrow and the wide pulse; 0: no servo.",
         0,
         3600,
         true},
        {"narrow", "Narrow pulse", T::Duration, "1 ms", {}, "Pulse width at the start of the travel.", 0, 0, true},
        {"wide", "Wide pulse", T::Duration, "2 ms", {}, "Pulse width at the end of the travel.", 0, 0, true},
        {"trigger_at",
         "ADC trigger at",
         T::Ratio,
         "0 %",
         {},
         "Position in the period at which this timer triggers converters: a share or a time. Empty: the end of the "
         "period.",
         0,
         0,
         true,
         true},
        {"steps", "Duty steps", T::Integer, "256", {}, "Minimum number of different duty values.", 2, 65536, true},
    };
    spec.signals = pwmSignals;
    spec.relevant = pwmRelevant;
    // The channels of a timer count by one time base: who wants the same one can share it. Pairs with their dead time
    // and their fault input have the timer for themselves.
    spec.nominalTriggerRate = [](const Need& need) { return goalRate(need, "frequency"); };
    spec.sharedAs = [](const Need& need) {
        const bool alone = goalIs(need, "outputs", "complementary") || !goalIs(need, "fault", "none");
        return alone ? std::string()
                     : "pwm " + sameText(goalValue(need, "frequency")) + ", " + sameText(goalValue(need, "alignment")) +
                           ", " + sameText(goalValue(need, "steps")) + ", " + sameText(goalValue(need, "trigger_at"));
    };
    spec.fastest = [](const Need& need, std::string_view signal) {
        return signal.starts_with("out") ? goalRate(need, "frequency") : Frequency();
    };
    spec.brief = [](const Need& need) { return shortGoal(need, "frequency"); };
    using Use = RoleSpec::Use;
    spec.roles = {
        {"on", Use::Config, true, "", "Runs the counter.", {}},
        {"centre", Use::Config, false, "", "1: it counts up and down.", {}},
        {"prescaler", Use::Config, false, "clock cycles per tick", "", {}},
        {"period", Use::Config, true, "ticks", "Of a period; of one slope when it counts up and down.", {}},
        {"buffered", Use::Config, false, "", "New values wait for the next period.", {}},
        {"update", Use::Command, false, "", "Applies buffered values immediately.", {}},
        {"updated", Use::Status, false, "", "A period is over.", {}},
        {"compare#",
         Use::Data,
         true,
         "ticks",
         "The channel is active while the count is below.",
         {},
         false,
         {},
         RoleSpec::Encodings::MinusOne},
        {"output#", Use::Config, true, "", "Lets the channel drive its output.", {}},
        {"output#n", Use::Config, false, "", "Lets it drive the output of the low side.", {}},
        {"idle#", Use::Config, false, "", "Level while outputs are off.", {}},
        {"idle#n", Use::Config, false, "", "The same of the low side.", {}},
        {"outputs_enable", Use::Config, false, "", "Lets all outputs drive.", {}},
        {"invert#", Use::Config, false, "", "1: the output is inverted: low while active.", {}},
        {"invert#n", Use::Config, false, "", "The same of the low side.", {}},
        {"dead_time",
         Use::Config,
         false,
         "clock cycles",
         "Both sides of a pair are off at each change; before the high side is on, where there is a role "
         "dead_time_low.",
         {}},
        {"dead_time_low", Use::Config, false, "clock cycles", "Both are off before the low side is on.", {}},
        {"trigger_at",
         Use::Config,
         false,
         "ticks",
         "Count at which converters are started instead of at the end of the period; on the way up where it counts up "
         "and down.",
         {}},
        {"trigger_early", Use::Config, false, "", "1: converters are started at that count.", {}},
        {"fault_enable", Use::Config, false, "", "The fault input takes the outputs to idle.", {}},
        {"fault_high", Use::Config, false, "", "It is active high.", {}},
        {"fault_source",
         Use::Config,
         false,
         "code of the source",
         "Where the fault comes from; 0: its pad. A value that has the name of a comparator: its result.",
         {}},
        {"fault_filter", Use::Config, false, "clock cycles", "Shorter pulses on it are ignored.", {}},
        {"fault", Use::Status, false, "", "It has been active.", {}},
    };
    spec.abilities = {{"channels", "Numbers of channels."}, {"pairs", "Channels that have a low side."}};
    spec.instanceSignals = {{"CH#", "Output or input of a channel.", "in out both"},
                            {"CH#N", "Output of its low side.", "out both"},
                            {"FLT", "Fault input.", "in both"}};
    kind.tuning = {solvePwm, [](const TuningContext& c) { return passedOn(c, "frequency and times"); },
                   [](PadSetup& setup, const Device&, const Need& need, const SignalSpec& signal) {
                       if (signal.id == "fault") {
                           const bool low = goalsOf<PwmGoals>(need).fault == PwmGoals::Fault::ActiveLow;
                           setup.pull = low ? PadSetup::Pull::Up : PadSetup::Pull::Down;
                           setup.because =
                               low ? "an open-drain fault output needs a pull-up" : "no fault while nobody drives it";
                       } else if (setup.because.empty()) {
                           setup.because = say("slew rate for a gate driver");
                       }
                   }};
    spec.leastDrive = 1;
    spec.restsHigh = [](const Need& need) { return goalsOf<PwmGoals>(need).restsHigh(); };
    spec.restGoal = "idle";
    kind.tuning.timerPeriodRate = pwmBeats;
    kind.source = {declarePwm,
                   definePwm,
                   {"prescaler", "ticks", "millihertz", "dead_ticks", "dead_picoseconds", "set_duty", "set_pulse",
                    "set_millidegrees", "set_millivolts", "supply_millivolts", "dead_low_ticks", "fault",
                    "clear_fault"},
                   {{"prescaler", "prescaler"},
                    {"period", "ticks"},
                    {"dead_time", "dead_ticks"},
                    {"dead_time_low", "dead_low_ticks"}}};
    kind.source.stopIsSafe = true;
    kind.source.startedLater = "drives its outputs from then on";
    return kind;
}

} // namespace bindrel
