// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

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

KindSpec gpioKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
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
    return kind;
}

} // namespace bindrel
