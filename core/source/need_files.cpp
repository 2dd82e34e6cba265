// SPDX-License-Identifier: GPL-3.0-or-later
// A header and a source file for each bound need: bring-up, start and stop, and the helpers of its kind.
#include "core/base/text.h"
#include "core/source/interrupt_table.h"
#include "core/source/safe_text.h"
#include "core/source/stream_functions.h"
#include "core/source/table_style.h"
#include "core/source/writer.h"

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

/// "UART3 from 80 MHz: 460.829 kBd for 460.8 kBd (+64 ppm)".
std::string summary(const Facts& f, NeedIndex need)
{
    std::string text = f.plan.needs[need].title;
    const BoundNeed& bound = f.bindings.needs[need];
    if (bound.instance >= 0)
        text += " on " + f.device.instances[bound.instance].name;
    for (const Achieved& row : f.settings[need].achieved)
        text += "; " + achievedText(row);
    return text + ".";
}

/// What a bring-up returns.
Code resultOf(const Facts& f, const Names& names, NeedIndex need)
{
    return needWaits(f, need) ? code("enum {}_status", names.prefix) : Code::trusted("void");
}

} // namespace

bool needWaits(const Facts& f, NeedIndex need)
{
    const std::vector<const Step*> steps = stepsOf(f, Step::Phase::Need, need);
    return std::any_of(steps.begin(), steps.end(), [](const Step* step) { return step->kind == Step::Kind::Wait; });
}

bool hasStart(const Facts& f, NeedIndex need)
{
    return !stepsOf(f, Step::Phase::Start, need).empty();
}

CoreIndex coreOf(const Facts& f, NeedIndex need)
{
    return f.device.ownerCore(f.plan.needs[need].core);
}

bool hasFiles(const Facts& f, const Names& names, NeedIndex need)
{
    if (f.bindings.needs[need].state != BoundNeed::State::Bound || coreOf(f, need) != names.core)
        return false;
    if (sourceOf(f.plan.needs[need].kind).define)
        return f.bindings.needs[need].instance < 0 || f.settings[need].computed;
    // A kind without arithmetic: its clock gate, the mode of its unit, its DMA channel.
    return !stepsOf(f, Step::Phase::Need, need).empty();
}

bool isWritten(const Facts& f, const Names& names, NeedIndex need)
{
    return !f.plan.leavesOut(f.plan.needs[need]) && hasFiles(f, names, need);
}

std::vector<std::string> leftOutTitles(const Facts& f, const Names& names)
{
    std::vector<std::string> out;
    for (const NeedIndex n : f.plan.needs.indices())
        if (f.plan.leavesOut(f.plan.needs[n]) && hasFiles(f, names, n)) {
            const InstanceIndex instance = f.bindings.needs[n].instance;
            out.push_back(instance < 0
                              ? f.plan.needs[n].title
                              : fmt::format("{} ({})", f.plan.needs[n].title, f.device.instances[instance].name));
        }
    return out;
}

namespace {

void writeHeader(Writer& header, NeedIndex need)
{
    const Facts& f = header.facts;
    const Names& names = header.names;
    const SourceFacet& kind = sourceOf(f.plan.needs[need].kind);
    const bool waits = needWaits(f, need), starts = hasStart(f, need);
    header.comment(
        kind.define
            ? starts ? "Configures the peripheral; start runs it." : "Configures the peripheral."
            : "Clocks the instance and connects its signals to their pads. Setting its own registers is up to you.");
    header.comment("Not reentrant: the functions of this file are called from the main program or from one interrupt, "
                   "not from both.");
    if (waits)
        header.comment("Stops at the first timeout and returns it.");
    header.linef("{} {}_bring_up(void);", resultOf(f, names, need), names.need(need));
    if (starts)
        header.linef("void {}_start(void);", names.need(need));
    if (!stepsOf(f, Step::Phase::Stop, need).empty())
        header.linef("void {}_stop(void);", names.need(need));
    std::set<std::string> functions;
    for (const auto& [number, client] : interruptsOf(f, names, need))
        if (functions.insert(client.function).second) {
            header.line();
            header.comment(client.own ? client.about : client.about + " Define it to act.");
            header.linef("void {}_{}(void);", names.need(need), Word::of(client.function));
        }
    header.line();
    if (kind.declare)
        kind.declare(header, need);
    declareStreams(header, need);
}

void writeStart(Writer& source, NeedIndex need)
{
    const Facts& f = source.facts;
    const Names& names = source.names;
    const SourceFacet& kind = sourceOf(f.plan.needs[need].kind);
    const bool arm = f.device.cores[names.core].architecture == Core::Architecture::ArmM;
    source.line();
    source.linef("void {}_start(void)", names.need(need));
    source.line("{");
    if (kind.resetState)
        kind.resetState(source, need);
    resetStreamState(source, need);
    for (const Step* step : stepsOf(f, Step::Phase::Start, need))
        source.step(*step, 4);
    for (const auto& [number, client] : interruptsOf(f, names, need)) {
        if (const std::optional<std::uint32_t> level =
                arm ? urgencyOf(f.device, f.plan, f.plan.needs[need]).level : std::nullopt)
            source.linef("    {}_interrupt_priority({}u, {}u);", names.prefix, number, *level);
        source.linef("    {}_interrupt_enable({}u); {}", names.prefix, number,
                     cComment(f.device.instances[client.instance].name + " " + client.event));
    }
    source.line("}");
}

void writeSource(Writer& source, NeedIndex need)
{
    const Facts& f = source.facts;
    const Names& names = source.names;
    const SourceFacet& kind = sourceOf(f.plan.needs[need].kind);
    if (kind.declareState)
        kind.declareState(source, need);
    declareStreamState(source, need);
    source.linef("{} {}_bring_up(void)", resultOf(f, names, need), names.need(need));
    source.line("{");
    source.steps(stepsOf(f, Step::Phase::Need, need), 4);
    source.becauseNeed(need);
    source.keep(names.needs[need] + "_bring_up", 4);
    if (needWaits(f, need))
        source.linef("    return {};", names.macro("OK"));
    source.line("}");
    if (hasStart(f, need))
        writeStart(source, need);
    if (const std::vector<const Step*> stops = stepsOf(f, Step::Phase::Stop, need); !stops.empty()) {
        source.becauseNeed(need, "stop");
        source.line();
        source.linef("void {}_stop(void)", names.need(need));
        source.line("{");
        for (const Step* step : stops)
            source.step(*step, 4);
        source.line("}");
    }
    if (kind.define)
        kind.define(source, need);
    defineStreams(source, need);
}

void beginHeader(Writer& header, const Word& guard)
{
    header.linef("#ifndef {}", guard);
    header.linef("#define {}", guard);
    header.line();
    header.line(header.names.include(WordLiteral("board")));
    header.line();
}

void beginSource(Writer& source, const Code& header, const std::vector<NeedIndex>& needs)
{
    source.line(header);
    source.line(source.names.include(WordLiteral("regs")));
    std::vector<std::vector<const Step*>> lists;
    for (const NeedIndex need : needs)
        lists.push_back(stepsOf(source.facts, Step::Phase::Need, need));
    includeTable(source, lists);
    source.line();
}

} // namespace

std::vector<SourceFile> needFiles(const Facts& f, const Names& names, const std::vector<NeedIndex>& needs)
{
    std::vector<SourceFile> out;
    if (f.plan.project.needFiles == ProjectLayout::NeedFiles::Pairs)
        for (const NeedIndex need : needs) {
            Writer header(f, names, names.path(need, ".h"), summary(f, need));
            header.becauseNeed(need);
            const Word guard = names.NEED(need) + "_H";
            beginHeader(header, guard);
            writeHeader(header, need);
            header.line();
            header.linef("#endif /* {} */", guard);
            out.push_back(header.take());
            Writer source(f, names, names.path(need, ".c"), summary(f, need));
            source.becauseNeed(need);
            beginSource(source, names.include(need), {need});
            writeSource(source, need);
            source.noCause();
            out.push_back(source.take());
        }
    else if (!needs.empty()) {
        const char* purpose = "What the board needs of the peripherals, one after the other.";
        Writer header(f, names, names.path(WordLiteral("needs"), ".h"), purpose);
        const Word guard = names.macro("NEEDS_H");
        beginHeader(header, guard);
        Writer source(f, names, names.path(WordLiteral("needs"), ".c"), purpose);
        beginSource(source, names.include(needs.front()), needs);
        for (const NeedIndex need : needs) {
            for (Writer* w : {&header, &source}) {
                w->becauseNeed(need);
                if (need != needs.front())
                    w->line();
                w->comment("---- " + summary(f, need));
            }
            writeHeader(header, need);
            writeSource(source, need);
        }
        header.noCause();
        source.noCause();
        header.line();
        header.linef("#endif /* {} */", guard);
        out.push_back(header.take());
        out.push_back(source.take());
    }
    return out;
}

} // namespace bindrel
