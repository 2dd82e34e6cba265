// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

namespace bindrel {

KindSpec canKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "can";
    kind.title = "CAN";
    kind.instanceKind = "can";
    kind.goals = {
        {"rate", "Bit rate", T::Baud, "250 kBd", {}, "Of the arbitration phase."},
        {"sample", "Sample point", T::Ratio, "87.5 %", {}, "Of the bit, at which the level counts."},
        {"jump", "Jump width", T::Integer, "1", {}, "Time quanta by which a receiver may shift to follow an edge.", 1, 16, true},
    };
    kind.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"tx", "transmit", "TX", -1, D::Out, false}, {"rx", "receive", "RX", -1, D::In, false}};
    };
    kind.fastest = [](const Need& need, std::string_view signal) { return signal == "tx" ? goalRate(need, "rate") / Rational(2) : Frequency(); };
    kind.brief = [](const Need& need) { return goalText(need, "rate"); };
    return kind;
}

} // namespace bindrel
