// SPDX-License-Identifier: GPL-3.0-or-later
// Comparator.
#include "core/kinds/kind.h"

namespace bindrel {

Kind comparatorKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "comparator";
    kind.title = "Comparator";
    kind.instanceKind = "comparator";
    kind.goals = {{"against", "Compared with", T::Choice, "reference", {"reference", "second input"}, ""},
                  {"level", "Threshold", T::Ratio, "50 %", {}, "Of the reference."},
                  {"output", "Output on a pad", T::Choice, "no", {"no", "yes"}, ""}};
    kind.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out{{"in", "input", "INP", -1, D::Analog, false}};
        if (goalText(need, "against") == "second input")
            out.push_back({"ref", "second input", "INM", -1, D::Analog, false});
        if (goalText(need, "output") == "yes")
            out.push_back({"out", "output", "OUT", -1, D::Out, false});
        return out;
    };
    kind.brief = [](const Need& need) { return goalText(need, "against") == "reference" ? "at " + goalText(need, "level") : std::string("two inputs"); };
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the comparator on.", {}}, {"reference", Use::Config, false, "", "Picks the reference instead of the second input.", {}}, {"threshold", Use::Config, false, "steps of the reference", "", {}},
                  {"level", Use::Status, false, "", "The result.", {}}, {"inverted", Use::Config, false, "", "The result is turned round.", {}}, {"hysteresis", Use::Config, false, "", "", {}}};
    kind.instanceSignals = {{"INP", "Input."}, {"INM", "Second input."}, {"OUT", "The result."}};
    return room;
}

} // namespace bindrel
