// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/uart/uart.h"

#include "core/tuning/pads.h"

namespace bindrel {

namespace {

using Line = UartGoals::Line;

Line lineOf(const Need& need)
{
    return goalIs(need, "line", "one wire")      ? Line::OneWire
           : goalIs(need, "line", "RS-485")      ? Line::Rs485
           : goalIs(need, "line", "synchronous") ? Line::Synchronous
                                                 : Line::TwoWires;
}

const std::vector<std::pair<std::string, UartFrame>>& uartFrames()
{
    using P = UartFrame::Parity;
    static const std::vector<std::pair<std::string, UartFrame>> all{
        {"8N1", {8, P::None, 1}}, {"8N2", {8, P::None, 2}}, {"8E1", {8, P::Even, 1}}, {"8O1", {8, P::Odd, 1}},
        {"8E2", {8, P::Even, 2}}, {"8O2", {8, P::Odd, 2}},  {"7E1", {7, P::Even, 1}}, {"7O1", {7, P::Odd, 1}}};
    return all;
}

std::vector<SignalSpec> uartSignals(const Need& need)
{
    using D = SignalSpec::Direction;
    const bool sends = !goalIs(need, "direction", "receive");
    std::vector<SignalSpec> out;
    if (sends)
        out.push_back({"tx", "transmit", "TX", -1, D::Out, false});
    if (!goalIs(need, "direction", "transmit"))
        out.push_back({"rx", "receive", "RX", -1, D::In, false});
    const Line line = lineOf(need);
    if (line == Line::OneWire) // both ways on the pad of TX
        return {{"tx", "line", "TX", -1, D::Out, false}};
    if (line == Line::Rs485 && sends)
        out.push_back({"de", "driver enable", "RTS", -1, D::Out, false});
    else if (line == Line::TwoWires && goalIs(need, "flow", "RTS/CTS")) {
        out.push_back({"rts", "request to send", "RTS", -1, D::Out, false});
        out.push_back({"cts", "clear to send", "CTS", -1, D::In, false});
    } else if (line == Line::Synchronous)
        out.push_back({"ck", "clock", "CK", -1, D::Out, false});
    return out;
}

} // namespace

UartGoals UartGoals::of(const Need& need)
{
    UartGoals out;
    out.baud = goalRate(need, "baud");
    if (const std::optional<Chosen> frame = goalAs<Chosen>(need, "frame"))
        out.frame = uartFrames()[frame->index].second;
    out.line = lineOf(need);
    out.lead = goalTime(need, "lead");
    out.trail = goalTime(need, "trail");
    out.handshake = out.line == Line::TwoWires && goalIs(need, "flow", "RTS/CTS");
    out.sends = out.line == Line::OneWire || !goalIs(need, "direction", "receive");
    out.receives = out.line == Line::OneWire || !goalIs(need, "direction", "transmit");
    out.peer = goalAs<Ppm>(need, "peer").value_or(Ppm());
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
        {"frame", "Frame", T::Choice, "8N1", wordsOf(uartFrames()), "Data bits, parity, stop bits."},
        {"flow", "Flow control", T::Choice, "none", {"none", "RTS/CTS"}, "Hardware handshake."},
        {"line",
         "Line",
         T::Choice,
         "two wires",
         {"two wires", "one wire", "RS-485", "synchronous"},
         "One wire: both ends drive it, in turn. RS-485: the port switches the driver of the bus while it sends. "
         "Synchronous: it gives the other end a clock with each bit of the data.",
         0,
         0,
         true},
        {"clock_idle", "Clock rests", T::Choice, "low", {"low", "high"}, "Between frames.", 0, 0, true},
        {"clock_edge",
         "Bit is taken",
         T::Choice,
         "first edge",
         {"first edge", "second edge"},
         "Edge of the clock's pulse at which both ends take a bit.",
         0,
         0,
         true},
        {"last_clock",
         "Last bit clocked",
         T::Choice,
         "yes",
         {"yes", "no"},
         "Whether the last bit of the data has a pulse too.",
         0,
         0,
         true},
        {"lead",
         "Driver before",
         T::Duration,
         "0 s",
         {},
         "The driver is on at least so long before the start bit.",
         0,
         0,
         true},
        {"trail", "Driver after", T::Duration, "0 s", {}, "And so long after the last stop bit.", 0, 0, true},
        {"direction", "Direction", T::Choice, "both", {"both", "transmit", "receive"}, ""},
        {"peer", "Other end", T::Tolerance, "±1 %", {}, "How far the other end's clock may be off.", 0, 0, true},
        {"interrupt",
         "Interrupt",
         T::Choice,
         "none",
         {"none", "receive", "idle", "match"},
         "Match: tells when a byte of a certain value has come. Receive: bytes are taken in by the interrupt and wait "
         "in memory. Idle: it tells when the line has gone quiet after bytes.",
         0,
         0,
         true},
        priorityGoal(),
        aboveGoal(),
        {"match", "Match", T::Integer, "10", {}, "The byte that is told of.", 0, 255, true},
        {"wake",
         "Wakes",
         T::Choice,
         "no",
         {"no", "yes"},
         "A start bit ends a low-power mode, where the port runs on in it.",
         0,
         0,
         true},
        {"dma", "DMA", T::Choice, "none", {"none", "receive", "transmit", "both"}, "", 0, 0, true},
    };
    addDmaGoals(kind);
    kind.signals = uartSignals;
    kind.relevant = [](const Need& need, std::string_view goal) {
        const bool clocked = goalIs(need, "line", "synchronous");
        if (goal == "clock_idle" || goal == "clock_edge" || goal == "last_clock")
            return clocked;
        if (goal == "peer" && clocked)
            return false;
        if (goal == "match")
            return goalIs(need, "interrupt", "match");
        if (goal == "lead" || goal == "trail")
            return goalIs(need, "line", "RS-485") && !goalIs(need, "direction", "receive");
        return (goal != "flow" || goalIs(need, "line", "two wires")) &&
               (goal != "direction" || !goalIs(need, "line", "one wire"));
    };
    // A line that carries 0101… makes a full cycle in two bits.
    kind.fastest = [](const Need& need, std::string_view signal) {
        return signal == "tx" ? goalRate(need, "baud") / Rational(2) : Frequency();
    };
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
        {"single_wire", Use::Config, false, "", "Receives from the pad of TX, and does not hear itself.", {}},
        {"driver_enable", Use::Config, false, "", "RTS is high while the port sends.", {}},
        {"driver_lead", Use::Config, false, "samples of a bit", "So long RTS is high before the start bit.", {}},
        {"driver_trail", Use::Config, false, "samples of a bit", "And after the last stop bit.", {}},
        {"clocked", Use::Config, false, "", "Gives a clock with each bit of the data, on CK.", {}},
        {"clock_high", Use::Config, false, "", "1: it rests high.", {}},
        {"clock_second",
         Use::Config,
         false,
         "",
         "1: a bit is taken at the second edge of its pulse, not the first.",
         {}},
        {"clock_last", Use::Config, false, "", "1: the last bit of the data has a pulse too.", {}},
        {"match", Use::Config, false, "byte", "Value that is looked for.", {}},
        {"match_on", Use::Config, false, "", "It is looked for.", {}},
        {"matched", Use::Status, false, "", "It has come.", {}},
        {"match_interrupt", Use::Config, false, "", "Lets that interrupt. Without it, it always does.", {}},
        {"wake", Use::Config, false, "", "A start bit wakes the chip.", {}},
        {"send_break", Use::Command, false, "", "Holds the line low for longer than a frame, once.", {}},
        {"break_seen", Use::Status, false, "", "The other end did that.", {}},
        {"idle_seen", Use::Status, false, "", "The line has gone quiet after a byte.", {}},
        {"idle_interrupt", Use::Config, false, "", "Lets that interrupt. Without it, it always does.", {}},
        {"oversampling", Use::Config, false, "samples a bit", "Where there is a choice.", {}},
        {"divider", Use::Config, true, "kernel cycles a sample, in parts of 1 / 2^fraction_bits", "", {}},
        {"receive_interrupt",
         Use::Config,
         false,
         "",
         "Lets a byte that has come interrupt. Without it, it always does.",
         {}},
        {"dma_receive", Use::Config, false, "", "Lets the port ask DMA to fetch.", {}},
        {"dma_transmit", Use::Config, false, "", "Lets the port ask DMA to bring.", {}},
        {"transmit_empty", Use::Status, true, "", "There is room for a byte.", {}},
        {"receive_full", Use::Status, true, "", "A byte has come.", {}},
        {"parity_error", Use::Status, false, "", "The parity of the byte that came is wrong.", {}},
        {"framing_error", Use::Status, false, "", "The byte that came had no stop bit.", {}},
        {"overrun", Use::Status, false, "", "A byte came before the one before it was taken, and is lost.", {}},
        {"data", Use::Data, true, "", "The next byte out, and the one that came.", {}},
    };
    kind.abilities = {{"oversampling", "Samples a bit that can be chosen."},
                      {"fraction_bits", "Of the divider."},
                      {"smallest_divider", "Smallest value of the divider."},
                      {"fifo", "Depth in bytes."}};
    kind.instanceSignals = {{"TX", "Transmit.", "out both"},
                            {"RX", "Receive.", "in both"},
                            {"RTS", "Request to send.", "out both"},
                            {"CTS", "Clear to send.", "in both"},
                            {"CK", "Clock of a synchronous line.", "out both"}};
    kind.instanceRequests = {{"RX", "A byte has come."}, {"TX", "There is room for a byte."}};
    room.tuning = {solveUart, uartAccuracy,
                   [](PadSetup& setup, const Device&, const Need& need, const SignalSpec& signal) {
                       const bool oneWire = goalsOf<UartGoals>(need).line == UartGoals::Line::OneWire;
                       if (signal.direction != SignalSpec::Direction::In && !oneWire)
                           return;
                       setup.openDrain = oneWire;
                       setup.pull = PadSetup::Pull::Up;
                       setup.because = "the line idles high, also while nobody drives it";
                   }};
    room.tuning.streams = [](const Device&, InstanceIndex, const Need&) {
        return std::vector<StreamSpec>{{"RX", "data", true, 1, "receive"}, {"TX", "data", false, 1, "send"}};
    };
    room.source = {declareUart,
                   defineUart,
                   {"baud", "divider", "byte_us", "send", "send_bytes", "receive", "take_in", "lost", "send_break",
                    "break_seen", "idle", "matched", "damaged", "overruns", "error_seen"},
                   {{"divider", "divider"}}};
    room.source.declareState = declareUartState;
    room.source.resetState = resetUartState;
    return room;
}

} // namespace bindrel
