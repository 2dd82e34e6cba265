// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_board.h: names for pads and rates, the status of a bring-up, what can be called.
#include "core/base/text.h"
#include "core/plan/memory_size.h"
#include "core/quantity/format.h"
#include "core/source/board_files.h"
#include "core/source/interrupt_table.h"
#include "core/source/register_access.h"
#include "core/source/safe_text.h"
#include "core/source/writer.h"

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

/// Passes of a loop over a flag in a microsecond, once the clocks are up: a pass takes at least four cycles.
std::int64_t passesPerMicrosecond(const Facts& f, const Names& names)
{
    const Frequency fastest = fastestRate(f.image, f.rates, f.device.cores[names.core].clock);
    return fastest.defined() ? std::max<std::int64_t>(1, (fastest.value / 4'000'000).ceil()) : 1;
}

void writeRates(Writer& w)
{
    const Facts& f = w.facts;
    w.comment("Rates of the running clocks, in hertz.");
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockState& state = f.rates.clocks[i];
        if (!state.running || !state.used || !state.rate.defined() || state.rate.value.floor() > INT64_C(0xFFFFFFFF))
            continue;
        w.because({Place::Kind::Clock, f.device.clocks[i].id, {}}, f.device.clocks[i].name);
        const std::string exact = state.rate.value.isInteger() ? "" : ", exactly " + state.rate.value.text() + " Hz";
        w.linef("#define {:<28} {}u {}", rateMacro(f, w.names, i), state.rate.value.floor(),
                cComment(format(state.rate) + exact + ", " + format(state.tolerance)));
    }
    w.noCause();
    w.line();
}

/// Rates that differ while the slow clocks are on, and the assert that their wait states carry them.
void writeSlowRates(Writer& w)
{
    const Facts& f = w.facts;
    if (!f.image.slowRates)
        return;
    const Rates& slow = *f.image.slowRates;
    w.comment("Rates that differ with the low-speed clocks.");
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockState& state = slow.clocks[i];
        if (!state.running || !state.used || !state.rate.defined() || state.rate == f.rates.clocks[i].rate ||
            state.rate.value.floor() > INT64_C(0xFFFFFFFF))
            continue;
        w.because({Place::Kind::Clock, f.device.clocks[i].id, {}}, "low-speed clocks");
        w.linef("#define {:<28} {}u {}", slowRateMacro(f, w.names, i), state.rate.value.floor(),
                cComment(format(state.rate) + ", " + format(state.tolerance)));
    }
    const OperatingRange& range = f.device.ranges[size_t(slow.range)];
    const ClockState& flash = slow.clocks[f.device.flashClock];
    if (slow.waitStates && flash.rate != f.rates.clocks[f.device.flashClock].rate)
        w.check(code("{} <= {}u", slowRateMacro(f, w.names, f.device.flashClock),
                     range.waitStateLimits[size_t(*slow.waitStates)].value.floor()),
                cString(fmt::format("{} must allow the low-speed rate in {}",
                                    counted(*slow.waitStates, "flash wait state"), range.name)));
    w.noCause();
    w.line();
}

/// Ties the constants to each other, and by the factors to what is written: an edit of one by hand does not compile.
void writeAsserts(Writer& w)
{
    const Facts& f = w.facts;
    w.comment("Dividers and multipliers as written to the registers.");
    for (const ClockIndex i : f.device.clocks.indices())
        if (hasFactorMacro(f, i)) {
            w.because({Place::Kind::Clock, f.device.clocks[i].id, {}}, operationText(f.device, f.rates, int(i)));
            w.linef("#define {:<28} {}u{}", factorMacro(f, w.names, i), f.rates.clocks[i].setting,
                    f.device.clocks[i].unit == 1
                        ? Code()
                        : code(" {}", cComment(fmt::format("in parts of {}", f.device.clocks[i].unit))));
        }
    w.noCause();
    w.line();
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockNode& node = f.device.clocks[i];
        const ClockState& state = f.rates.clocks[i];
        if (!state.running || !state.used || state.input < 0 || !state.rate.value.isInteger())
            continue;
        const ClockState& from = f.rates.clocks[state.input];
        if (!from.used || !from.rate.value.isInteger() || node.type == ClockNode::Type::Select)
            continue;
        w.because({Place::Kind::Clock, node.id, {}}, operationText(f.device, f.rates, int(i)));
        const Word own = rateMacro(f, w.names, i);
        const Word input = rateMacro(f, w.names, state.input);
        const std::int64_t unit = node.unit;
        const Code text = cString(node.name + " is " + f.device.clocks[state.input].name + " " +
                                  operationText(f.device, f.rates, int(i)));
        const std::int64_t factor = node.type == ClockNode::Type::Gate ? 1 : state.setting;
        const Code by = hasFactorMacro(f, i) ? code("{}", factorMacro(f, w.names, i)) : code("{}u", factor);
        // Rates of fast clocks times their factors leave 32 bits.
        const Code times = unit == 1 ? Code() : code(" * {}u", unit);
        if (node.type == ClockNode::Type::Divide)
            w.check(code("(uint64_t){} * {} == (uint64_t){}{}", own, by, input, times), text);
        else
            w.check(code("(uint64_t){}{} == (uint64_t){} * {}", own, times, input, by), text);
    }
    const OperatingRange& range = f.device.ranges[size_t(f.rates.range)];
    if (f.rates.waitStates) {
        w.because({Place::Kind::Clock, f.device.clocks[f.device.flashClock].id, {}}, "flash wait states");
        w.check(code("{} <= {}u", rateMacro(f, w.names, f.device.flashClock),
                     range.waitStateLimits[size_t(*f.rates.waitStates)].value.floor()),
                cString(fmt::format("{} must allow this rate in {}", counted(*f.rates.waitStates, "flash wait state"),
                                    range.name)));
    }
    w.noCause();
    w.line();
}

void declarePads(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    w.comment("Pads: port and bit of each signal.");
    for (const PadSetup& setup : f.pads) {
        const Pad& pad = f.device.pads[setup.pad];
        if (pad.port < 0 || coreOf(f, size_t(setup.need)) != names.core)
            continue;
        const Seat& seat = f.bindings.needs[setup.need].seats[size_t(setup.seat)];
        w.because({Place::Kind::Pad, pad.name, f.plan.needs[setup.need].id}, "binding");
        const Word macro = names.NEED(size_t(setup.need)) + "_" + Word::of(seat.signal.id).upper() + "_BIT";
        w.linef("#define {:<32} {}u {}", macro, pad.bit,
                cComment(fmt::format("{}, pin {}: {}", pad.name, f.device.pinOf(setup.pad), seat.signal.title)));
    }
    w.noCause();
    w.line();
}

void declareStatus(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    w.comment("Return values: success or the error; for initialisation, the wait that timed out.");
    w.linef("enum {} {{", names.name("status"));
    w.linef("    {} = 0,", names.macro("OK"));
    for (const FieldRef& field : awaitedFields(f, names)) {
        const auto fallBack =
            std::find_if(f.image.fallBacks.begin(), f.image.fallBacks.end(),
                         [&](const FallBack& known) { return names.core == 0 && known.awaited == field; });
        if (fallBack != f.image.fallBacks.end())
            w.comment(afterwards(f, *fallBack), 4);
        w.linef("    {},", timeoutName(f, names, field));
    }
    w.linef("    {}, {}", names.macro("TIMEOUT_TRANSFER"), cComment("a transfer or conversion timed out"));
    std::set<std::string_view> statuses;
    for (const NeedIndex n : f.plan.needs.indices())
        for (const auto& [ending, about] : sourceOf(f.plan.needs[n].kind).statuses)
            if (isWritten(f, names, n) && statuses.insert(ending).second)
                w.linef("    {}_{}, {}", names.PREFIX, Word::spelled(ending), cComment(about));
    w.line("};");
    w.line();
}

void declareWaiting(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    w.linef("#define {} {}u", names.macro("WAIT_PASSES_PER_US"), passesPerMicrosecond(f, names));
    w.line();
    w.comment("Iterations of a polling loop that last at least `us` microseconds with the core at `hz`; one iteration "
              "takes at least four cycles.");
    w.linef("#define {}(us, hz) ((uint32_t)(((uint64_t)(us) * (hz) + 3999999u) / 4000000u))", names.macro("PASSES"));
    w.comment("Polls until the masked bits of a register equal a value; false after `passes` iterations.");
    for (const int width : widthsOf(f.device))
        w.linef("bool {}(const volatile {} *reg, uint32_t mask, uint32_t value, uint32_t passes);",
                waitName(names, width), typeOf(width));
    w.line();
}

/// What the first core's program has for the whole chip.
void declareBringUp(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    w.comment(
        fmt::format("Initialises pads, clocks and peripherals, in this order; safe output levels come first. {}{}",
                    f.image.fallBacks.empty() ? "A clock that fails to start stops it; the pads stay as they are."
                                              : "Returns the status of a clock that fails to start; what can run "
                                                "without it is initialised, otherwise the pads stay as they are.",
                    hasLateClocks(f) ? " A slow source is started early and awaited last; if it fails, everything "
                                       "else is initialised and its timeout is returned."
                                     : ""));
    w.linef("enum {0}_status {0}_bring_up(void);", names.prefix);
    w.linef("enum {0}_status {0}_clocks_bring_up(void);", names.prefix);
    if (hasLateClocks(f))
        w.linef("enum {0}_status {0}_slow_sources_bring_up(void);", names.prefix);
    if (f.plan.onFailure != OnFailure::Stop) {
        w.comment("True once the peripherals are initialised, except those that use a failed clock.");
        w.linef("bool {}_is_up(void);", names.prefix);
    }
    if (!f.image.fallBacks.empty()) {
        w.comment("Continues after a clock has failed; false if that is not possible. The second function returns "
                  "the failed clock's timeout while the program runs without it.");
        w.linef("bool {0}_clocks_fall_back(enum {0}_status failed);", names.prefix);
        w.linef("enum {0}_status {0}_failed_clock(void);", names.prefix);
    }
    if (!runningWatchdogs(f.device).empty()) {
        w.comment("The watchdog runs from reset: initialisation feeds it while it waits; after that the program must.");
        w.linef("void {}_feed(void);", names.prefix);
        w.comment("Feeds the watchdog during initialisation only: later its window may be closed while a transfer "
                  "waits.");
        w.linef("void {}_feed_early(void);", names.prefix);
    }
    if (f.image.slowRates) {
        w.comment(fmt::format("Switch to the low-speed clocks (CPU at {}) and back at run time.",
                              format(f.image.slowRates->clocks[f.device.cpuClock()].rate)));
        w.linef("enum {0}_status {0}_clocks_slow(void);", names.prefix);
        w.linef("enum {0}_status {0}_clocks_full(void);", names.prefix);
    }
    declareModes(w);
    declareStored(w);
    w.linef("void {0}_pins_bring_up(void);", names.prefix);
    w.comment("Sets outputs to their initial levels, and stops peripherals that drive pads themselves.");
    w.linef("void {}_safe_state(void);", names.prefix);
    if (!clockAlarms(f, names).empty())
        w.linef("void {}_source_lost(void);", names.prefix);
    for (const Core& core : f.device.cores)
        if (core.release.valid()) {
            w.comment(fmt::format("Starts the {}; call it once clocks and pins are initialised.", core.name));
            w.linef("void {}_release_{}(void);", names.prefix, Word::of(core.id));
        }
}

/// Of any other core's program.
void declareOwnBringUp(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    w.comment(fmt::format("Initialises the peripherals of the {}. Clocks and pins are already set up: the {} "
                          "starts this core afterwards.",
                          f.device.cores[names.core].name, f.device.core().name));
    w.linef("enum {0}_status {0}_bring_up(void);", names.prefix);
}

/// Interrupts and the stack, which each program has for its own core.
void declareCoreFunctions(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    w.comment("Enables and disables an interrupt of the chip at the core.");
    w.linef("void {}_interrupt_enable(uint32_t number);", names.prefix);
    w.linef("void {}_interrupt_disable(uint32_t number);", names.prefix);
    w.comment("Masks interrupts at the core; pass the returned state to release.");
    w.linef("uint32_t {}_interrupts_hold(void);", names.prefix);
    w.linef("void {}_interrupts_release(uint32_t before);", names.prefix);
    if (const Expected<std::uint32_t> stack = parseMemorySize(f.plan.stack)) {
        w.comment(
            "Bytes kept for the stack, and how many of them have been in use at most since start-up. A count that "
            "reaches all of them says that the stack was too small; your own start-up code must fill it with the "
            "pattern for that.");
        w.linef("#define {} {}u", names.macro("STACK_BYTES"), *stack);
        w.linef("uint32_t {}_stack_used(void);", names.prefix);
    }
    if (const Core& core = f.device.cores[names.core];
        core.architecture == Core::Architecture::ArmM && core.priorityBits > 0)
        w.linef("void {}_interrupt_priority(uint32_t number, uint32_t level);", names.prefix);
}

} // namespace

namespace {

/// Variables that must lie somewhere, by sections of the linker script.
void writePlacement(Writer& w)
{
    if (w.facts.plan.leftOut.contains(OutputPart::LinkerScript))
        return;
    const Core& core = w.facts.device.cores[w.names.core];
    w.line();
    w.comment("For a variable that keeps its value over a reset which leaves the RAM its power: the start-up code does "
              "not initialise it.");
    w.linef("#define {} __attribute__((section(\".not_initialised\")))", w.names.macro("NOT_INITIALISED"));
    const bool streams = std::any_of(w.facts.settings.begin(), w.facts.settings.end(),
                                     [](const Setting& setting) { return !setting.streams.empty(); });
    if (streams) {
        w.comment("For a buffer that a DMA channel fills or reads: zeroed at start-up, in whole words of its own.");
        w.linef("#define {} __attribute__((section(\".bss.dma\"), aligned(4)))", w.names.macro("DMA_BUFFER"));
    }
    if (retainedRam(w.facts, core) < core.ramBytes) {
        w.comment(
            "For a variable that may be lost in a low-power mode: not initialised, and undefined after the mode.");
        w.linef("#define {} __attribute__((section(\".ram_lost\")))", w.names.macro("RAM_LOST"));
    }
}

} // namespace

SourceFile boardHeader(const Facts& f, const Names& names)
{
    Writer w(f, names, names.path(WordLiteral("board"), ".h"),
             fmt::format("{} on {}: names, rates and initialisation.", f.board.title, f.device.name));
    const Word guard = names.macro("BOARD_H");
    w.linef("#ifndef {}", guard);
    w.linef("#define {}", guard);
    w.line();
    w.line("#include <stdbool.h>");
    w.line("#include <stdint.h>");
    w.line();
    writeRates(w);
    if (names.layout.standard == ProjectLayout::Standard::C99) {
        w.comment("Does not compile where the condition is false: C99 has no assertion of its own.");
        w.linef("#define {}(condition) extern char {}[(condition) ? 1 : -1]", names.macro("ASSERT"),
                names.name("asserted"));
        w.line();
    }
    writeAsserts(w);
    writeSlowRates(w);
    declarePads(w);
    declareStatus(w);
    declareWaiting(w);
    if (names.core == 0)
        declareBringUp(w);
    else
        declareOwnBringUp(w);
    declareCoreFunctions(w);
    writePlacement(w);
    w.line();
    w.linef("#endif /* {} */", guard);
    return w.take();
}

} // namespace bindrel
