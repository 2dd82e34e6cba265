// SPDX-License-Identifier: GPL-3.0-or-later
// A clock fed into the chip.
#include "core/kinds/kind.h"

namespace bindrel {

Kind clockinKind()
{
    Kind room;
    KindSpec& kind = room.spec;
    kind.id = "clockin";
    kind.title = "External clock";
    kind.otherNames = {{"clock input", {}}, {"clock in", {}}, {"oscillator", {}}};
    kind.instanceKind = "clockin";
    kind.instanceGoal = "clock";
    kind.goals = {{"clock", "Clock", GoalSpec::Type::Name, "", {}, "The input that it feeds."}};
    kind.goals.back().ofClock = true;
    kind.signals = [](const Need&) {
        return std::vector<SignalSpec>{{"in", "clock in", "IN", -1, SignalSpec::Direction::In, false}};
    };
    kind.brief = [](const Need& need) { return goalText(need, "clock"); };
    kind.solderedToItsPads = true;
    kind.instanceSignals = {{"IN", "The clock.", "in both"}};
    return room;
}

} // namespace bindrel
