// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_board.c: waiting, and the order of the bring-up; PREFIX_pins.c.
#include "core/base/text.h"
#include "core/quantity/format.h"
#include "core/source/board_files.h"
#include "core/source/field_access.h"
#include "core/source/interrupt_table.h"
#include "core/source/safe_text.h"
#include "core/source/table_style.h"
#include "core/source/writer.h"

#include <algorithm>
#include <set>

namespace bindrel {

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

namespace {

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
    for (const NeedIndex n : f.image.order)
        if (isWritten(f, w.names, n) && (waitsForSlowSource(f, n) && w.names.core == 0) == late) {
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

/// What the first core's program can do for the board when something has gone wrong.
void writeSafeState(Writer& w)
{
    const Facts& f = w.facts;
    w.line();
    w.linef("void {}_safe_state(void)", w.names.prefix);
    w.line("{");
    std::vector<std::string> left; // outputs of the user's own code
    for (const NeedIndex n : f.plan.needs.indices()) {
        if (!isWritten(f, w.names, n)) {
            if (hasFiles(f, w.names, n) && std::any_of(f.pads.begin(), f.pads.end(), [n](const PadSetup& setup) {
                    return setup.need == int(n) && setup.gpio && setup.output;
                }))
                left.push_back(f.plan.needs[n].title);
            continue;
        }
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
    if (!left.empty())
        w.comment("Driven by your own code: " + joined(left, ", ") + ".", 4);
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
    const auto mayFail = [&](size_t n) { return isWritten(f, names, n) && needWaits(f, n); };
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
                cComment(f.device.clocks[alarm.clocks.front()].name + " stops"));
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
    if (const std::vector<std::string> left = leftOutTitles(f, names); !left.empty())
        w.comment("Left out of this project; your own code initialises: " + joined(left, ", ") + ".", 4);
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
    Writer w(f, names, names.path(WordLiteral("board"), ".c"), "Initialisation sequence and polling.");
    w.line(names.include(WordLiteral("board")));
    if (names.core == 0 &&
        (!watchdogsOf(w).empty() ||
         std::any_of(f.image.steps.begin(), f.image.steps.end(),
                     [](const Step& step) { return step.phase == Step::Phase::Unlock; }) ||
         std::any_of(f.device.cores.begin(), f.device.cores.end(), [](const Core& c) { return c.release.valid(); })))
        w.line(names.include(WordLiteral("regs")));
    if (names.core == 0)
        includeTable(w, {stepsOf(f, Step::Phase::Unlock)});
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        if (isWritten(f, names, n)) {
            w.becauseNeed(n);
            w.includeNeed(n);
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
    Writer w(f, names, names.path(WordLiteral("pins"), ".c"),
             "Pads: output levels first, then pulls, function and direction. A pad that a peripheral drives is "
             "connected when the peripheral is set up.");
    w.line(names.include(WordLiteral("board")));
    w.line(names.include(WordLiteral("regs")));
    includeTable(w, {stepsOf(f, Step::Phase::Pins)});
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
