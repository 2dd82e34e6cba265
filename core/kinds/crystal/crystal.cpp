// SPDX-License-Identifier: GPL-3.0-or-later
// A crystal at its oscillator.
#include "core/kinds/kind.h"

namespace bindrel {

Kind crystalKind()
{
    Kind kind;
    KindSpec& spec = kind.spec;
    spec.id = "crystal";
    spec.title = "Crystal";
    spec.otherNames = {{"xtal", {}}, {"resonator", {}}};
    spec.instanceKind = "crystal";
    spec.instanceGoal = "clock";
    spec.goals = {{"clock", "Clock", GoalSpec::Type::Name, "", {}, "The oscillator that it belongs to."}};
    spec.goals.back().ofClock = true;
    spec.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"in", "oscillator in", "IN", -1, D::Analog, false},
                                       {"out", "oscillator out", "OUT", -1, D::Analog, false}};
    };
    spec.brief = [](const Need& need) { return goalText(need, "clock"); };
    spec.solderedToItsPads = true;
    spec.instanceSignals = {{"IN", "Oscillator in."}, {"OUT", "Oscillator out."}};
    return kind;
}

} // namespace bindrel
