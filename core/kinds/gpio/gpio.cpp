// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/gpio/gpio.h"

namespace bindrel {

namespace {

std::vector<SignalSpec> gpioSignals(const Need& need)
{
    using D = SignalSpec::Direction;
    const bool input = goalText(need, "direction") == "input";
    const bool line = input && goalText(need, "edges") != "none";
    return {{"pin", input ? "input" : "output", "", -1, input ? D::In : D::Out, line}};
}

bool gpioRelevant(const Need& need, std::string_view goal)
{
    const bool input = goalText(need, "direction") == "input";
    if (goal == "edges")
        return input;
    if (goal == "level" || goal == "drive" || goal == "open_drain")
        return !input;
    return true;
}

} // namespace

GpioGoals GpioGoals::of(const Need& need)
{
    GpioGoals out;
    out.output = goalText(need, "direction") == "output";
    out.pull = pullNamed(goalText(need, "pull"));
    if (out.output) {
        out.high = goalText(need, "level") == "high";
        out.openDrain = goalText(need, "open_drain") == "yes";
        out.drive = driveNamed(goalText(need, "drive"));
        return out;
    }
    const std::string edges = goalText(need, "edges");
    out.rising = edges == "rising" || edges == "both";
    out.falling = edges == "falling" || edges == "both";
    return out;
}

Kind gpioKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "gpio";
    kind.title = "GPIO";
    kind.goals = {
        {"direction", "Direction", T::Choice, "output", {"output", "input"}, ""},
        {"level", "Level at start", T::Choice, "low", {"low", "high"}, "Set before the pad becomes an output."},
        {"pull", "Pull", T::Choice, "none", {"none", "up", "down"}, ""},
        {"edges", "Interrupt on", T::Choice, "none", {"none", "rising", "falling", "both"}, "Takes the external-interrupt line of the pad's bit."},
        {"drive", "Drive", T::Choice, "weak", {"weak", "medium", "strong"}, "", 0, 0, true},
        {"open_drain", "Open drain", T::Choice, "no", {"no", "yes"}, "", 0, 0, true},
    };
    kind.signals = gpioSignals;
    kind.relevant = gpioRelevant;
    kind.brief = [](const Need& need) {
        if (goalText(need, "direction") == "output")
            return "output, " + goalText(need, "level");
        const std::string edges = goalText(need, "edges");
        return edges == "none" ? std::string("input") : edges == "both" ? "both edges" : edges + " edge";
    };
    room.tuning.setUpPad = [](PadSetup& setup, const Device& device, const Need& need, const SignalSpec&) {
        const GpioGoals g = GpioGoals::of(need);
        const Pad& pad = device.pads[size_t(setup.pad)];
        setup.code = pad.function.valid() ? pad.portCode : -1;
        setup.gpio = true;
        setup.output = g.output;
        setup.pull = g.pull;
        setup.because = "as the need asks";
        setup.levelHigh = g.high;
        setup.openDrain = g.openDrain;
        setup.drive = g.drive;
        setup.rising = g.rising;
        setup.falling = g.falling;
        if (g.rising || g.falling)
            setup.line = device.linesInPorts ? pad.bit : pad.line;
    };
    room.source = {declareGpio, defineGpio, {"set", "is_high", "edge"}};
    return room;
}

} // namespace bindrel
