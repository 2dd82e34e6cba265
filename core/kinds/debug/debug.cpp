// SPDX-License-Identifier: GPL-3.0-or-later
// The debug port.
#include "core/kinds/kind.h"

namespace bindrel {

Kind debugKind()
{
    Kind room;
    KindSpec& kind = room.spec;
    kind.id = "debug";
    kind.title = "Debug";
    kind.otherNames = {{"debug port", {}}, {"debugger", {}}};
    kind.phrases = {{"single-wire", {{"wires", "one"}}}, {"one wire", {{"wires", "one"}}}};
    kind.goals = {
        {"wires", "Wires", GoalSpec::Type::Choice, "two", {"two", "one"}, "One: data only, without a clock."}};
    kind.instanceKind = "debug";
    kind.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out{{"dio", "data", "DIO", -1, D::Both, false}};
        if (goalIs(need, "wires", "two"))
            out.push_back({"clk", "clock", "CLK", -1, D::In, false});
        return out;
    };
    kind.brief = [](const Need& need) { return goalText(need, "wires") + "-wire"; };
    kind.solderedToItsPads = true;
    kind.instanceSignals = {{"DIO", "Data.", "both"}, {"CLK", "Clock.", "in both"}};
    return room;
}

} // namespace bindrel
