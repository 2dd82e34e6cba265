// SPDX-License-Identifier: GPL-3.0-or-later
// SPI: what is asked for, the wires, the block.
#include "core/kinds/spi/spi.h"

#include "core/base/say.h"

namespace bindrel {

namespace {

std::vector<SignalSpec> spiSignals(const Need& need)
{
    using D = SignalSpec::Direction;
    const bool controller = goalIs(need, "role", "controller");
    std::vector<SignalSpec> out{{"sck", "clock", "SCK", -1, controller ? D::Out : D::In, false}};
    // MOSI and MISO are named from the controller; a peripheral sends on MISO.
    const bool sends = !goalIs(need, "data", "in"), receives = !goalIs(need, "data", "out");
    const bool mosi = controller ? sends : receives;
    const bool miso = controller ? receives : sends;
    if (mosi)
        out.push_back(
            {"mosi", controller ? say("data out") : say("data in"), "MOSI", -1, controller ? D::Out : D::In, false});
    if (miso)
        out.push_back(
            {"miso", controller ? say("data in") : say("data out"), "MISO", -1, controller ? D::In : D::Out, false});
    if (goalIs(need, "select", "hardware"))
        out.push_back({"cs", "select", "CS", -1, controller ? D::Out : D::In, false});
    return out;
}

} // namespace

SpiGoals SpiGoals::of(const Need& need)
{
    SpiGoals out;
    out.most = goalRate(need, "rate");
    out.controller = goalIs(need, "role", "controller");
    const std::int64_t mode = goalNumber(need, "mode");
    out.idleHigh = mode >= 2;
    out.late = mode % 2 == 1;
    out.bits = int(goalNumber(need, "word"));
    out.leastFirst = goalIs(need, "order", "least first");
    out.sends = !goalIs(need, "data", "in");
    out.receives = !goalIs(need, "data", "out");
    out.hardwareSelect = goalIs(need, "select", "hardware");
    out.valid = goalTime(need, "valid");
    return out;
}

Kind spiKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    using Use = RoleSpec::Use;
    KindSpec& spec = kind.spec;
    spec.id = "spi";
    spec.title = "SPI";
    spec.instanceKind = "spi";
    spec.goals = {
        {"rate",
         "Max. clock",
         T::Frequency,
         "1 MHz",
         {},
         "Upper limit of SCK. As a peripheral: the fastest clock of the controller."},
        {"role",
         "Role",
         T::Choice,
         "controller",
         {"controller", "peripheral"},
         "The controller drives SCK and chip select."},
        {"mode", "Mode", T::Choice, "0", {"0", "1", "2", "3"}, "Clock polarity and phase, as data sheets number them."},
        {"word", "Word", T::Integer, "8", {}, "Bits per word.", 4, 32},
        {"data", "Data lines", T::Choice, "both", {"both", "out", "in"}, "Seen from this chip."},
        {"select",
         "Chip select",
         T::Choice,
         "hardware",
         {"hardware", "software"},
         "software: the need uses no select pad; add an output for it."},
        {"order", "Bit order", T::Choice, "most first", {"most first", "least first"}, "", 0, 0, true},
        {"valid",
         "Data valid after",
         T::Duration,
         "0 s",
         {},
         "Maximum delay from the shifting edge to valid data of the part; determines the receive margin.",
         0,
         0,
         true},
        {"dma", "DMA", T::Choice, "none", {"none", "receive", "transmit", "both"}, "", 0, 0, true},
    };
    addDmaGoals(spec);
    spec.roles = {
        {"on", Use::Config, false, "", "Switches the port on.", {}},
        {"host", Use::Config, false, "", "1: it is the controller.", {{"peripheral", 0}, {"controller|host", 1}}},
        {"polarity", Use::Config, true, "", "1: SCK idles high.", {{"low", 0}, {"high", 1}}},
        {"phase", Use::Config, true, "", "1: data is taken on the second edge of SCK.", {{"first", 0}, {"second", 1}}},
        {"prescaler", Use::Config, false, "clock cycles per tick", "In front of the divider, where there is one.", {}},
        {"divider",
         Use::Config,
         false,
         "ticks per SCK period",
         "This or half_period must be there for a controller.",
         {}},
        {"half_period", Use::Config, false, "ticks per half SCK period", "", {}},
        {"word",
         Use::Config,
         false,
         "bits",
         "Without it a word has the fewest bits of the ability word_bits, else 8.",
         {}},
        {"least_first", Use::Config, false, "", "1: the least significant bit goes first.", {}},
        {"select_by_hardware", Use::Config, false, "", "1: the port drives (or obeys) the select line.", {}},
        {"sample_delay", Use::Config, false, "clock cycles", "Delays sampling of the input.", {}},
        {"dma_receive", Use::Config, false, "", "Enables DMA requests for reception.", {}},
        {"dma_transmit", Use::Config, false, "", "Enables DMA requests for transmission.", {}},
        {"transmit_empty",
         Use::Status,
         true,
         "",
         "There is room for a word. A controller without it waits for each word to come in before it sends the next.",
         {},
         false,
         "receive_full"},
        {"receive_full", Use::Status, true, "", "A word has come.", {}},
        {"data", Use::Data, true, "", "Transmit and receive data.", {}},
    };
    spec.abilities = {
        {"fifo", "Depth in words."},
        {"word_bits", "Fewest and most bits of a word."},
        {"peripheral_ratio", "Kernel cycles that a period of SCK must have at least when it is a peripheral."}};
    spec.instanceSignals = {{"SCK", "Clock.", "in out both"},
                            {"MOSI", "Data from the controller.", "in out both"},
                            {"MISO", "Data to the controller.", "in out both"},
                            {"CS", "Select, active low.", "in out both"}};
    spec.instanceRequests = {{"RX", "A word has come."}, {"TX", "There is room for a word."}};
    spec.signals = spiSignals;
    spec.relevant = [](const Need& need, std::string_view goal) {
        return goal != "valid" || (goalIs(need, "role", "controller") && !goalIs(need, "data", "out"));
    };
    spec.fastest = [](const Need& need, std::string_view signal) {
        for (const SignalSpec& one : spiSignals(need))
            if (one.id == signal && one.direction == SignalSpec::Direction::Out)
                return signal == "sck"  ? goalRate(need, "rate")
                       : signal == "cs" ? Frequency()
                                        : goalRate(need, "rate") / Rational(2);
        return Frequency();
    };
    spec.requests = dmaBothWays;
    spec.brief = [](const Need& need) { return shortGoal(need, "rate"); };
    kind.tuning.solve = solveSpi;
    kind.tuning.streams = [](const Device&, InstanceIndex, const Need& need) {
        const int bits = goalsOf<SpiGoals>(need).bits, bytes = bits > 16 ? 4 : bits > 8 ? 2 : 1;
        return std::vector<StreamSpec>{{"RX", "data", true, bytes, "receive"}, {"TX", "data", false, bytes, "send"}};
    };
    kind.source = {declareSpi, defineSpi, {"transfer", "offer", "receive", "sck_millihertz", "word_us"}};
    return kind;
}

} // namespace bindrel
