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
    kind.instanceKind = "debug";
    kind.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"dio", "data", "DIO", -1, D::Both, false},
                                       {"clk", "clock", "CLK", -1, D::In, false}};
    };
    kind.brief = [](const Need&) { return std::string("two-wire"); };
    kind.solderedToItsPads = true;
    kind.instanceSignals = {{"DIO", "Data.", "both"}, {"CLK", "Clock.", "in both"}};
    return room;
}

} // namespace bindrel
