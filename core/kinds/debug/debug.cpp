// SPDX-License-Identifier: GPL-3.0-or-later
// The debug port.
#include "core/base/say.h"
#include "core/kinds/kind.h"

namespace bindrel {

Kind debugKind()
{
    Kind kind;
    KindSpec& spec = kind.spec;
    spec.id = "debug";
    spec.title = "Debug";
    spec.otherNames = {{"debug port", {}}, {"debugger", {}}};
    spec.phrases = {{"single-wire", {{"wires", "one"}}}, {"one wire", {{"wires", "one"}}}};
    spec.goals = {
        {"wires", "Wires", GoalSpec::Type::Choice, "two", {"two", "one"}, "One: data only, without a clock."}};
    spec.instanceKind = "debug";
    spec.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out{{"dio", "data", "DIO", -1, D::Both, false}};
        if (goalIs(need, "wires", "two"))
            out.push_back({"clk", "clock", "CLK", -1, D::In, false});
        return out;
    };
    spec.brief = [](const Need& need) { return say("{}-wire", goalText(need, "wires")); };
    spec.solderedToItsPads = true;
    spec.instanceSignals = {{"DIO", "Data.", "both"}, {"CLK", "Clock.", "in both"}};
    return kind;
}

} // namespace bindrel
