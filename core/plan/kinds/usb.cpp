// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

namespace bindrel {

KindSpec usbKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "usb";
    kind.title = "USB device";
    kind.instanceKind = "usb";
    kind.goals = {
        {"speed", "Speed class", T::Choice, "full", {"full", "low"}, "Full: 12 Mbit/s; low: 1.5 Mbit/s."},
        {"sensing", "Supply sensing", T::Choice, "none", {"none", "pad"}, "None: the board cannot tell whether a host is attached."},
    };
    kind.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out{{"dp", "data plus", "DP", -1, D::Both, false}, {"dm", "data minus", "DM", -1, D::Both, false}};
        if (goalText(need, "sensing") == "pad")
            out.push_back({"sense", "supply sensing", "SENSE", -1, D::In, false});
        return out;
    };
    kind.brief = [](const Need& need) { return goalText(need, "speed") + " speed"; };
    return kind;
}

} // namespace bindrel
