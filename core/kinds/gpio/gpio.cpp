// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/gpio/gpio.h"
#include "core/base/say.h"
#include "core/base/whole_number.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>

namespace bindrel {

namespace {

int widthOf(const Need& need)
{
    return std::clamp(int(goalNumber(need, "width")), 1, 16);
}

std::vector<SignalSpec> gpioSignals(const Need& need)
{
    using D = SignalSpec::Direction;
    const bool input = goalIs(need, "direction", "input");
    const bool line = input && !goalIs(need, "edges", "none");
    const std::string what = input ? "input" : "output";
    const int width = widthOf(need);
    if (width == 1)
        return {{"pin", what, "", -1, input ? D::In : D::Out, line}};
    std::vector<SignalSpec> out;
    for (int i = 0; i < width; ++i)
        out.push_back({"pin" + std::to_string(i), fmt::format("{} {}", what, i), "", -1, input ? D::In : D::Out, line});
    return out;
}

bool gpioRelevant(const Need& need, std::string_view goal)
{
    const bool input = goalIs(need, "direction", "input");
    if (goal == "edges")
        return input;
    if (goal == "debounce" || goal == "priority" || goal == "toggles")
        return input && !goalIs(need, "edges", "none");
    if (goal == "level" || goal == "levels")
        return !input && (widthOf(need) == 1) == (goal == "level");
    if (goal == "drive" || goal == "open_drain")
        return !input;
    return true;
}

} // namespace

GpioGoals GpioGoals::of(const Need& need)
{
    GpioGoals out;
    out.output = goalIs(need, "direction", "output");
    out.width = widthOf(need);
    out.pull = goalIs(need, "pull", "up")     ? PadSetup::Pull::Up
               : goalIs(need, "pull", "down") ? PadSetup::Pull::Down
                                              : PadSetup::Pull::None;
    if (out.output) {
        out.levels =
            out.width == 1 ? goalIs(need, "level", "high") : static_cast<std::uint32_t>(goalNumber(need, "levels"));
        out.openDrain = goalIs(need, "open_drain", "yes");
        out.drive = goalIs(need, "drive", "strong")   ? PadSetup::Drive::Strong
                    : goalIs(need, "drive", "medium") ? PadSetup::Drive::Medium
                                                      : PadSetup::Drive::Weak;
        return out;
    }
    const bool both = goalIs(need, "edges", "both");
    out.rising = both || goalIs(need, "edges", "rising");
    out.falling = both || goalIs(need, "edges", "falling");
    if (out.rising || out.falling)
        out.debounce = goalTime(need, "debounce");
    return out;
}

namespace {
/// A contact that closes and bounces, and when the program hears of it: once it has been quiet for long enough.
std::optional<Waveform> drawBounce(const Need& need)
{
    const GpioGoals& g = goalsOf<GpioGoals>(need);
    if (g.debounce.value.isZero())
        return std::nullopt;
    Waveform wave;
    const Duration quiet = g.debounce;
    wave.title = say("a contact that bounces");
    wave.span = quiet * Rational(5);
    const bool rests = g.pull == PadSetup::Pull::Up;
    Waveform::Trace pad{say("pad"), rests, {}}, heard{"heard", rests, {}};
    // Two changes, each with bounces that are shorter than the time that must be quiet.
    for (int change = 0; change < 2; ++change) {
        const bool to = (change == 0) != rests;
        Rational at = Rational(1, 4) + Rational(9 * change, 4);
        for (int bounce = 0; bounce < 5; ++bounce, at = at + Rational(1, 8))
            pad.edges.push_back({quiet * at, (bounce % 2 == 0) == to});
        const Duration last = quiet * (at - Rational(1, 8)), told = last + quiet;
        heard.edges.push_back({told, to});
        wave.marks.push_back({last, told, 0, say("quiet for ") + format(quiet, 3), true});
        if (to ? g.rising : g.falling)
            wave.marks.push_back({told, told, 1, to ? say("rising") : say("falling"), false});
        if (change == 0)
            wave.handles.push_back({"debounce", told, last, Waveform::Handle::States::Time, 1, 1});
    }
    wave.traces = {std::move(pad), std::move(heard)};
    return wave;
}
} // namespace

Kind gpioKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "gpio";
    spec.title = "GPIO";
    spec.otherNames = {{"led", {{"direction", "output"}}, "LED"},      {"lamp", {{"direction", "output"}}, "Lamp"},
                       {"relay", {{"direction", "output"}}, "Relay"},  {"output", {{"direction", "output"}}},
                       {"digital output", {{"direction", "output"}}},  {"button", {{"direction", "input"}}, "Button"},
                       {"switch", {{"direction", "input"}}, "Switch"}, {"input", {{"direction", "input"}}},
                       {"digital input", {{"direction", "input"}}},    {"port", {}}};
    spec.phrases = {{"active low", {{"level", "high"}}},
                    {"active high", {{"level", "low"}}},
                    {"high at start", {{"level", "high"}}},
                    {"low at start", {{"level", "low"}}},
                    {"pull-up", {{"pull", "up"}}},
                    {"pull-down", {{"pull", "down"}}},
                    {"pullup", {{"pull", "up"}}},
                    {"pulldown", {{"pull", "down"}}},
                    {"open-drain", {{"open_drain", "yes"}}},
                    {"open drain", {{"open_drain", "yes"}}},
                    {"interrupt on both edges", {{"edges", "both"}}},
                    {"both edges", {{"edges", "both"}}},
                    {"wakes", {{"edges", "falling"}}},
                    {"wake-up", {{"edges", "falling"}}},
                    {"rising edge", {{"edges", "rising"}}},
                    {"falling edge", {{"edges", "falling"}}}};
    spec.goals = {
        {"direction", "Direction", T::Choice, "output", {"output", "input"}, ""},
        {"level", "Initial level", T::Choice, "low", {"low", "high"}, "Set before the pad becomes an output."},
        {"width",
         "Pads",
         T::Integer,
         "1",
         {},
         "Several pads are read and written as a word; they may be on any ports.",
         1,
         16,
         true},
        {"levels",
         "Initial levels",
         T::Integer,
         "0",
         {},
         "As a number: the first pad is the lowest bit.",
         0,
         65535,
         true},
        {"pull", "Pull", T::Choice, "none", {"none", "up", "down"}, ""},
        {"edges",
         "Interrupt on",
         T::Choice,
         "none",
         {"none", "rising", "falling", "both"},
         "Uses the external-interrupt line of the pad."},
        {"debounce", "Debounce", T::Duration, "0 s", {}, "The interrupt line ignores shorter pulses.", 0, 0, true},
        togglesGoal(),
        priorityGoal(),
        aboveGoal(),
        takesGoal(),
        {"drive", "Drive", T::Choice, "weak", {"weak", "medium", "strong"}, "", 0, 0, true},
        {"open_drain", "Open drain", T::Choice, "no", {"no", "yes"}, "", 0, 0, true},
    };
    for (GoalSpec& goal : spec.goals)
        goal.ofPin = goal.id == "level" || goal.id == "pull" || goal.id == "drive" || goal.id == "open_drain";
    spec.signals = gpioSignals;
    spec.waitsForEdges = [](const Need& need) { return !goalIs(need, "edges", "none"); };
    spec.ofPad = [](bool driven) { return Goals{{"direction", driven ? "output" : "input"}}; };
    spec.relevant = gpioRelevant;
    spec.toggles = [](const Need& need) {
        return gpioRelevant(need, "toggles") ? goalName(need, "toggles") : std::string();
    };
    spec.canBeToggled = [](const Need& need) { return goalIs(need, "direction", "output") && widthOf(need) == 1; };
    spec.brief = [](const Need& need) {
        if (goalIs(need, "direction", "output"))
            return widthOf(need) > 1 ? say("{} outputs", widthOf(need)) : say("output, {}", goalText(need, "level"));
        if (widthOf(need) > 1)
            return say("{} inputs", widthOf(need));
        return goalIs(need, "edges", "none")   ? std::string(say("input"))
               : goalIs(need, "edges", "both") ? say("both edges")
                                               : say("{} edge", goalText(need, "edges"));
    };
    kind.tuning.picture = drawBounce;
    kind.tuning.setUpPad = [](PadSetup& setup, const Device& device, const Need& need, const SignalSpec& signal) {
        const GpioGoals& g = goalsOf<GpioGoals>(need);
        const Pad& pad = device.pads[setup.pad];
        setup.code = pad.function.valid() ? pad.portCode : -1;
        setup.gpio = true;
        setup.output = g.output;
        setup.pull = g.pull;
        setup.because = say("as the need requires");
        setup.levelHigh = (g.levels >> (g.width == 1 ? 0 : wholeNumber(signal.id.substr(3), 31).value_or(0)) & 1u) != 0;
        setup.quiet = g.debounce;
        setup.openDrain = g.openDrain;
        setup.drive = g.drive;
        setup.rising = g.rising;
        setup.falling = g.falling;
        if (g.rising || g.falling)
            setup.line = device.linesInPorts ? pad.bit : pad.line;
    };
    kind.source = {declareGpio, defineGpio, {"set", "toggle", "is_high", "edge", "write", "read"}};
    return kind;
}

} // namespace bindrel
