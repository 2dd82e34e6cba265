// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_interrupts.c: handlers that clear their flag in the way that the register asks for, and hand on.
#include "core/source/field_access.h"
#include "core/source/writer.h"

#include <algorithm>

namespace bindrel {

namespace {

/// Lets an interrupt through to the core, as its architecture wants it.
void writeEnable(Writer& w)
{
    const Facts& f = w.facts;
    const bool arm = f.device.cores[w.names.core].architecture == Core::Architecture::ArmM;
    w.comment(arm ? "The core's interrupt controller, as Arm defines it for the M profile: one set-enable bit an interrupt."
                  : "The chip's interrupt controller lets the interrupt through, mie.MEIE and mstatus.MIE let the core take it.");
    w.linef("void {}_interrupt_enable(uint32_t number)", w.names.prefix);
    w.line("{");
    if (arm) {
        w.line("    volatile uint32_t *const set_enable = (volatile uint32_t *)0xE000E100u;");
        w.line("    set_enable[number / 32u] = 1u << (number % 32u);");
    } else {
        const int controller = f.device.cores[w.names.core].interruptController;
        const Register& reg = f.device.registerOf(f.device.roleField(controller, "enable"));
        w.linef("    volatile {} *const enable = &{};", typeOf(reg), roleRegister(f, w.names, controller, "enable"));
        w.linef("    enable[number / {0}u] = {1};", reg.width, narrowed(reg, code("enable[number / {0}u] | 1u << (number % {0}u)", reg.width)));
        w.line("    __asm__ volatile(\"csrs mie, %0\" : : \"r\"(1u << 11));");
        w.line("    __asm__ volatile(\"csrsi mstatus, 8\");");
    }
    w.line("}");
}

/// The handler of the lines that one instance watches: each flag is cleared in the way that its register asks for.
void writeHandler(Writer& w, int watcher, const std::string& event, const std::vector<const PadSetup*>& lines)
{
    const Facts& f = w.facts;
    const Word name = handlerName(w.names, f.device.instances[size_t(watcher)].name, event);
    w.line();
    w.linef("void {}(void);", name);
    w.linef("void {}(void)", name);
    w.line("{");
    for (const PadSetup* setup : lines) {
        if (f.device.linesInPorts && f.device.pads[size_t(setup->pad)].port != watcher)
            continue;
        const std::string role = "flag" + std::to_string(setup->line);
        const FieldRef flag = f.device.roleField(watcher, role);
        if (!flag.valid())
            continue;
        const Code reg = roleRegister(f, w.names, watcher, role);
        const Word bit = roleMacro(f, w.names, watcher, role);
        w.becauseNeed(size_t(setup->need), "edges");
        w.linef("    if (({} & {}) != 0u) {{", reg, bit);
        clearFlags(w, watcher, {role}, 8);
        w.linef("        {}_edge();", w.names.need(size_t(setup->need)));
        w.line("    }");
    }
    w.noCause();
    w.line("}");
}

} // namespace

SourceFile interruptsSource(const Facts& f, const Names& names)
{
    Writer w(f, names, names.prefix.text() + "_interrupts.c", "Interrupt handlers of the needs.");
    w.linef("#include \"{}_board.h\"", names.prefix);
    w.linef("#include \"{}_regs.h\"", names.prefix);
    std::vector<const PadSetup*> lines;
    for (const PadSetup& setup : f.pads)
        if (setup.line >= 0 && hasFiles(f, names, size_t(setup.need))) {
            lines.push_back(&setup);
            w.becauseNeed(size_t(setup.need));
            w.linef("#include \"{}.h\"", names.need(size_t(setup.need)));
        }
    w.noCause();
    w.line();
    writeEnable(w);
    if (lines.empty())
        return w.take();
    for (const PadSetup* setup : lines) {
        w.becauseNeed(size_t(setup->need), "edges");
        w.line();
        w.linef("__attribute__((weak)) void {}_edge(void)", names.need(size_t(setup->need)));
        w.line("{");
        w.line("}");
    }
    w.noCause();
    std::vector<int> watchers;
    for (const PadSetup* setup : lines) {
        const int watcher = f.device.linesInPorts ? f.device.pads[size_t(setup->pad)].port : f.device.lineInstance;
        if (watcher >= 0 && std::find(watchers.begin(), watchers.end(), watcher) == watchers.end())
            watchers.push_back(watcher);
    }
    for (const int watcher : watchers)
        for (const auto& [event, number] : f.device.instances[size_t(watcher)].interrupts)
            writeHandler(w, watcher, event, lines);
    return w.take();
}

} // namespace bindrel
