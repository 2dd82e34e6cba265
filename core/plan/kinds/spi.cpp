// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

namespace bindrel {

KindSpec spiKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "spi";
    kind.title = "SPI";
    kind.instanceKind = "spi";
    kind.goals = {
        {"rate", "Clock at most", T::Frequency, "1 MHz", {}, "SCK is never faster."},
        {"mode", "Mode", T::Choice, "0", {"0", "1", "2", "3"}, "Clock polarity and phase, as data sheets number them."},
        {"data", "Data lines", T::Choice, "both", {"both", "out", "in"}, ""},
        {"select", "Select by", T::Choice, "hardware", {"hardware", "software"}, "By software: the need takes no select pad; state it as an output of its own."},
        {"dma", "DMA", T::Choice, "none", {"none", "receive", "transmit", "both"}, "", 0, 0, true},
    };
    kind.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        const std::string data = goalText(need, "data");
        std::vector<SignalSpec> out{{"sck", "clock", "SCK", -1, D::Out, false}};
        if (data != "in")
            out.push_back({"mosi", "data out", "MOSI", -1, D::Out, false});
        if (data != "out")
            out.push_back({"miso", "data in", "MISO", -1, D::In, false});
        if (goalText(need, "select") == "hardware")
            out.push_back({"cs", "select", "CS", -1, D::Out, false});
        return out;
    };
    kind.fastest = [](const Need& need, std::string_view signal) {
        return signal == "sck" ? goalRate(need, "rate") : signal == "mosi" ? goalRate(need, "rate") / Rational(2) : Frequency();
    };
    kind.requests = dmaBothWays;
    kind.brief = [](const Need& need) { return goalText(need, "rate"); };
    return kind;
}

} // namespace bindrel
