// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

namespace bindrel {

KindSpec debugKind()
{
    KindSpec kind;
    kind.id = "debug";
    kind.title = "Debug";
    kind.instanceKind = "debug";
    kind.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"dio", "data", "DIO", -1, D::Both, false}, {"clk", "clock", "CLK", -1, D::In, false}};
    };
    kind.brief = [](const Need&) { return std::string("two-wire"); };
    return kind;
}

KindSpec crystalKind()
{
    KindSpec kind;
    kind.id = "crystal";
    kind.title = "Crystal";
    kind.instanceKind = "crystal";
    kind.instanceGoal = "clock";
    kind.goals = {{"clock", "Clock", GoalSpec::Type::Name, "", {}, "The oscillator that it belongs to."}};
    kind.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"in", "oscillator in", "IN", -1, D::Analog, false}, {"out", "oscillator out", "OUT", -1, D::Analog, false}};
    };
    kind.brief = [](const Need& need) { return goalText(need, "clock"); };
    return kind;
}

KindSpec externalClockKind()
{
    KindSpec kind;
    kind.id = "clockin";
    kind.title = "External clock";
    kind.instanceKind = "clockin";
    kind.instanceGoal = "clock";
    kind.goals = {{"clock", "Clock", GoalSpec::Type::Name, "", {}, "The input that it feeds."}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>{{"in", "clock in", "IN", -1, SignalSpec::Direction::In, false}}; };
    kind.brief = [](const Need& need) { return goalText(need, "clock"); };
    return kind;
}

} // namespace bindrel
