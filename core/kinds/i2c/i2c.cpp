// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/i2c/i2c.h"

#include "core/tuning/pads.h"

namespace bindrel {

I2cGoals I2cGoals::of(const Need& need)
{
    return {goalRate(need, "rate"), goalText(need, "class"), goalTime(need, "rise"), goalTime(need, "fall"), goalTime(need, "filter")};
}

Kind i2cKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
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
    using Use = RoleSpec::Use;
    kind.roles = {
        {"on", Use::Config, false, "", "Switches the controller on, after all else is set.", {}},
        {"prescaler", Use::Config, false, "kernel cycles a tick", "Of the two phases.", {}},
        {"low", Use::Config, true, "ticks", "Low phase of SCL.", {}},
        {"high", Use::Config, true, "ticks", "High phase of SCL, from when the line is seen high.", {}},
        {"hold", Use::Config, false, "kernel cycles", "SDA stays after SCL has fallen.", {}},
        {"filter", Use::Config, false, "kernel cycles", "Shorter spikes are ignored.", {}},
        {"start", Use::Command, true, "", "A start condition before the byte.", {}},
        {"stop", Use::Command, true, "", "A stop condition after the byte.", {}},
        {"read", Use::Command, true, "", "The byte is read.", {}},
        {"nack", Use::Command, true, "", "The byte read is not acknowledged.", {}},
        {"done", Use::Status, true, "", "The byte is through.", {}},
        {"nacked", Use::Status, true, "", "It was not acknowledged.", {}},
        {"lost", Use::Status, true, "", "Another controller has the bus.", {}},
        {"dma_receive", Use::Config, false, "", "Lets the controller ask DMA to fetch.", {}},
        {"dma_transmit", Use::Config, false, "", "Lets the controller ask DMA to bring.", {}},
        {"data", Use::Data, true, "", "The byte.", {}},
    };
    kind.abilities = {{"sync_cycles", "Kernel cycles after which a risen line is seen, without the filter."}};
    kind.instanceSignals = {{"SCL", "Clock."}, {"SDA", "Data."}};
    kind.instanceRequests = {{"RX", "A byte has come."}, {"TX", "There is room for a byte."}};
    room.tuning.solve = solveI2c;
    room.tuning.setUpPad = [](PadSetup& setup, const Device&, const Need&, const SignalSpec&) {
        setup.openDrain = true;
        setup.because = "the bus is pulled up on the board, devices only pull it low";
    };
    room.source = {declareI2c, defineI2c, {"step", "write", "read"}};
    return room;
}

} // namespace bindrel
