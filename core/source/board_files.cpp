// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_board.h and .c: names for pads and rates, the status of a bring-up, waiting, the order of it all;
// PREFIX_pins.c.
#include "core/base/text.h"
#include "core/plan/memory_size.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/source/interrupt_table.h"
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

/// The widths of what the chip reads at once, 32 bits always among them.
std::vector<int> widthsOf(const Device& device)
{
    std::vector<int> out{32};
    for (const Block& block : device.blocks)
        for (const Register& reg : block.registers)
            for (const auto& [offset, bytes] : reg.places())
                if (std::find(out.begin(), out.end(), int(bytes) * 8) == out.end())
                    out.push_back(int(bytes) * 8);
    return out;
}

/// What the bring-up must not have failed with for something to go on.
using Failures = std::vector<Word>;

Code noneOf(const Failures& failures)
{
    std::vector<Code> terms;
    for (const Word& status : failures)
        terms.push_back(code("clocks != {}", status));
    return joinedCode(terms, " && ");
}

/// The failures after which a need is left out.
Failures failuresWithout(const Facts& f, const Names& names, NeedIndex need)
{
    Failures out;
    for (const FallBack& fallBack : f.image.fallBacks)
        if (fallBack.left.contains(int(need)))
            out.push_back(timeoutName(f, names, fallBack.awaited));
    return out;
}

void writeNeedCalls(Writer& w, bool late, int indent)
{
    const Facts& f = w.facts;
    Failures open; // of the condition that the lines before stand under
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        if (hasFiles(f, w.names, n) && (waitsForSlowSource(f, n) && w.names.core == 0) == late) {
            w.becauseNeed(n);
            const Failures failures = w.names.core == 0 ? failuresWithout(f, w.names, n) : Failures();
            if (failures != open) {
                if (!open.empty())
                    w.linef("{}}}", Code::trusted(std::string(size_t(indent), ' ')));
                if (!failures.empty())
                    w.linef("{}if ({}) {{", Code::trusted(std::string(size_t(indent), ' ')), noneOf(failures));
                open = failures;
            }
            const Code margin = Code::trusted(std::string(size_t(indent) + (open.empty() ? 0 : 4), ' '));
            if (needWaits(f, n))
                w.linef("{0}status = {1}_first(status, {2}_bring_up());", margin, w.names.prefix, w.names.need(n));
            else
                w.linef("{}{}_bring_up();", margin, w.names.need(n));
        }
    w.noCause();
    if (!open.empty())
        w.linef("{}}}", Code::trusted(std::string(size_t(indent), ' ')));
}

void writeRates(Writer& w)
{
    const Facts& f = w.facts;
    w.comment("Rates of the running clocks, in hertz.");
    for (size_t i = 0; i < f.device.clocks.size(); ++i) {
        const ClockState& state = f.rates.clocks[i];
        if (!state.running || !state.used || !state.rate.defined() || state.rate.value.floor() > INT64_C(0xFFFFFFFF))
            continue;
        w.because({Place::Kind::Clock, f.device.clocks[i].id, {}}, f.device.clocks[i].name);
        const std::string exact = state.rate.value.isInteger() ? "" : ", exactly " + state.rate.value.text() + " Hz";
        w.linef("#define {:<28} {}u {}", rateMacro(f, w.names, int(i)), state.rate.value.floor(),
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
    for (size_t i = 0; i < f.device.clocks.size(); ++i) {
        const ClockState& state = slow.clocks[i];
        if (!state.running || !state.used || !state.rate.defined() || state.rate == f.rates.clocks[i].rate ||
            state.rate.value.floor() > INT64_C(0xFFFFFFFF))
            continue;
        w.because({Place::Kind::Clock, f.device.clocks[i].id, {}}, "low-speed clocks");
        w.linef("#define {:<28} {}u {}", slowRateMacro(f, w.names, int(i)), state.rate.value.floor(),
                cComment(format(state.rate) + ", " + format(state.tolerance)));
    }
    const OperatingRange& range = f.device.ranges[size_t(slow.range)];
    const ClockState& flash = slow.clocks[size_t(f.device.flashClock)];
    if (slow.waitStates && flash.rate != f.rates.clocks[size_t(f.device.flashClock)].rate)
        w.linef("_Static_assert({} <= {}u, {});", slowRateMacro(f, w.names, f.device.flashClock),
                range.waitStateLimits[size_t(*slow.waitStates)].value.floor(),
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
    for (size_t i = 0; i < f.device.clocks.size(); ++i)
        if (hasFactorMacro(f, int(i))) {
            w.because({Place::Kind::Clock, f.device.clocks[i].id, {}}, operationText(f.device, f.rates, int(i)));
            w.linef("#define {:<28} {}u{}", factorMacro(f, w.names, int(i)), f.rates.clocks[i].setting,
                    f.device.clocks[i].unit == 1
                        ? Code()
                        : code(" {}", cComment(fmt::format("in parts of {}", f.device.clocks[i].unit))));
        }
    w.noCause();
    w.line();
    for (size_t i = 0; i < f.device.clocks.size(); ++i) {
        const ClockNode& node = f.device.clocks[i];
        const ClockState& state = f.rates.clocks[i];
        if (!state.running || !state.used || state.input < 0 || !state.rate.value.isInteger())
            continue;
        const ClockState& from = f.rates.clocks[size_t(state.input)];
        if (!from.used || !from.rate.value.isInteger() || node.type == ClockNode::Type::Select)
            continue;
        w.because({Place::Kind::Clock, node.id, {}}, operationText(f.device, f.rates, int(i)));
        const Word own = rateMacro(f, w.names, int(i));
        const Word input = rateMacro(f, w.names, state.input);
        const std::int64_t unit = node.unit;
        const Code text = cString(node.name + " is " + f.device.clocks[size_t(state.input)].name + " " +
                                  operationText(f.device, f.rates, int(i)));
        const std::int64_t factor = node.type == ClockNode::Type::Gate ? 1 : state.setting;
        const Code by = hasFactorMacro(f, int(i)) ? code("{}", factorMacro(f, w.names, int(i))) : code("{}u", factor);
        // Rates of fast clocks times their factors leave 32 bits.
        const Code times = unit == 1 ? Code() : code(" * {}u", unit);
        if (node.type == ClockNode::Type::Divide)
            w.linef("_Static_assert((uint64_t){} * {} == (uint64_t){}{}, {});", own, by, input, times, text);
        else
            w.linef("_Static_assert((uint64_t){}{} == (uint64_t){} * {}, {});", own, times, input, by, text);
    }
    const OperatingRange& range = f.device.ranges[size_t(f.rates.range)];
    if (f.rates.waitStates) {
        w.because({Place::Kind::Clock, f.device.clocks[size_t(f.device.flashClock)].id, {}}, "flash wait states");
        w.linef("_Static_assert({} <= {}u, {});", rateMacro(f, w.names, f.device.flashClock),
                range.waitStateLimits[size_t(*f.rates.waitStates)].value.floor(),
                cString(fmt::format("{} must allow this rate in {}", counted(*f.rates.waitStates, "flash wait state"),
                                    range.name)));
    }
    w.noCause();
    w.line();
}

/// What the first core's program can do for the board when something has gone wrong.
void writeSafeState(Writer& w)
{
    const Facts& f = w.facts;
    w.line();
    w.linef("void {}_safe_state(void)", w.names.prefix);
    w.line("{");
    for (size_t n = 0; n < f.plan.needs.size(); ++n) {
        if (!hasFiles(f, w.names, n))
            continue;
        w.becauseNeed(n, "safe state");
        const bool several = f.bindings.needs[n].seats.size() > 1;
        std::uint32_t word = 0;
        bool outputs = false;
        for (const PadSetup& setup : f.pads)
            if (setup.need == int(n) && setup.gpio && setup.output) {
                outputs = true;
                word |= setup.levelHigh ? 1u << setup.seat : 0u;
            }
        if (outputs && several)
            w.linef("    {}_write({}u);", w.names.need(n), word);
        else if (outputs)
            w.linef("    {}_set({});", w.names.need(n), word ? Code::trusted("true") : Code::trusted("false"));
        const bool drives = std::any_of(f.pads.begin(), f.pads.end(), [&](const PadSetup& setup) {
            return setup.need == int(n) && !setup.gpio && !setup.wired &&
                   f.bindings.needs[n].seats[size_t(setup.seat)].signal.direction == SignalSpec::Direction::Out;
        });
        // What keeps its levels without its clock, a bus that rests, is left alone.
        if (drives && sourceOf(f.plan.needs[n].kind).stopIsSafe &&
            std::any_of(f.image.stops.begin(), f.image.stops.end(),
                        [n](const Step& step) { return step.need == int(n); }))
            w.linef("    {}_stop();", w.names.need(n));
    }
    w.noCause();
    w.line("}");
}

} // namespace

std::vector<FieldRef> awaitedFields(const Facts& f, const Names& names)
{
    std::vector<FieldRef> out;
    std::vector<Word> known;
    for (const std::vector<Step>* list : f.image.allSteps())
        for (const Step& step : *list)
            if (step.kind == Step::Kind::Wait &&
                (step.need >= 0 ? coreOf(f, size_t(step.need)) : CoreIndex(0)) == names.core) {
                const Word name = timeoutName(f, names, step.fields.front().ref);
                if (std::find(known.begin(), known.end(), name) != known.end())
                    continue;
                known.push_back(name);
                out.push_back(step.fields.front().ref);
            }
    return out;
}

bool waitsForSlowSource(const Facts& f, NeedIndex need)
{
    return comesLate(f.image, f.device, f.bindings, f.rates, need);
}

namespace {

void declarePads(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    w.comment("Pads: port and bit of each signal.");
    for (const PadSetup& setup : f.pads) {
        const Pad& pad = f.device.pads[size_t(setup.pad)];
        if (pad.port < 0 || coreOf(f, size_t(setup.need)) != names.core)
            continue;
        const Seat& seat = f.bindings.needs[size_t(setup.need)].seats[size_t(setup.seat)];
        w.because({Place::Kind::Pad, pad.name, f.plan.needs[size_t(setup.need)].id}, "binding");
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
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        for (const auto& [ending, about] : sourceOf(f.plan.needs[n].kind).statuses)
            if (hasFiles(f, names, n) && statuses.insert(ending).second)
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
                              format(f.image.slowRates->clocks[size_t(f.device.cpuClock())].rate)));
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

SourceFile boardHeader(const Facts& f, const Names& names)
{
    Writer w(f, names, names.prefix.text() + "_board.h",
             fmt::format("{} on {}: names, rates and initialisation.", f.board.title, f.device.name));
    const Word guard = names.macro("BOARD_H");
    w.linef("#ifndef {}", guard);
    w.linef("#define {}", guard);
    w.line();
    w.line("#include <stdbool.h>");
    w.line("#include <stdint.h>");
    w.line();
    writeRates(w);
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
    w.line();
    w.linef("#endif /* {} */", guard);
    return w.take();
}

namespace {

std::vector<FieldCode> watchdogsOf(const Writer& w)
{
    return w.names.core == 0 ? runningWatchdogs(w.facts.device) : std::vector<FieldCode>();
}

/// Once the bring-up is over, waiting no longer feeds the watchdog.
void endEarlyFeeding(Writer& w, int indent)
{
    if (!watchdogsOf(w).empty())
        w.linef("{}bringing_up = false;", Code::trusted(std::string(size_t(indent), ' ')));
}

void defineFeeding(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    w.linef("void {}_feed(void)", names.prefix);
    w.line("{");
    for (const FieldCode& word : watchdogsOf(w))
        w.step(writeStep(f.device, {{word.ref, word.code, "feed"}}, {}), 4);
    w.line("}");
    w.line();
    w.line("static bool bringing_up = true;");
    w.line();
    w.linef("void {}_feed_early(void)", names.prefix);
    w.line("{");
    w.line("    if (bringing_up) {");
    w.linef("        {}_feed();", names.prefix);
    w.line("    }");
    w.line("}");
    w.line();
}

void defineWaiting(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    for (const int width : widthsOf(f.device)) {
        w.linef("bool {}(const volatile {} *reg, uint32_t mask, uint32_t value, uint32_t passes)",
                waitName(names, width), typeOf(width));
        w.line("{");
        w.line("    for (; passes > 0u; passes--) {");
        if (!watchdogsOf(w).empty())
            w.linef("        {}_feed_early();", names.prefix);
        w.line("        if ((*reg & mask) == value) {");
        w.line("            return true;");
        w.line("        }");
        w.line("    }");
        w.line("    return (*reg & mask) == value;");
        w.line("}");
        w.line();
    }
}

void defineFirstFailure(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    const auto mayFail = [&](size_t n) { return hasFiles(f, names, n) && needWaits(f, n); };
    bool someFail = names.core == 0 && hasLateClocks(f);
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        someFail = someFail || mayFail(n);
    if (someFail) {
        w.comment("Initialisation returns the first failure.");
        w.linef("static enum {0}_status {0}_first(enum {0}_status known, enum {0}_status came)", names.prefix);
        w.line("{");
        w.linef("    return known != {} ? known : came;", names.macro("OK"));
        w.line("}");
        w.line();
    }
}

/// Pads and clocks, before any need.
void writeChipSequence(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    std::vector<const Step*> unlocks;
    for (const Step& step : f.image.steps)
        if (step.phase == Step::Phase::Unlock)
            unlocks.push_back(&step);
    w.steps(unlocks, 4);
    w.linef("    {}_pins_bring_up();", names.prefix);
    if (f.image.fallBacks.empty()) {
        w.linef("    enum {0}_status status = {0}_clocks_bring_up();", names.prefix);
        w.linef("    if (status != {}) {{", names.macro("OK"));
        endEarlyFeeding(w, 8);
        w.line("        return status;");
    } else {
        w.linef("    const enum {0}_status clocks = {0}_clocks_bring_up();", names.prefix);
        w.linef("    if (clocks != {} && !{}_clocks_fall_back(clocks)) {{", names.macro("OK"), names.prefix);
        endEarlyFeeding(w, 8);
        w.line("        return clocks;");
    }
    w.line("    }");
    if (!f.image.fallBacks.empty())
        w.linef("    enum {}_status status = clocks;", names.prefix);
    for (const ClockAlarm& alarm : clockAlarms(f, names))
        w.linef("    {}_interrupt_enable({}u); {}", names.prefix, alarm.number,
                cComment(f.device.clocks[size_t(alarm.clocks.front())].name + " stops"));
}

/// What waits for a slow source, once that has come.
void writeLateSequence(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    Failures withoutLate;
    for (const FallBack& fallBack : f.image.fallBacks)
        if (!fallBack.lateToo)
            withoutLate.push_back(timeoutName(f, names, fallBack.awaited));
    const int margin = withoutLate.empty() ? 4 : 8;
    const Code indent = Code::trusted(std::string(size_t(margin), ' '));
    if (!withoutLate.empty())
        w.linef("    if ({}) {{", noneOf(withoutLate));
    w.linef("{1}const enum {0}_status late = {0}_slow_sources_bring_up();", names.prefix, indent);
    w.linef("{1}if (late == {0}) {{", names.macro("OK"), indent);
    writeNeedCalls(w, true, margin + 4);
    w.linef("{}}}", indent);
    w.linef("{1}status = {0}_first(status, late);", names.prefix, indent);
    if (!withoutLate.empty())
        w.line("    }");
}

void defineBringUp(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    w.linef("enum {0}_status {0}_bring_up(void)", names.prefix);
    w.line("{");
    if (names.core == 0)
        writeChipSequence(w);
    else
        w.linef("    enum {0}_status status = {1};", names.prefix, names.macro("OK"));
    writeNeedCalls(w, false, 4);
    if (names.core == 0 && hasLateClocks(f))
        writeLateSequence(w);
    if (names.core == 0 && f.plan.onFailure != OnFailure::Stop)
        w.line("    up = true;");
    endEarlyFeeding(w, 4);
    w.keep(WordLiteral("after_bring_up"), 4);
    w.line("    return status;");
    w.line("}");
}

/// Functions that start the other cores.
void defineReleases(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    for (const Core& core : f.device.cores) {
        if (names.core != 0 || !core.release.valid())
            continue;
        w.line();
        w.linef("void {}_release_{}(void)", names.prefix, Word::of(core.id));
        w.line("{");
        for (const FallBack& fallBack : f.image.fallBacks)
            if (fallBack.coresHeld.contains(f.device.findCore(core.id))) {
                w.linef("    if ({}_failed_clock() == {}) {{", names.prefix, timeoutName(f, names, fallBack.awaited));
                w.comment("Its peripherals do not run without that clock.", 8);
                w.line("        return;");
                w.line("    }");
            }
        w.step(updateStep(f.device, {{core.release.ref, core.release.code, core.name}}, {}), 4);
        w.line("}");
    }
}

} // namespace

SourceFile boardSource(const Facts& f, const Names& names)
{
    Writer w(f, names, names.prefix.text() + "_board.c", "Initialisation sequence and polling.");
    w.linef("#include \"{}_board.h\"", names.prefix);
    if (names.core == 0 &&
        (!watchdogsOf(w).empty() ||
         std::any_of(f.image.steps.begin(), f.image.steps.end(),
                     [](const Step& step) { return step.phase == Step::Phase::Unlock; }) ||
         std::any_of(f.device.cores.begin(), f.device.cores.end(), [](const Core& c) { return c.release.valid(); })))
        w.linef("#include \"{}_regs.h\"", names.prefix);
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        if (hasFiles(f, names, n)) {
            w.becauseNeed(n);
            w.linef("#include \"{}.h\"", names.need(n));
        }
    w.noCause();
    w.line();
    if (!watchdogsOf(w).empty())
        defineFeeding(w);
    defineWaiting(w);
    defineFirstFailure(w);
    if (names.core == 0 && f.plan.onFailure != OnFailure::Stop) {
        w.line("static bool up;");
        w.line();
        w.linef("bool {}_is_up(void)", names.prefix);
        w.line("{");
        w.line("    return up;");
        w.line("}");
        w.line();
    }
    defineBringUp(w);
    if (names.core == 0) {
        writeSafeState(w);
        defineReleases(w);
    }
    return w.take();
}

SourceFile pinsSource(const Facts& f, const Names& names)
{
    Writer w(f, names, names.prefix.text() + "_pins.c",
             "Pads: output levels first, then pulls, function and direction. A pad that a peripheral drives is "
             "connected when the peripheral is set up.");
    w.linef("#include \"{}_board.h\"", names.prefix);
    w.linef("#include \"{}_regs.h\"", names.prefix);
    w.line();
    w.linef("void {}_pins_bring_up(void)", names.prefix);
    w.line("{");
    std::vector<const Step*> steps;
    for (const Step& step : f.image.steps)
        if (step.phase == Step::Phase::Pins)
            steps.push_back(&step);
    w.steps(steps, 4);
    w.line("}");
    return w.take();
}

} // namespace bindrel
