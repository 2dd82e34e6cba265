// SPDX-License-Identifier: GPL-3.0-or-later
// A header and a source file for each bound need: bring-up, start and stop, and the helpers of its kind.
#include "core/base/text.h"
#include "core/source/interrupt_table.h"
#include "core/source/safe_text.h"
#include "core/source/stream_functions.h"
#include "core/source/writer.h"

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

std::vector<const Step*> stepsOf(const Facts& f, NeedIndex need, Step::Phase phase)
{
    std::vector<const Step*> out;
    for (const Step& step : phase == Step::Phase::Stop ? f.image.stops : f.image.steps)
        if (step.phase == phase && step.need == static_cast<int>(need))
            out.push_back(&step);
    return out;
}

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

} // namespace

bool needWaits(const Facts& f, NeedIndex need)
{
    const std::vector<const Step*> steps = stepsOf(f, need, Step::Phase::Need);
    return std::any_of(steps.begin(), steps.end(), [](const Step* step) { return step->kind == Step::Kind::Wait; });
}

bool hasStart(const Facts& f, NeedIndex need)
{
    return !stepsOf(f, need, Step::Phase::Start).empty();
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
    return !stepsOf(f, need, Step::Phase::Need).empty();
}

std::vector<SourceFile> needFiles(const Facts& f, const Names& names, NeedIndex need)
{
    const SourceFacet& kind = sourceOf(f.plan.needs[need].kind);
    const std::vector<const Step*> starts = stepsOf(f, need, Step::Phase::Start),
                                   stops = stepsOf(f, need, Step::Phase::Stop);
    const bool waits = needWaits(f, need);
    const bool arm = f.device.cores[names.core].architecture == Core::Architecture::ArmM;
    const Code result = waits ? code("enum {}_status", names.prefix) : Code::trusted("void");

    Writer header(f, names, names.path(need, ".h"), summary(f, need));
    header.becauseNeed(need);
    const Word guard = names.NEED(need) + "_H";
    header.linef("#ifndef {}", guard);
    header.linef("#define {}", guard);
    header.line();
    header.line(names.include(WordLiteral("board")));
    header.line();
    header.comment(
        kind.define
            ? starts.empty() ? "Configures the peripheral." : "Configures the peripheral; start runs it."
            : "Clocks the instance and connects its signals to their pads. Setting its own registers is up to you.");
    header.comment(
        "Not reentrant: the functions of this file are called from the main program or from one interrupt, not "
        "from both.");
    if (waits)
        header.comment("Stops at the first timeout and returns it.");
    header.linef("{} {}_bring_up(void);", result, names.need(need));
    if (!starts.empty())
        header.linef("void {}_start(void);", names.need(need));
    if (!stops.empty())
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
    header.line();
    header.linef("#endif /* {} */", guard);

    Writer source(f, names, names.path(need, ".c"), summary(f, need));
    source.becauseNeed(need);
    source.line(names.include(need));
    source.line(names.include(WordLiteral("regs")));
    source.line();
    if (kind.declareState)
        kind.declareState(source, need);
    declareStreamState(source, need);
    source.linef("{} {}_bring_up(void)", result, names.need(need));
    source.line("{");
    source.steps(stepsOf(f, need, Step::Phase::Need), 4);
    source.becauseNeed(need);
    source.keep(names.needs[need] + "_bring_up", 4);
    if (waits)
        source.linef("    return {};", names.macro("OK"));
    source.line("}");
    if (!starts.empty()) {
        source.line();
        source.linef("void {}_start(void)", names.need(need));
        source.line("{");
        if (kind.resetState)
            kind.resetState(source, need);
        resetStreamState(source, need);
        for (const Step* step : starts)
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
    if (!stops.empty()) {
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
    source.noCause();
    return {header.take(), source.take()};
}

} // namespace bindrel
