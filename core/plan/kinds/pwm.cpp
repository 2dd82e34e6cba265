// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

#include <algorithm>
#include <cstdlib>

namespace bindrel {

namespace {

int channelCount(const Need& need) { return std::clamp(std::atoi(goalText(need, "channels").c_str()), 1, 4); }

/// out1, out1n, out2, … and fault. A pair must get the two outputs of one channel.
std::vector<SignalSpec> pwmSignals(const Need& need)
{
    using D = SignalSpec::Direction;
    const bool pairs = goalText(need, "outputs") == "complementary";
    std::vector<SignalSpec> out;
    for (int i = 0; i < channelCount(need); ++i) {
        const std::string n = std::to_string(i + 1);
        out.push_back({"out" + n, pairs ? "high side " + n : "output " + n, "CH#", i, D::Out, false});
        if (pairs)
            out.push_back({"out" + n + "n", "low side " + n, "CH#N", i, D::Out, false});
    }
    if (goalText(need, "fault") != "none")
        out.push_back({"fault", "fault input", "FLT", -1, D::In, false});
    return out;
}

bool pwmRelevant(const Need& need, std::string_view goal)
{
    if (goal.starts_with("duty"))
        return std::atoi(std::string(goal.substr(4)).c_str()) <= channelCount(need);
    if (goal == "dead")
        return goalText(need, "outputs") == "complementary";
    if (goal == "fault_filter")
        return goalText(need, "fault") != "none";
    return true;
}

} // namespace

KindSpec pwmKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "pwm";
    kind.title = "PWM";
    kind.instanceKind = "timer";
    kind.goals = {
        {"frequency", "Frequency", T::Frequency, "20 kHz", {}, "Of one full period of the output."},
        {"alignment", "Alignment", T::Choice, "edge", {"edge", "centre"}, "Centre: the counter runs up and down, pulses are symmetric."},
        {"channels", "Channels", T::Integer, "1", {}, "", 1, 4},
        {"outputs", "Outputs", T::Choice, "single", {"single", "complementary"}, "Complementary: a high and a low side for each channel."},
        {"duty1", "Duty 1", T::Ratio, "0 %", {}, "At start."},
        {"duty2", "Duty 2", T::Ratio, "0 %", {}, "At start."},
        {"duty3", "Duty 3", T::Ratio, "0 %", {}, "At start."},
        {"duty4", "Duty 4", T::Ratio, "0 %", {}, "At start."},
        {"dead", "Dead time", T::Duration, "1 us", {}, "At least this long both sides of a pair are off at each change."},
        {"fault", "Fault input", T::Choice, "none", {"none", "active low", "active high"}, "Takes the outputs to their idle levels without software."},
        {"fault_filter", "Fault filter", T::Duration, "0 s", {}, "Shorter pulses on the fault input are ignored.", 0, 0, true},
        {"idle", "Idle levels", T::Choice, "low", {"low", "high"}, "Of all outputs while they are not enabled.", 0, 0, true},
        {"steps", "Duty steps", T::Integer, "256", {}, "Fewest different duties that the period must allow.", 2, 65536, true},
    };
    kind.signals = pwmSignals;
    kind.relevant = pwmRelevant;
    // The channels of a timer count by one time base: who wants the same one can share it. Pairs with their dead time and
    // their fault input have the timer for themselves.
    kind.sharedAs = [](const Need& need) {
        const bool alone = goalText(need, "outputs") == "complementary" || goalText(need, "fault") != "none";
        return alone ? std::string() : "pwm " + goalText(need, "frequency") + ", " + goalText(need, "alignment") + ", " + goalText(need, "steps");
    };
    kind.fastest = [](const Need& need, std::string_view signal) { return signal.starts_with("out") ? goalRate(need, "frequency") : Frequency(); };
    kind.brief = [](const Need& need) { return goalText(need, "frequency"); };
    return kind;
}

} // namespace bindrel
