// SPDX-License-Identifier: GPL-3.0-or-later
// DAC.
#include "core/kinds/kind.h"

namespace bindrel {

Kind dacKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "dac";
    kind.title = "DAC";
    kind.instanceKind = "dac";
    kind.goals = {{"rate", "Updates a second", T::Frequency, "1 kHz", {}, ""}, {"level", "Level at start", T::Ratio, "0 %", {}, "Of the reference."}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>{{"out", "output", "OUT", -1, SignalSpec::Direction::Analog, false}}; };
    kind.brief = [](const Need& need) { return goalText(need, "rate"); };
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the converter on.", {}}, {"data", Use::Data, false, "", "The next value.", {}}, {"buffer", Use::Config, false, "", "Drives loads.", {}}, {"trigger", Use::Config, false, "", "What takes a value over.", {}}};
    kind.abilities = {{"resolution", "Bits of a value."}};
    kind.instanceSignals = {{"OUT", "The level."}};
    return room;
}

} // namespace bindrel
