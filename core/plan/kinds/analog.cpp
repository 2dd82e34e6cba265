// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

namespace bindrel {

KindSpec dacKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "dac";
    kind.title = "DAC";
    kind.instanceKind = "dac";
    kind.goals = {{"rate", "Updates a second", T::Frequency, "1 kHz", {}, ""}, {"level", "Level at start", T::Ratio, "0 %", {}, "Of the reference."}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>{{"out", "output", "OUT", -1, SignalSpec::Direction::Analog, false}}; };
    kind.brief = [](const Need& need) { return goalText(need, "rate"); };
    return kind;
}

KindSpec comparatorKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
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
    return kind;
}

} // namespace bindrel
