// SPDX-License-Identifier: GPL-3.0-or-later
// Quadrature: a timer decodes the two phases of an encoder.
#include "core/kinds/kind.h"

namespace bindrel {

Kind quadratureKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "quadrature";
    kind.title = "Quadrature";
    kind.instanceKind = "timer";
    kind.goals = {{"lines", "Lines a turn", T::Integer, "1024", {}, "Of the encoder; four counts each.", 1, 65536},
                  {"index", "Index input", T::Choice, "none", {"none", "pad"}, ""},
                  {"filter", "Filter", T::Duration, "0 s", {}, "Shorter pulses are ignored.", 0, 0, true}};
    kind.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        // Timers decode on their first two channels.
        std::vector<SignalSpec> out{{"a", "phase A", "CH1", -1, D::In, false}, {"b", "phase B", "CH2", -1, D::In, false}};
        if (goalText(need, "index") == "pad")
            out.push_back({"index", "index", "CH3", -1, D::In, false});
        return out;
    };
    kind.brief = [](const Need& need) { return goalText(need, "lines") + " lines"; };
    return room;
}

} // namespace bindrel
