// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

namespace bindrel {

KindSpec i2cKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "i2c";
    kind.title = "I2C";
    kind.instanceKind = "i2c";
    kind.goals = {
        {"rate", "Clock at most", T::Frequency, "400 kHz", {}, "SCL is never faster."},
        {"class", "Speed class", T::Choice, "fast", {"standard", "fast", "fast plus"},
         "Whose phase minima hold: standard 100 kHz, fast 400 kHz, fast plus 1 MHz."},
        {"rise", "Rise time", T::Duration, "150 ns", {}, "From 30 % to 70 % of the supply, as the pull-ups give it."},
        {"fall", "Fall time", T::Duration, "20 ns", {}, "", 0, 0, true},
        {"filter", "Spike filter", T::Duration, "50 ns", {}, "Spikes up to this length are suppressed (50 ns in fast mode).", 0, 0, true},
        {"dma", "DMA", T::Choice, "none", {"none", "receive", "transmit", "both"}, "", 0, 0, true},
    };
    kind.requests = dmaBothWays;
    kind.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"scl", "clock", "SCL", -1, D::Both, false}, {"sda", "data", "SDA", -1, D::Both, false}};
    };
    kind.brief = [](const Need& need) { return goalText(need, "rate"); };
    return kind;
}

} // namespace bindrel
