// SPDX-License-Identifier: GPL-3.0-or-later
// Interval: a tick of the firmware.
#include "core/kinds/kind.h"

namespace bindrel {

Kind intervalKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "interval";
    kind.title = "Interval";
    kind.instanceKind = "timer";
    kind.goals = {{"period", "Period", T::Duration, "1 ms", {}, "Between two interrupts."}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>(); };
    kind.brief = [](const Need& need) { return goalText(need, "period"); };
    room.tuning.accuracy = timeAccuracy;
    return room;
}

} // namespace bindrel
