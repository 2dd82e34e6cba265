// SPDX-License-Identifier: GPL-3.0-or-later
// Needs that count or measure what comes in: quadrature, pulse count, capture.
#include "core/plan/kind.h"

namespace bindrel {

KindSpec quadratureKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
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
    return kind;
}

KindSpec countKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "count";
    kind.title = "Pulse count";
    kind.instanceKind = "counter";
    kind.goals = {{"edge", "Counts", T::Choice, "falling", {"falling", "rising", "both"}, ""},
                  {"most", "Pulses a second at most", T::Frequency, "10 Hz", {}, ""},
                  {"filter", "Filter", T::Duration, "1 ms", {}, "Shorter pulses are ignored.", 0, 0, true}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>{{"in", "input", "IN", -1, SignalSpec::Direction::In, false}}; };
    kind.brief = [](const Need& need) { return goalText(need, "edge") + " edges"; };
    return kind;
}

KindSpec captureKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "capture";
    kind.title = "Capture";
    kind.instanceKind = "timer";
    kind.goals = {{"resolution", "Resolution", T::Duration, "1 us", {}, "Of a time stamp."},
                  {"longest", "Longest interval", T::Duration, "10 ms", {}, "That must not overflow the counter."},
                  {"edge", "Edges", T::Choice, "rising", {"rising", "falling", "both"}, ""}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>{{"in", "input", "CH#", 0, SignalSpec::Direction::In, false}}; };
    kind.sharedAs = [](const Need& need) { return "capture " + goalText(need, "resolution"); };
    kind.brief = [](const Need& need) { return goalText(need, "resolution"); };
    return kind;
}

} // namespace bindrel
