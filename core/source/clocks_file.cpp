// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_clocks.c: the clocks from reset, what follows when one does not come, and the changes between sets of clocks.
#include "core/base/text.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/source/safe_text.h"
#include "core/source/table_style.h"
#include "core/source/writer.h"

#include <algorithm>
#include <set>

namespace bindrel {

bool hasLateClocks(const Facts& f)
{
    return std::any_of(f.image.steps.begin(), f.image.steps.end(),
                       [](const Step& step) { return step.phase == Step::Phase::Late; });
}

std::vector<std::string> leftTitles(const Facts& f, const FallBack& fallBack)
{
    std::vector<std::string> out;
    for (const NeedIndex need : fallBack.left)
        if (isWritten(f, namesFor(f, coreOf(f, need)), size_t(need)))
            out.push_back(f.plan.needs[need].title);
    return out;
}

std::string afterwards(const Facts& f, const FallBack& fallBack)
{
    const std::vector<std::string> left = leftTitles(f, fallBack);
    return fmt::format("{} failed to start: {}{}", f.device.clocks[fallBack.clock].name,
                       fallBack.toSlow ? "continuing on the low-speed clocks"
                                       : "continuing with everything that does not use it",
                       left.empty() ? "" : ", without " + listed(left));
}

/// A function for each clock whose failure something can go on after, and the choice among them.
static void fallBackFunctions(Writer& w)
{
    const Facts& f = w.facts;
    const Word& p = w.names.prefix;
    if (f.image.fallBacks.empty())
        return;
    const auto functionOf = [&](const FallBack& fallBack) {
        return WordLiteral("without_") + Word::of(f.device.clocks[fallBack.clock].id);
    };
    w.line();
    w.linef("static enum {}_status failure = {};", p, w.names.macro("OK"));
    for (const FallBack& fallBack : f.image.fallBacks) {
        const ClockNode& node = f.device.clocks[fallBack.clock];
        w.because({Place::Kind::Clock, node.id, {}}, "failed to start");
        w.line();
        w.comment(fmt::format("{}; CPU at {}.", afterwards(f, fallBack),
                              format(fallBack.rates.clocks[f.device.cpuClock()].rate)));
        w.linef("static enum {}_status {}(void)", p, functionOf(fallBack));
        w.line("{");
        std::vector<const Step*> steps;
        for (const Step& step : fallBack.steps)
            steps.push_back(&step);
        w.steps(steps, 4);
        w.linef("    return {};", w.names.macro("OK"));
        w.line("}");
    }
    w.noCause();
    w.line();
    w.linef("bool {0}_clocks_fall_back(enum {0}_status failed)", p);
    w.line("{");
    w.linef("    enum {}_status status;", p);
    w.line("    switch (failed) {");
    for (const FallBack& fallBack : f.image.fallBacks) {
        w.linef("    case {}:", timeoutName(f, w.names, fallBack.awaited));
        w.linef("        status = {}();", functionOf(fallBack));
        w.line("        break;");
    }
    w.line("    default:");
    w.line("        status = failed;");
    w.line("        break;");
    w.line("    }");
    w.linef("    failure = status == {} ? failed : failure;", w.names.macro("OK"));
    w.linef("    return status == {};", w.names.macro("OK"));
    w.line("}");
    w.line();
    w.linef("enum {0}_status {0}_failed_clock(void)", p);
    w.line("{");
    w.line("    return failure;");
    w.line("}");
}

void refuseAfterFallBack(Writer& w)
{
    if (w.facts.image.fallBacks.empty())
        return;
    w.linef("    if (failure != {}) {{", w.names.macro("OK"));
    w.comment("The clocks differ from the plan and stay so.", 8);
    w.line("        return failure;");
    w.line("    }");
}

/// One of the pair that switches between the plan's clocks and its slow ones while the program runs.
static void switchFunction(Writer& w, WordLiteral name, const std::vector<Step>& list, const ClockState& cpu)
{
    w.line();
    w.comment(fmt::format("Switches to the {} clocks, CPU at {}. Stop all peripherals whose clock changes first.",
                          name.text(), format(cpu.rate)));
    w.linef("enum {0}_status {0}_clocks_{1}(void)", w.names.prefix, name);
    w.line("{");
    refuseAfterFallBack(w);
    std::vector<const Step*> steps;
    for (const Step& step : list)
        steps.push_back(&step);
    w.steps(steps, 4);
    w.linef("    return {};", w.names.macro("OK"));
    w.line("}");
}

SourceFile clocksSource(const Facts& f, const Names& names)
{
    const ClockState& cpu = f.rates.clocks[f.device.cpuClock()];
    Writer w(f, names, names.path(WordLiteral("clocks"), ".c"),
             fmt::format("Clocks, from reset to a CPU at {}.", format(cpu.rate)));
    w.line(names.include(WordLiteral("board")));
    w.line(names.include(WordLiteral("regs")));
    includeTable(w, clockLists(f));
    std::set<int> again;
    for (const ModeSteps& mode : f.image.modes)
        again.insert(mode.again.begin(), mode.again.end());
    for (const NeedIndex need : again)
        if (isWritten(f, names, need))
            w.includeNeed(size_t(need));
    w.line();
    // The whole path in one comment, as a colleague would sketch it.
    std::string path;
    const std::vector<ClockIndex> up = pathToSource(f.rates, f.device.cpuClock());
    for (auto it = up.rbegin(); it != up.rend(); ++it) {
        const ClockNode& node = f.device.clocks[*it];
        if (node.type == ClockNode::Type::Select)
            continue;
        path += path.empty() ? fmt::format("{} {}", node.name, format(f.rates.clocks[*it].rate))
                             : " " + operationText(f.device, f.rates, *it);
    }
    w.comment(fmt::format("CPU {} = {}; {}.", format(cpu.rate), path, format(cpu.tolerance)));
    w.linef("enum {0}_status {0}_clocks_bring_up(void)", names.prefix);
    w.line("{");
    std::vector<const Step*> steps;
    for (const Step& step : f.image.steps)
        if (step.phase == Step::Phase::Clocks)
            steps.push_back(&step);
    w.steps(steps, 4);
    w.linef("    return {};", names.macro("OK"));
    w.line("}");
    if (hasLateClocks(f)) {
        std::vector<const Step*> late;
        for (const Step& step : f.image.steps)
            if (step.phase == Step::Phase::Late)
                late.push_back(&step);
        w.line();
        w.comment("Sources with a long start-up time, and what uses them.");
        w.linef("enum {0}_status {0}_slow_sources_bring_up(void)", names.prefix);
        w.line("{");
        w.steps(late, 4);
        w.linef("    return {};", names.macro("OK"));
        w.line("}");
    }
    fallBackFunctions(w);
    if (f.image.slowRates) {
        switchFunction(w, "slow", f.image.toSlow, f.image.slowRates->clocks[f.device.cpuClock()]);
        switchFunction(w, "full", f.image.toFull, cpu);
    }
    defineModes(w);
    return w.take();
}

} // namespace bindrel
