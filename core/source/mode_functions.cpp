// SPDX-License-Identifier: GPL-3.0-or-later
// The functions that enter a low-power mode of the chip, wait there, and bring the clocks back.
#include "core/base/text.h"
#include "core/clocks/modes.h"
#include "core/quantity/format.h"
#include "core/source/safe_text.h"
#include "core/source/writer.h"

#include <algorithm>

namespace bindrel {

namespace {

Word functionName(const Facts& f, const Names& names, const ModeSteps& steps)
{
    const Word name = names.name("enter_" + Word::of(f.device.modes[size_t(steps.mode)].id));
    return steps.slow ? name + "_slow" : name;
}

std::string purpose(const Facts& f, const ModeSteps& steps)
{
    const LowPowerMode& mode = f.device.modes[size_t(steps.mode)];
    const ModeState state = modeState(f.device, f.plan, f.bindings, steps.slow ? *f.image.slowRates : f.rates, mode);
    std::vector<std::string> wakers;
    for (const NeedIndex need : state.wakers)
        wakers.push_back(f.plan.needs[need].title);
    std::string text = mode.about.empty() ? mode.name + "." : fmt::format("{}: {}", mode.name, mode.about);
    text += wakers.empty()    ? " Nothing in the plan wakes it."
            : mode.wakesByAny ? " Any interrupt wakes it."
                              : fmt::format(" Woken by {}.", listed(wakers));
    text += fmt::format(" The core runs {} after wake-up, all clocks within {}; then it returns.",
                        format(state.wakeTime), format(state.fullTime));
    std::vector<std::string> again, own;
    for (const NeedIndex need : steps.again)
        (f.plan.leavesOut(f.plan.needs[need]) ? own : again).push_back(f.plan.needs[need].title);
    if (!again.empty())
        text += fmt::format(
            " Meanwhile {} {} no power: stopped before and initialised again afterwards; start {} again yourself.",
            listed(again), again.size() == 1 ? "has" : "have", again.size() == 1 ? "it" : "they");
    if (!own.empty())
        text += fmt::format(" {} {} no power either: initialise {} again in your own code.", listed(own),
                            own.size() == 1 ? "has" : "have", own.size() == 1 ? "it" : "them");
    if (f.image.slowRates)
        text += steps.slow ? " Call it on the low-speed clocks." : " Call it on the full-speed clocks.";
    return text;
}

bool hasStop(const Facts& f, NeedIndex need)
{
    return std::any_of(f.image.stops.begin(), f.image.stops.end(),
                       [need](const Step& step) { return step.need == int(need); });
}

void list(Writer& w, const std::vector<Step>& steps)
{
    std::vector<const Step*> pointers;
    for (const Step& step : steps)
        pointers.push_back(&step);
    w.steps(pointers, 4);
}

} // namespace

void declareModes(Writer& w)
{
    const Facts& f = w.facts;
    if (f.image.modes.empty() || w.names.core != 0)
        return;
    const Word& p = w.names.prefix;
    for (const ModeSteps& steps : f.image.modes) {
        w.because({Place::Kind::Mode, f.device.modes[size_t(steps.mode)].id, {}}, "entered");
        w.comment(purpose(f, steps));
        w.linef("enum {}_status {}(void);", p, functionName(f, w.names, steps));
    }
    w.noCause();
    w.comment("The core waits for an interrupt; with `deep`, in the selected low-power mode.");
    w.linef("void {}_core_wait(bool deep);", p);
}

void defineModes(Writer& w)
{
    const Facts& f = w.facts;
    const Word& p = w.names.prefix;
    for (const ModeSteps& steps : f.image.modes) {
        const LowPowerMode& mode = f.device.modes[size_t(steps.mode)];
        const Word name = functionName(f, w.names, steps);
        const Word back = Word::of(mode.id) + (steps.slow ? WordLiteral("_slow_back") : WordLiteral("_back"));
        w.because({Place::Kind::Mode, mode.id, {}}, "entered");
        w.line();
        if (!steps.back.empty()) {
            w.comment(fmt::format("From {} to the {} clocks.", mode.name, steps.slow ? "slow" : "planned"));
            w.linef("static enum {}_status {}(void)", p, back);
            w.line("{");
            list(w, steps.back);
            w.linef("    return {};", w.names.macro("OK"));
            w.line("}");
            w.line();
        }
        w.because({Place::Kind::Mode, mode.id, {}}, "entered");
        w.comment(purpose(f, steps));
        w.linef("enum {}_status {}(void)", p, name);
        w.line("{");
        refuseAfterFallBack(w);
        w.comment("The interrupt that wakes the core is served once the clocks are back.", 4);
        w.linef("    const uint32_t before = {}_interrupts_hold();", p);
        for (const NeedIndex need : steps.again)
            if (hasStop(f, size_t(need)) && isWritten(f, w.names, need))
                w.linef("    {}_stop();", w.names.need(size_t(need)));
        list(w, steps.enter);
        w.because({Place::Kind::Mode, mode.id, {}}, "entered");
        w.linef("    {}_core_wait({});", p, mode.deep ? WordLiteral("true") : WordLiteral("false"));
        std::vector<size_t> again;
        for (const NeedIndex need : steps.again)
            if (isWritten(f, w.names, need))
                again.push_back(size_t(need));
        const bool mayFail =
            std::any_of(again.begin(), again.end(), [&f](NeedIndex need) { return needWaits(f, need); });
        const Code held = mayFail ? Code() : Code::trusted("const ");
        if (steps.back.empty())
            w.linef("    {}enum {}_status status = {};", held, p, w.names.macro("OK"));
        else
            w.linef("    {}enum {}_status status = {}();", held, p, back);
        if (!again.empty()) {
            w.linef("    if (status == {}) {{", w.names.macro("OK"));
            if (mayFail)
                w.linef("        enum {}_status came;", p);
            for (const size_t need : again) {
                w.becauseNeed(need);
                if (!needWaits(f, need)) {
                    w.linef("        {}_bring_up();", w.names.need(need));
                    continue;
                }
                w.linef("        came = {}_bring_up();", w.names.need(need));
                w.linef("        status = status == {} ? came : status;", w.names.macro("OK"));
            }
            w.because({Place::Kind::Mode, mode.id, {}}, "entered");
            w.line("    }");
        }
        w.linef("    {}_interrupts_release(before);", p);
        w.line("    return status;");
        w.line("}");
    }
    w.noCause();
}

/// By the architecture of the core that enters them: the system control register of Arm's M profile. On RISC-V as well,
/// a pending interrupt ends the wait even while it is held off.
void writeCoreWait(Writer& w)
{
    const Facts& f = w.facts;
    if (f.image.modes.empty() || w.names.core != 0)
        return;
    const Word& p = w.names.prefix;
    const bool arm = f.device.core().architecture == Core::Architecture::ArmM;
    w.line();
    w.linef("void {}_core_wait(bool deep)", p);
    w.line("{");
    if (arm) {
        w.line("    volatile uint32_t *const control = (volatile uint32_t *)0xE000ED10u;");
        w.line("    const uint32_t before = *control;");
        w.comment("SLEEPDEEP: selects the chip's low-power mode for the wait.", 4);
        w.line("    *control = deep ? before | 4u : before & ~4u;");
        w.line("    __asm__ volatile(\"dsb\\n\\twfi\\n\\tisb\" : : : \"memory\");");
        w.line("    *control = before;");
    } else {
        w.line("    (void)deep; /* the depth is set in the chip */");
        w.line("    __asm__ volatile(\"fence\\n\\twfi\" : : : \"memory\");");
    }
    w.line("}");
}

} // namespace bindrel
