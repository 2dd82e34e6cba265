// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_interrupts.c: handlers that clear their flag in the way that the register asks for, and hand on.
#include "core/source/writer.h"

namespace bindrel {

SourceFile interruptsSource(const Facts& f, const Names& names)
{
    Writer w(f, names, names.name("interrupts.c"), "Interrupt handlers of the needs.");
    w.linef("#include \"{}_board.h\"", names.prefix);
    w.linef("#include \"{}_regs.h\"", names.prefix);
    std::vector<const PadSetup*> lines;
    for (const PadSetup& setup : f.pads)
        if (setup.line >= 0) {
            lines.push_back(&setup);
            w.becauseNeed(size_t(setup.need));
            w.linef("#include \"{}\"", names.file(size_t(setup.need), ".h"));
        }
    w.noCause();
    w.line();
    w.comment("The core's interrupt controller, as Arm defines it for the M profile: one set-enable bit an interrupt.");
    w.linef("void {}_interrupt_enable(uint32_t number)", names.prefix);
    w.line("{");
    w.line("    volatile uint32_t *const set_enable = (volatile uint32_t *)0xE000E100u;");
    w.line("    set_enable[number / 32u] = 1u << (number % 32u);");
    w.line("}");
    const int instance = f.device.lineInstance;
    if (lines.empty() || instance < 0)
        return w.take();
    for (const PadSetup* setup : lines) {
        w.becauseNeed(size_t(setup->need), "edges");
        w.line();
        w.linef("__attribute__((weak)) void {}_edge(void)", names.need(size_t(setup->need)));
        w.line("{");
        w.line("}");
    }
    w.noCause();
    for (const auto& [event, number] : f.device.instances[size_t(instance)].interrupts) {
        w.line();
        w.linef("void {0}_on_{1}_{2}(void);", names.prefix, f.device.instances[size_t(instance)].name, event);
        w.linef("void {0}_on_{1}_{2}(void)", names.prefix, f.device.instances[size_t(instance)].name, event);
        w.line("{");
        for (const PadSetup* setup : lines) {
            const std::string role = "flag" + std::to_string(setup->line);
            const std::string reg = roleRegister(f, names, instance, role);
            const std::string bit = roleMacro(f, names, instance, role);
            if (reg.empty())
                continue;
            w.becauseNeed(size_t(setup->need), "edges");
            w.linef("    if (({} & {}) != 0u) {{", reg, bit);
            w.linef("        {} = {}; /* cleared by writing a one */", reg, bit);
            w.linef("        {}_edge();", names.need(size_t(setup->need)));
            w.line("    }");
        }
        w.noCause();
        w.line("}");
    }
    return w.take();
}

} // namespace bindrel
