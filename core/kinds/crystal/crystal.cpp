// SPDX-License-Identifier: GPL-3.0-or-later
// A crystal at its oscillator.
#include "core/kinds/kind.h"

namespace bindrel {

Kind crystalKind()
{
    Kind room;
    KindSpec& kind = room.spec;
    kind.id = "crystal";
    kind.title = "Crystal";
    kind.otherNames = {{"xtal", {}}, {"resonator", {}}};
    kind.instanceKind = "crystal";
    kind.instanceGoal = "clock";
    kind.goals = {{"clock", "Clock", GoalSpec::Type::Name, "", {}, "The oscillator that it belongs to."}};
    kind.goals.back().ofClock = true;
    kind.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"in", "oscillator in", "IN", -1, D::Analog, false},
                                       {"out", "oscillator out", "OUT", -1, D::Analog, false}};
    };
    kind.brief = [](const Need& need) { return goalText(need, "clock"); };
    kind.solderedToItsPads = true;
    kind.instanceSignals = {{"IN", "Oscillator in."}, {"OUT", "Oscillator out."}};
    return room;
}

} // namespace bindrel
