// SPDX-License-Identifier: GPL-3.0-or-later
// Capture: times of edges.
#include "core/kinds/kind.h"

namespace bindrel {

Kind captureKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "capture";
    kind.title = "Capture";
    kind.instanceKind = "timer";
    kind.goals = {{"resolution", "Resolution", T::Duration, "1 us", {}, "Of a time stamp."},
                  {"longest", "Longest interval", T::Duration, "10 ms", {}, "That must not overflow the counter."},
                  {"edge", "Edges", T::Choice, "rising", {"rising", "falling", "both"}, ""}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>{{"in", "input", "CH#", 0, SignalSpec::Direction::In, false}}; };
    kind.sharedAs = [](const Need& need) { return "capture " + goalValue(need, "resolution"); };
    kind.brief = [](const Need& need) { return goalText(need, "resolution"); };
    room.tuning.accuracy = [](const TuningContext& c) { return passedOn(c, "times are read"); };
    return room;
}

} // namespace bindrel
