// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/can/can.h"
#include "core/base/say.h"
#include "core/kinds/kind.h"
#include "core/tuning/pads.h"

namespace bindrel {

Kind canKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "can";
    spec.title = "CAN";
    spec.otherNames = {{"can bus", {}}};
    spec.instanceKind = "can";
    spec.goals = {
        {"rate", "Bit rate", T::BitRate, "250 kbit/s", {}, "Of the arbitration phase."},
        {"sample", "Sample point", T::Ratio, "87.5 %", {}, "Position in the bit at which the level is sampled."},
        {"jump",
         "SJW",
         T::Integer,
         "1",
         {},
         "Synchronisation jump width: time quanta by which a receiver may resynchronise.",
         1,
         16,
         true},
        {"filters",
         "Identifiers",
         T::Text,
         "",
         {},
         "Identifiers to receive: 0x120, 0x200-0x20F, extended x0x100. Empty: all.",
         0,
         0,
         true},
        {"data_rate",
         "Data rate",
         T::BitRate,
         "none",
         {},
         "Bit rate of the CAN FD data phase; none: classic frames.",
         0,
         0,
         true,
         false,
         true},
        {"data_sample", "Data sample point", T::Ratio, "80 %", {}, "Data-phase sample point.", 0, 0, true},
        {"data_jump",
         "Data SJW",
         T::Integer,
         "0",
         {},
         "Data-phase synchronisation jump width in time quanta; 0: as large as possible.",
         0,
         128,
         true},
        {"loop",
         "Transceiver delay",
         T::Duration,
         "255 ns",
         {},
         "Max. delay from transmit to receive (ISO 11898-2: 255 ns). If it exceeds the sample point, the controller "
         "must measure it.",
         0,
         0,
         true},
        {"interrupt",
         "Interrupt",
         T::Choice,
         "none",
         {"none", "received"},
         "While received frames are pending.",
         0,
         0,
         true},
        priorityGoal(),
        aboveGoal(),
        takesGoal(),
        {"listen",
         "Listen only",
         T::Choice,
         "no",
         {"no", "yes"},
         "Receives frames without acknowledging them or signalling errors.",
         0,
         0,
         true},
    };
    spec.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"tx", "transmit", "TX", -1, D::Out, false},
                                       {"rx", "receive", "RX", -1, D::In, false}};
    };
    spec.fastest = [](const Need& need, std::string_view signal) {
        return signal == "tx" ? goalRate(need, "rate") / Rational(2) : Frequency();
    };
    spec.brief = [](const Need& need) { return shortGoal(need, "rate", "bit/s"); };
    using Use = RoleSpec::Use;
    spec.roles = {
        {"on", Use::Config, false, "", "Switches the controller on.", {}},
        {"hold",
         Use::Config,
         false,
         "",
         "1: asks for the initialisation state, in which the bit timing can be set; 0: lets the controller take part "
         "in the bus.",
         {}},
        {"held", Use::Status, false, "", "The initialisation state is reached.", {}},
        {"prescaler", Use::Config, true, "clock cycles per quantum", "", {}, true},
        {"propagation", Use::Config, false, "quanta", "Where it is apart from the first phase segment.", {}, true},
        {"segment1",
         Use::Config,
         true,
         "quanta",
         "Up to the sample point, without the synchronisation quantum; the propagation counts here where it has no "
         "field of its own.",
         {},
         true},
        {"segment2", Use::Config, true, "quanta", "Behind the sample point.", {}, true},
        {"jump", Use::Config, true, "quanta", "Resynchronisation jump width.", {}, true},
        {"silent", Use::Config, false, "", "Listens without acknowledging.", {}},
        {"send_empty", Use::Status, false, "", "There is room for a frame to be sent.", {}},
        {"send_id", Use::Data, false, "identifier", "Of the frame to be sent; one of 11 bits as its number.", {}},
        {"send_extended", Use::Data, false, "", "1: it is of 29 bits.", {}},
        {"send_length", Use::Data, false, "bytes", "", {}},
        {"send_low", Use::Data, false, "", "Bytes 0 to 3, the first lowest.", {}},
        {"send_high", Use::Data, false, "", "Bytes 4 to 7.", {}},
        {"send", Use::Command, false, "", "Queues the frame.", {}},
        {"receive_full", Use::Status, false, "", "A frame has come.", {}},
        {"receive_id", Use::Data, false, "identifier", "Of the oldest that waits.", {}},
        {"receive_extended", Use::Data, false, "", "1: it is of 29 bits.", {}},
        {"receive_length", Use::Data, false, "bytes", "", {}},
        {"receive_low", Use::Data, false, "", "Bytes 0 to 3, the first lowest.", {}},
        {"receive_high", Use::Data, false, "", "Bytes 4 to 7.", {}},
        {"receive_next", Use::Command, false, "", "Lets go of it for the next.", {}},
        {"receive_interrupt",
         Use::Config,
         false,
         "",
         "Enables the interrupt for pending frames. Without it, it is always enabled.",
         {}},
        {"filter_use#", Use::Config, false, "", "1: the filter is in use. With none in use all frames pass.", {}, true},
        {"filter_id#", Use::Config, false, "identifier", "That passes; one of 11 bits as its number.", {}, true},
        {"filter_mask#",
         Use::Config,
         false,
         "bits of the identifier",
         "Ones: the bits of the identifier that count. Without it all do.",
         {},
         true},
        {"filter_extended#", Use::Config, false, "", "1: the filter is for identifiers of 29 bits.", {}, true},
        {"off_bus",
         Use::Status,
         false,
         "",
         "Bus-off after too many errors; the controller must be held and released again.",
         {}},
        {"flexible", Use::Config, false, "", "1: frames with flexible data rate are sent and taken.", {}},
        {"switching", Use::Config, false, "", "1: their data may go at the data rate. Without it, it always may.", {}},
        {"data_prescaler", Use::Config, false, "clock cycles per quantum", "Of the data.", {}, true},
        {"data_propagation", Use::Config, false, "quanta", "Where it is apart from the first phase segment.", {}, true},
        {"data_segment1", Use::Config, false, "quanta", "Up to the sample point, as segment1.", {}, true},
        {"data_segment2", Use::Config, false, "quanta", "Behind it.", {}, true},
        {"data_jump", Use::Config, false, "quanta", "", {}, true},
        {"delay",
         Use::Config,
         false,
         "",
         "1: the transceiver's delay is measured, and sent bits are compared so much later.",
         {}},
        {"delay_offset",
         Use::Config,
         false,
         "clock cycles",
         "From the measured delay to where a sent bit is compared.",
         {},
         true},
        {"send_flexible",
         Use::Data,
         false,
         "",
         "1: the frame to be sent is one with flexible data rate; its length is then the code of ISO 11898-1 (9 to 15 "
         "for 12, 16, 20, 24, 32, 48 and 64 bytes).",
         {}},
        {"send_fast", Use::Data, false, "", "1: its data goes at the data rate.", {}},
        {"send_word#", Use::Data, false, "", "Bytes from four times its number on, from 8 to 63.", {}, true},
        {"receive_flexible", Use::Data, false, "", "1: it is one with flexible data rate.", {}},
        {"receive_word#", Use::Data, false, "", "Bytes from four times its number on, from 8 to 63.", {}, true}};
    spec.abilities = {{"buffers", "Numbers of message buffers."}};
    spec.instanceSignals = {{"TX", "To the transceiver.", "out both"}, {"RX", "From the transceiver.", "in both"}};
    spec.instanceEvents = {{"received", "A frame has come."},
                           {"sent", "A frame is through."},
                           {"error", "Bus error."},
                           {"event", "Any of them."}};
    kind.tuning.solve = solveCan;
    kind.source = {declareCan,
                   defineCan,
                   {"quanta", "prescaler", "bits_per_second", "off_bus", "frame", "send", "receive", "received"},
                   {{"prescaler", "prescaler"}}};
    kind.tuning.accuracy = canAccuracy;
    kind.tuning.setUpPad = [](PadSetup& setup, const Device&, const Need&, const SignalSpec& signal) {
        if (signal.direction != SignalSpec::Direction::In)
            return;
        setup.pull = PadSetup::Pull::Up;
        setup.because = say("the bus is recessive, which reads high, also while nobody drives the line");
    };
    return kind;
}

} // namespace bindrel
