// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

namespace bindrel {

namespace {

std::vector<SignalSpec> uartSignals(const Need& need)
{
    using D = SignalSpec::Direction;
    const std::string direction = goalText(need, "direction");
    std::vector<SignalSpec> out;
    if (direction != "receive")
        out.push_back({"tx", "transmit", "TX", -1, D::Out, false});
    if (direction != "transmit")
        out.push_back({"rx", "receive", "RX", -1, D::In, false});
    if (goalText(need, "flow") == "RTS/CTS") {
        out.push_back({"rts", "request to send", "RTS", -1, D::Out, false});
        out.push_back({"cts", "clear to send", "CTS", -1, D::In, false});
    }
    return out;
}

} // namespace

KindSpec uartKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "uart";
    kind.title = "UART";
    kind.instanceKind = "uart";
    kind.goals = {
        {"baud", "Baud", T::Baud, "115.2 kBd", {}, "Symbols a second on the line."},
        {"frame", "Frame", T::Choice, "8N1", {"8N1", "8N2", "8E1", "8O1", "8E2", "8O2", "7E1", "7O1"}, "Data bits, parity, stop bits."},
        {"flow", "Flow control", T::Choice, "none", {"none", "RTS/CTS"}, "Hardware handshake."},
        {"direction", "Direction", T::Choice, "both", {"both", "transmit", "receive"}, ""},
        {"peer", "Other end", T::Tolerance, "±1 %", {}, "How far the other end's clock may be off.", 0, 0, true},
        {"dma", "DMA", T::Choice, "none", {"none", "receive", "transmit", "both"}, "", 0, 0, true},
    };
    kind.signals = uartSignals;
    // A line that carries 0101… makes a full cycle in two bits.
    kind.fastest = [](const Need& need, std::string_view signal) { return signal == "tx" ? goalRate(need, "baud") / Rational(2) : Frequency(); };
    kind.requests = dmaBothWays;
    kind.brief = [](const Need& need) { return goalText(need, "baud"); };
    return kind;
}

} // namespace bindrel
