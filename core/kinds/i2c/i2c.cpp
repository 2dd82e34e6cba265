// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/i2c/i2c.h"

#include "core/base/say.h"
#include "core/tuning/pads.h"

#include <fmt/format.h>

namespace bindrel {

I2cGoals I2cGoals::of(const Need& need)
{
    I2cGoals out;
    out.most = goalRate(need, "rate");
    out.rise = goalTime(need, "rise");
    out.fall = goalTime(need, "fall");
    out.spike = goalTime(need, "filter");
    out.speed = goalIs(need, "class", "standard") ? I2cSpeed::Standard
                : goalIs(need, "class", "fast")   ? I2cSpeed::Fast
                                                  : I2cSpeed::FastPlus;
    out.target = goalIs(need, "role", "target");
    out.address = int(goalNumber(need, "address"));
    out.generalCall = goalIs(need, "general_call", "yes");
    out.tenBits = goalIs(need, "addresses", "10 bits");
    out.patience = goalTime(need, "stretch");
    out.interrupts = out.target && goalIs(need, "interrupt", "yes");
    return out;
}

Kind i2cKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "i2c";
    spec.title = "I2C";
    spec.otherNames = {{"i2c target", {{"role", "target"}}},
                       {"i2c controller", {{"role", "controller"}}},
                       {"two-wire", {}},
                       {"smbus", {}}};
    spec.phrases = {{"slave", {{"role", "target"}}}, {"master", {{"role", "controller"}}}};
    spec.instanceKind = "i2c";
    spec.goals = {
        {"rate", "Max. clock", T::Frequency, "400 kHz", {}, "Upper limit of SCL."},
        {"class",
         "Speed class",
         T::Choice,
         "fast",
         {"standard", "fast", "fast plus"},
         "Sets the minimum phases: standard 100 kHz, fast 400 kHz, fast plus 1 MHz."},
        {"rise", "Rise time", T::Duration, "150 ns", {}, "From 30 % to 70 % of the supply; depends on the pull-ups."},
        {"fall", "Fall time", T::Duration, "20 ns", {}, "", 0, 0, true},
        {"filter",
         "Spike filter",
         T::Duration,
         "50 ns",
         {},
         "Spikes up to this length are suppressed (50 ns in fast mode).",
         0,
         0,
         true},
        {"role",
         "Role",
         T::Choice,
         "controller",
         {"controller", "target"},
         "A target answers to its own address.",
         0,
         0,
         true},
        {"address",
         "Own address",
         T::Integer,
         "16",
         {},
         "7 bits, without the addresses reserved by the bus specification.",
         8,
         119,
         true},
        {"general_call",
         "General call",
         T::Choice,
         "no",
         {"no", "yes"},
         "Yes: it answers to address 0 too.",
         0,
         0,
         true},
        {"addresses", "Addresses", T::Choice, "7 bits", {"7 bits", "10 bits"}, "That it calls.", 0, 0, true},
        {"stretch",
         "Max. clock stretching",
         T::Duration,
         "10 ms",
         {},
         "By a slow device; a transfer times out after that.",
         0,
         0,
         true},
        {"interrupt",
         "Interrupt",
         T::Choice,
         "no",
         {"no", "yes"},
         "As a target: at every bus event for it.",
         0,
         0,
         true},
        priorityGoal(),
        aboveGoal(),
        takesGoal(),
        {"dma", "DMA", T::Choice, "none", {"none", "receive", "transmit", "both"}, "", 0, 0, true},
    };
    addDmaGoals(spec);
    spec.requests = dmaBothWays;
    spec.relevant = [](const Need& need, std::string_view goal) {
        const bool target = goalIs(need, "role", "target");
        if (goal == "address" || goal == "general_call" || goal == "interrupt" || goal == "priority")
            return target;
        return !target || goal == "role" || goal == "class" || goal == "filter" || goal == "dma";
    };
    spec.signals = [](const Need&) {
        using D = SignalSpec::Direction;
        return std::vector<SignalSpec>{{"scl", "clock", "SCL", -1, D::Both, false},
                                       {"sda", "data", "SDA", -1, D::Both, false}};
    };
    spec.brief = [](const Need& need) {
        return goalIs(need, "role", "target") ? say("target 0x{:02X}", goalsOf<I2cGoals>(need).address)
                                              : shortGoal(need, "rate");
    };
    using Use = RoleSpec::Use;
    spec.roles = {
        {"on", Use::Config, false, "", "Switches the controller on, after all else is set.", {}},
        {"prescaler", Use::Config, false, "clock cycles per tick", "Of the two phases.", {}},
        {"low", Use::Config, true, "ticks", "Low phase of SCL.", {}, false, "phases"},
        {"high",
         Use::Config,
         true,
         "ticks",
         "High phase of SCL, from when the line is seen high.",
         {},
         false,
         "phases"},
        {"phases",
         Use::Config,
         false,
         "counts",
         "Both phases of SCL from one number: each lasts so many ticks per count as its ability says.",
         {}},
        {"hold", Use::Config, false, "clock cycles", "SDA stays after SCL has fallen.", {}},
        {"filter", Use::Config, false, "clock cycles", "Shorter spikes are ignored.", {}},
        {"start", Use::Command, true, "", "A start condition before the byte.", {}},
        {"stop", Use::Command, true, "", "A stop condition after the byte.", {}},
        {"read", Use::Command, true, "", "The byte is read.", {}},
        {"nack", Use::Command, true, "", "The byte read is not acknowledged.", {}},
        {"done", Use::Status, true, "", "The byte is through.", {}},
        {"nacked", Use::Status, true, "", "It was not acknowledged.", {}},
        {"lost", Use::Status, true, "", "Another controller has the bus.", {}},
        {"clear_bus",
         Use::Command,
         false,
         "",
         "Nine clocks and a stop condition, which free a bus that a device holds; done when through.",
         {}},
        {"target", Use::Config, false, "", "1: it answers to its own address.", {{"controller", 0}, {"target", 1}}},
        {"own_address", Use::Config, false, "address of 7 bits", "Of a target.", {}},
        {"general_call", Use::Config, false, "", "A target answers to address 0 too.", {}},
        {"called", Use::Status, false, "", "A target's address has been on the bus.", {}},
        {"byte_came",
         Use::Status,
         false,
         "",
         "The controller has written a byte to the target; reading the data takes it.",
         {}},
        {"byte_wanted",
         Use::Status,
         false,
         "",
         "The controller reads, and the target's next byte is wanted; writing the data gives it.",
         {}},
        {"ended", Use::Status, false, "", "A stop condition has ended a transfer of the target.", {}},
        {"target_interrupt",
         Use::Config,
         false,
         "",
         "Enables the interrupt of all of these. Without it, it is always enabled.",
         {}},
        {"dma_receive", Use::Config, false, "", "Enables DMA requests for reception.", {}},
        {"dma_transmit", Use::Config, false, "", "Enables DMA requests for transmission.", {}},
        {"data", Use::Data, true, "", "The byte.", {}},
    };
    spec.abilities = {{"sync_cycles", "Kernel cycles after which a risen line is seen, without the filter."},
                      {"low_ticks", "Ticks of the low phase per count of the role phases; 1 when nothing is said."},
                      {"high_ticks", "Ticks of the high phase per count of the role phases; 1 when nothing is said."}};
    spec.instanceSignals = {{"SCL", "Clock.", "both"}, {"SDA", "Data.", "both"}};
    spec.instanceRequests = {{"RX", "A byte has come."}, {"TX", "There is room for a byte."}};
    kind.tuning.solve = solveI2c;
    kind.tuning.setUpPad = [](PadSetup& setup, const Device&, const Need&, const SignalSpec&) {
        setup.openDrain = true;
        setup.because = say("the bus is pulled up on the board; devices only drive it low");
    };
    kind.tuning.streams = [](const Device&, InstanceIndex, const Need&) {
        return std::vector<StreamSpec>{{"RX", "data", true, 1, "receive"}, {"TX", "data", false, 1, "send"}};
    };
    kind.source = {declareI2c,
                   defineI2c,
                   {"step", "begin", "end", "write", "read", "write_read", "recover", "happened", "take", "give", "bus",
                    "not", "called", "byte_came", "byte_wanted", "ended", "nothing", "address", "stretch_us"}};
    kind.source.statuses = {{"NOT_ACKNOWLEDGED", "no device answered, or it takes no more bytes"},
                            {"ARBITRATION_LOST", "another controller owns the bus"}};
    return kind;
}

} // namespace bindrel
