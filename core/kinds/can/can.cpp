// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/kind.h"
#include "core/kinds/can/can.h"
#include "core/tuning/pads.h"

namespace bindrel {

Kind canKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "can";
    kind.title = "CAN";
    kind.instanceKind = "can";
    kind.goals = {
        {"rate", "Bit rate", T::Baud, "250 kBd", {}, "Of the arbitration phase."},
        {"sample", "Sample point", T::Ratio, "87.5 %", {}, "Of the bit, at which the level counts."},
        {"jump", "Jump width", T::Integer, "1", {}, "Time quanta by which a receiver may shift to follow an edge.", 1, 16, true},
        {"listen", "Only listens", T::Choice, "no", {"no", "yes"}, "Takes frames without acknowledging them or telling of errors.", 0, 0, true},
    };
    kind.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"tx", "transmit", "TX", -1, D::Out, false}, {"rx", "receive", "RX", -1, D::In, false}};
    };
    kind.fastest = [](const Need& need, std::string_view signal) { return signal == "tx" ? goalRate(need, "rate") / Rational(2) : Frequency(); };
    kind.brief = [](const Need& need) { return goalText(need, "rate"); };
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the controller on.", {}}, {"hold", Use::Config, false, "", "1: asks for the initialisation state, in which the bit timing can be set; 0: lets the controller take part in the bus.", {}}, {"held", Use::Status, false, "", "The initialisation state is reached.", {}},
                  {"prescaler", Use::Config, true, "kernel cycles a quantum", "", {}, true}, {"propagation", Use::Config, false, "quanta", "Where it is apart from the first phase segment.", {}, true},
                  {"segment1", Use::Config, true, "quanta", "Up to the sample point, without the synchronisation quantum; the propagation counts here where it has no field of its own.", {}, true}, {"segment2", Use::Config, true, "quanta", "Behind the sample point.", {}, true},
                  {"jump", Use::Config, true, "quanta", "Resynchronisation jump width.", {}, true}, {"silent", Use::Config, false, "", "Listens without acknowledging.", {}},
                  {"off_bus", Use::Status, false, "", "Too many errors have taken the controller off the bus; it must be held and let go again.", {}}};
    kind.abilities = {{"buffers", "Numbers of message buffers."}};
    kind.instanceSignals = {{"TX", "To the transceiver."}, {"RX", "From the transceiver."}};
    kind.instanceEvents = {{"received", "A frame has come."}, {"sent", "A frame is through."}, {"error", "Something on the bus went wrong."}, {"event", "Any of them."}};
    room.tuning.solve = solveCan;
    room.source = {declareCan, defineCan, {"quanta", "prescaler", "bits_per_second", "off_bus"}, {{"prescaler", "prescaler"}}};
    room.tuning.accuracy = canAccuracy;
    room.tuning.setUpPad = [](PadSetup& setup, const Device&, const Need&, const SignalSpec& signal) {
        if (signal.direction != SignalSpec::Direction::In)
            return;
        setup.pull = PadSetup::Pull::Up;
        setup.because = "the bus is recessive, which reads high, also while nobody drives the line";
    };
    return room;
}

} // namespace bindrel
