// SPDX-License-Identifier: GPL-3.0-or-later
// A header and a source file for each bound need: bring-up, start and stop, and the helpers of its kind.
#include "core/base/text.h"
#include "core/source/c_text.h"
#include "core/source/writer.h"

#include <algorithm>

namespace bindrel {

const std::vector<KindSource>& kindSources()
{
    static const std::vector<KindSource> all{
        {"uart", declareUart, defineUart}, {"i2c", declareI2c, defineI2c}, {"pwm", declarePwm, definePwm}, {"gpio", declareGpio, defineGpio}};
    return all;
}

namespace {

const KindSource* sourceOf(const Need& need)
{
    for (const KindSource& kind : kindSources())
        if (kind.kind == need.kind)
            return &kind;
    return nullptr;
}

std::vector<const Step*> stepsOf(const Facts& f, size_t need, Step::Phase phase)
{
    std::vector<const Step*> out;
    for (const Step& step : f.image.steps)
        if (step.phase == phase && step.need == static_cast<int>(need))
            out.push_back(&step);
    return out;
}

/// "UART3 from 80 MHz: 460.829 kBd for 460.8 kBd (+64 ppm)".
std::string summary(const Facts& f, size_t need)
{
    std::string text = f.plan.needs[need].title;
    const BoundNeed& bound = f.bindings.needs[need];
    if (bound.instance >= 0)
        text += " on " + f.device.instances[size_t(bound.instance)].name;
    for (const Achieved& row : f.settings[need].achieved)
        text += fmt::format("; {} {}", lowered(row.title), row.achieved);
    return text + ".";
}

void writeStop(Writer& w, size_t need, const std::vector<const Step*>& starts)
{
    w.becauseNeed(need, "stop");
    w.line();
    w.linef("void {}_stop(void)", w.names.need(need));
    w.line("{");
    for (auto it = starts.rbegin(); it != starts.rend(); ++it) {
        Step back = **it;
        back.value = 0;
        for (FieldWrite& write : back.fields)
            write.code = 0;
        w.step(back, 4);
    }
    w.line("}");
}

} // namespace

bool hasFiles(const Facts& f, size_t need)
{
    return f.bindings.needs[need].state == BoundNeed::State::Bound && sourceOf(f.plan.needs[need]) != nullptr &&
           (f.bindings.needs[need].instance < 0 || f.settings[need].computed);
}

std::vector<SourceFile> needFiles(const Facts& f, const Names& names, size_t need)
{
    const KindSource* kind = sourceOf(f.plan.needs[need]);
    const std::vector<const Step*> starts = stepsOf(f, need, Step::Phase::Start);

    Writer header(f, names, names.file(need, ".h"), summary(f, need));
    header.becauseNeed(need);
    const std::string guard = names.NEED(need) + "_H";
    header.linef("#ifndef {}", guard);
    header.linef("#define {}", guard);
    header.line();
    header.linef("#include \"{}_board.h\"", names.prefix);
    header.line();
    header.comment("Configures everything; nothing is driven before start.");
    header.linef("void {}_bring_up(void);", names.need(need));
    if (!starts.empty()) {
        header.linef("void {}_start(void);", names.need(need));
        header.linef("void {}_stop(void);", names.need(need));
    }
    header.line();
    kind->declare(header, need);
    header.line();
    header.linef("#endif /* {} */", guard);

    Writer source(f, names, names.file(need, ".c"), summary(f, need));
    source.becauseNeed(need);
    source.linef("#include \"{}\"", names.file(need, ".h"));
    source.linef("#include \"{}_regs.h\"", names.prefix);
    source.line();
    source.linef("void {}_bring_up(void)", names.need(need));
    source.line("{");
    source.steps(stepsOf(f, need, Step::Phase::Need), 4);
    source.becauseNeed(need);
    source.keep(names.needs[need] + "_bring_up", 4);
    source.line("}");
    if (!starts.empty()) {
        source.line();
        source.linef("void {}_start(void)", names.need(need));
        source.line("{");
        for (const Step* step : starts)
            source.step(*step, 4);
        if (f.plan.needs[need].kind == "gpio" && f.device.lineInstance >= 0)
            for (const auto& [event, number] : f.device.instances[size_t(f.device.lineInstance)].interrupts)
                source.linef("    {}_interrupt_enable({}u); /* {} {} */", names.prefix, number, f.device.instances[size_t(f.device.lineInstance)].name, event);
        source.line("}");
        writeStop(source, need, starts);
    }
    kind->define(source, need);
    source.noCause();
    return {header.take(), source.take()};
}


} // namespace bindrel
