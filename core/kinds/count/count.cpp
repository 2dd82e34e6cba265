// SPDX-License-Identifier: GPL-3.0-or-later
// Pulse count: edges of an input, counted while the core sleeps.
#include "core/kinds/kind.h"

namespace bindrel {

Kind countKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "count";
    kind.title = "Pulse count";
    kind.instanceKind = "counter";
    kind.goals = {{"edge", "Counts", T::Choice, "falling", {"falling", "rising", "both"}, ""},
                  {"most", "Pulses a second at most", T::Frequency, "10 Hz", {}, ""},
                  {"filter", "Filter", T::Duration, "1 ms", {}, "Shorter pulses are ignored.", 0, 0, true}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>{{"in", "input", "IN", -1, SignalSpec::Direction::In, false}}; };
    kind.brief = [](const Need& need) { return goalText(need, "edge") + " edges"; };
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the counter on.", {}}, {"edge", Use::Config, false, "", "Which edges count.", {{"falling", 0}, {"rising", 1}, {"both", 2}}}, {"filter", Use::Config, false, "", "Ignores short pulses.", {}},
                  {"period", Use::Config, false, "counts", "After which it begins anew.", {}}, {"counter", Use::Data, false, "", "The count.", {}}, {"wrapped", Use::Status, false, "", "It has begun anew.", {}},
                  {"external", Use::Config, false, "", "Counts the input instead of its clock.", {}}, {"prescaler", Use::Config, false, "", "", {}}};
    kind.instanceSignals = {{"IN", "Input."}, {"OUT", "Output."}};
    return room;
}

} // namespace bindrel
