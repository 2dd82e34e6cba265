// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/uart/uart.h"

#include "core/quantity/parse.h"
#include "core/tuning/pads.h"

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

UartGoals UartGoals::of(const Need& need)
{
    UartGoals out;
    out.baud = goalRate(need, "baud");
    if (const std::string frame = goalText(need, "frame"); frame.size() == 3)
        out.frame = {frame[0] - '0', frame[1] == 'E' ? UartFrame::Parity::Even : frame[1] == 'O' ? UartFrame::Parity::Odd : UartFrame::Parity::None, frame[2] - '0'};
    out.handshake = goalText(need, "flow") == "RTS/CTS";
    out.sends = goalText(need, "direction") != "receive";
    out.receives = goalText(need, "direction") != "transmit";
    if (const Expected<Ppm> peer = parsePpm(goalText(need, "peer")))
        out.peer = *peer;
    return out;
}

Kind uartKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "uart";
    kind.title = "UART";
    kind.instanceKind = "uart";
    kind.goals = {
        {"baud", "Baud", T::Baud, "115.2 kBd", {}, "Symbols a second on the line."},
        {"frame", "Frame", T::Choice, "8N1", {"8N1", "8N2", "8E1", "8O1", "8E2", "8O2", "7E1", "7O1"}, "Data bits, parity, stop bits."},
        {"flow", "Flow control", T::Choice, "none", {"none", "RTS/CTS"}, "Hardware handshake."},
        {"direction", "Direction", T::Choice, "both", {"both", "transmit", "receive"}, ""},
        {"peer", "Other end", T::Tolerance, "±1 %", {}, "How far the other end's clock may be off.", 0, 0, true},
        {"interrupt", "Interrupt", T::Choice, "none", {"none", "receive"}, "Receive: bytes are taken in by the interrupt and wait in memory.", 0, 0, true},
        priorityGoal(),
        {"dma", "DMA", T::Choice, "none", {"none", "receive", "transmit", "both"}, "", 0, 0, true},
    };
    kind.signals = uartSignals;
    // A line that carries 0101… makes a full cycle in two bits.
    kind.fastest = [](const Need& need, std::string_view signal) { return signal == "tx" ? goalRate(need, "baud") / Rational(2) : Frequency(); };
    kind.requests = dmaBothWays;
    kind.brief = [](const Need& need) { return goalText(need, "baud"); };
    using Use = RoleSpec::Use;
    kind.roles = {
        {"on", Use::Config, false, "", "Switches the port on, after all else is set.", {}},
        {"transmit", Use::Config, false, "", "Lets it send.", {}},
        {"receive", Use::Config, false, "", "Lets it receive.", {}},
        {"bits", Use::Config, false, "data bits", "Without it a frame has 8.", {}},
        {"parity", Use::Config, false, "", "", {{"none|off", 0}, {"even", 1}, {"odd", 2}}},
        {"stop", Use::Config, false, "stop bits", "Without it a frame has 1.", {}},
        {"rts", Use::Config, false, "", "Drives RTS by hardware.", {}},
        {"cts", Use::Config, false, "", "Obeys CTS.", {}},
        {"oversampling", Use::Config, false, "samples a bit", "Where there is a choice.", {}},
        {"divider", Use::Config, true, "kernel cycles a sample, in parts of 1 / 2^fraction_bits", "", {}},
        {"receive_interrupt", Use::Config, false, "", "Lets a byte that has come interrupt. Without it, it always does.", {}},
        {"dma_receive", Use::Config, false, "", "Lets the port ask DMA to fetch.", {}},
        {"dma_transmit", Use::Config, false, "", "Lets the port ask DMA to bring.", {}},
        {"transmit_empty", Use::Status, true, "", "There is room for a byte.", {}},
        {"receive_full", Use::Status, true, "", "A byte has come.", {}},
        {"data", Use::Data, true, "", "The next byte out, and the one that came.", {}},
    };
    kind.abilities = {{"oversampling", "Samples a bit that can be chosen."}, {"fraction_bits", "Of the divider."}, {"smallest_divider", "Smallest value of the divider."}, {"fifo", "Depth in bytes."}};
    kind.instanceSignals = {{"TX", "Transmit."}, {"RX", "Receive."}, {"RTS", "Request to send."}, {"CTS", "Clear to send."}};
    kind.instanceRequests = {{"RX", "A byte has come."}, {"TX", "There is room for a byte."}};
    room.tuning = {solveUart, uartAccuracy, [](PadSetup& setup, const Device&, const Need&, const SignalSpec& signal) {
                       if (signal.direction != SignalSpec::Direction::In)
                           return;
                       setup.pull = PadSetup::Pull::Up;
                       setup.because = "the line idles high, also while nobody drives it";
                   }};
    room.source = {declareUart, defineUart, {"baud", "divider", "byte_us", "send", "send_bytes", "receive", "take_in", "lost"}, {{"divider", "divider"}}};
    return room;
}

} // namespace bindrel
