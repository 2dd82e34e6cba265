// SPDX-License-Identifier: GPL-3.0-or-later
// A clock fed into the chip.
#include "core/kinds/kind.h"

namespace bindrel {

Kind clockinKind()
{
    Kind kind;
    KindSpec& spec = kind.spec;
    spec.id = "clockin";
    spec.title = "External clock";
    spec.otherNames = {{"clock input", {}}, {"clock in", {}}, {"oscillator", {}}};
    spec.instanceKind = "clockin";
    spec.instanceGoal = "clock";
    spec.goals = {{"clock", "Clock", GoalSpec::Type::Name, "", {}, "The input that it feeds."}};
    spec.goals.back().ofClock = true;
    spec.signals = [](const Need&) {
        return std::vector<SignalSpec>{{"in", "clock in", "IN", -1, SignalSpec::Direction::In, false}};
    };
    spec.brief = [](const Need& need) { return goalText(need, "clock"); };
    spec.solderedToItsPads = true;
    spec.instanceSignals = {{"IN", "The clock.", "in both"}};
    return kind;
}

} // namespace bindrel
