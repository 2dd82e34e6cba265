// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/uart/uart.h"

#include "core/base/say.h"
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
        out.push_back({"de", say("driver enable"), "RTS", -1, D::Out, false});
    else if (line == Line::TwoWires && goalIs(need, "flow", "RTS/CTS")) {
        out.push_back({"rts", say("request to send"), "RTS", -1, D::Out, false});
        out.push_back({"cts", say("clear to send"), "CTS", -1, D::In, false});
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
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "uart";
    spec.title = "UART";
    spec.otherNames = {{"serial", {}},
                       {"serial port", {}},
                       {"usart", {}},
                       {"rs-485", {{"line", "RS-485"}}},
                       {"rs485", {{"line", "RS-485"}}}};
    spec.instanceKind = "uart";
    spec.goals = {
        {"baud", "Baud", T::Baud, "115.2 kBd", {}, "Symbols per second on the line."},
        {"frame", "Frame", T::Choice, "8N1", wordsOf(uartFrames()), "Data bits, parity, stop bits."},
        {"flow", "Flow control", T::Choice, "none", {"none", "RTS/CTS"}, "Hardware handshake."},
        {"line",
         "Line",
         T::Choice,
         "two wires",
         {"two wires", "one wire", "RS-485", "synchronous"},
         "one wire: half duplex. RS-485: the port enables the bus driver while it sends. synchronous: the port sends a "
         "clock pulse with each data bit.",
         0,
         0,
         true},
        {"clock_idle", "Clock idle level", T::Choice, "low", {"low", "high"}, "Between frames.", 0, 0, true},
        {"clock_edge",
         "Sampling edge",
         T::Choice,
         "first edge",
         {"first edge", "second edge"},
         "Clock edge at which both ends sample a bit.",
         0,
         0,
         true},
        {"last_clock",
         "Last bit clock",
         T::Choice,
         "yes",
         {"yes", "no"},
         "Whether the last data bit has a clock pulse too.",
         0,
         0,
         true},
        {"lead",
         "Driver lead time",
         T::Duration,
         "0 s",
         {},
         "Minimum time from driver enable to the start bit.",
         0,
         0,
         true},
        {"trail",
         "Driver hold time",
         T::Duration,
         "0 s",
         {},
         "Minimum time from the last stop bit to driver disable.",
         0,
         0,
         true},
        {"direction", "Direction", T::Choice, "both", {"both", "transmit", "receive"}, ""},
        {"peer", "Remote clock tolerance", T::Tolerance, "±1 %", {}, "Clock error of the other end.", 0, 0, true},
        {"interrupt",
         "Interrupt",
         T::Choice,
         "none",
         {"none", "receive", "idle", "match"},
         "match: when a certain byte has been received. receive: bytes are stored by the interrupt. idle: when the "
         "line is idle after bytes.",
         0,
         0,
         true},
        priorityGoal(),
        aboveGoal(),
        takesGoal(),
        {"match", "Match", T::Integer, "10", {}, "Byte value of the match interrupt.", 0, 255, true},
        {"wake",
         "Wakes",
         T::Choice,
         "no",
         {"no", "yes"},
         "A start bit wakes the chip, if the port runs in the low-power mode.",
         0,
         0,
         true},
        {"dma", "DMA", T::Choice, "none", {"none", "receive", "transmit", "both"}, "", 0, 0, true},
    };
    addDmaGoals(spec);
    spec.signals = uartSignals;
    spec.relevant = [](const Need& need, std::string_view goal) {
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
    spec.fastest = [](const Need& need, std::string_view signal) {
        return signal == "tx" ? goalRate(need, "baud") / Rational(2) : Frequency();
    };
    spec.requests = dmaBothWays;
    spec.brief = [](const Need& need) { return shortGoal(need, "baud", "Bd"); };
    using Use = RoleSpec::Use;
    spec.roles = {
        {"on", Use::Config, false, "", "Switches the port on, after all else is set.", {}},
        {"transmit", Use::Config, false, "", "Lets it send.", {}},
        {"receive", Use::Config, false, "", "Lets it receive.", {}},
        {"bits", Use::Config, false, "data bits", "Without it a frame has 8.", {}},
        {"parity", Use::Config, false, "", "", {{"none|off", 0}, {"even", 1}, {"odd", 2}}},
        {"stop", Use::Config, false, "stop bits", "Without it a frame has 1.", {}},
        {"rts", Use::Config, false, "", "Drives RTS by hardware.", {}},
        {"cts", Use::Config, false, "", "Obeys CTS.", {}},
        {"single_wire", Use::Config, false, "", "Receives on the TX pad, without an echo of its own bytes.", {}},
        {"driver_enable", Use::Config, false, "", "RTS is high while the port sends.", {}},
        {"driver_lead", Use::Config, false, "samples of a bit", "Time from RTS high to the start bit.", {}},
        {"driver_trail", Use::Config, false, "samples of a bit", "Time from the last stop bit to RTS low.", {}},
        {"clocked", Use::Config, false, "", "Outputs a clock with each data bit, on CK.", {}},
        {"clock_high", Use::Config, false, "", "1: idles high.", {}},
        {"clock_second",
         Use::Config,
         false,
         "",
         "1: a bit is sampled at the second edge of its pulse, not the first.",
         {}},
        {"clock_last", Use::Config, false, "", "1: the last bit of the data has a pulse too.", {}},
        {"match", Use::Config, false, "byte", "Byte value of the match.", {}},
        {"match_on", Use::Config, false, "", "Enables the match.", {}},
        {"matched", Use::Status, false, "", "The match has occurred.", {}},
        {"match_interrupt", Use::Config, false, "", "Enables its interrupt. Without it, it is always enabled.", {}},
        {"wake", Use::Config, false, "", "A start bit wakes the chip.", {}},
        {"send_break", Use::Command, false, "", "Holds the line low for longer than a frame, once.", {}},
        {"break_seen", Use::Status, false, "", "A break was received.", {}},
        {"idle_seen", Use::Status, false, "", "The line is idle after a byte.", {}},
        {"idle_interrupt", Use::Config, false, "", "Enables its interrupt. Without it, it is always enabled.", {}},
        {"oversampling", Use::Config, false, "samples per bit", "Where there is a choice.", {}},
        {"divider", Use::Config, true, "clock cycles per sample, in units of 1 / 2^fraction_bits", "", {}},
        {"receive_interrupt",
         Use::Config,
         false,
         "",
         "Enables the receive interrupt. Without it, it is always enabled.",
         {}},
        {"dma_receive", Use::Config, false, "", "Enables DMA requests for reception.", {}},
        {"dma_transmit", Use::Config, false, "", "Enables DMA requests for transmission.", {}},
        {"transmit_empty", Use::Status, true, "", "There is room for a byte.", {}},
        {"receive_full", Use::Status, true, "", "A byte has come.", {}},
        {"parity_error", Use::Status, false, "", "The parity of the byte that came is wrong.", {}},
        {"framing_error", Use::Status, false, "", "The byte that came had no stop bit.", {}},
        {"overrun", Use::Status, false, "", "A byte was lost because the previous one was not read in time.", {}},
        {"data", Use::Data, true, "", "Transmit and receive data.", {}},
    };
    spec.abilities = {{"oversampling", "Selectable samples per bit."},
                      {"fraction_bits", "Of the divider."},
                      {"smallest_divider", "Smallest value of the divider."},
                      {"fifo", "Depth in bytes."}};
    spec.instanceSignals = {{"TX", "Transmit.", "out both"},
                            {"RX", "Receive.", "in both"},
                            {"RTS", "Request to send.", "out both"},
                            {"CTS", "Clear to send.", "in both"},
                            {"CK", "Clock of a synchronous line.", "out both"}};
    spec.instanceRequests = {{"RX", "A byte has come."}, {"TX", "There is room for a byte."}};
    kind.tuning = {solveUart, uartAccuracy,
                   [](PadSetup& setup, const Device&, const Need& need, const SignalSpec& signal) {
                       const bool oneWire = goalsOf<UartGoals>(need).line == UartGoals::Line::OneWire;
                       if (signal.direction != SignalSpec::Direction::In && !oneWire)
                           return;
                       setup.openDrain = oneWire;
                       setup.pull = PadSetup::Pull::Up;
                       setup.because = say("the line idles high, also while nobody drives it");
                   }};
    kind.tuning.dependsOnCoreRate = true;
    kind.tuning.streams = [](const Device&, InstanceIndex, const Need&) {
        return std::vector<StreamSpec>{{"RX", "data", true, 1, "receive"}, {"TX", "data", false, 1, "send"}};
    };
    kind.source = {declareUart,
                   defineUart,
                   {"baud", "divider", "byte_us", "send", "send_bytes", "receive", "take_in", "lost", "send_break",
                    "break_seen", "idle", "matched", "damaged", "overruns", "error_seen"},
                   {{"divider", "divider"}}};
    kind.source.declareState = declareUartState;
    kind.source.resetState = resetUartState;
    return kind;
}

} // namespace bindrel
