// SPDX-License-Identifier: GPL-3.0-or-later
// Start-up of a RISC-V core, by the privileged architecture: one trap entry; the chip's interrupt controller says which
// interrupt it was.
#include "core/source/writer.h"

namespace bindrel {

void writeRiscVStart(Writer& w)
{
    const Facts& f = w.facts;
    const Names& names = w.names;
    const Core& core = f.device.cores[names.core];
    const std::string& p = names.prefix;
    w.linef("#include \"{}_regs.h\"", p);
    w.line();
    w.linef("extern uint32_t {0}_stack_top, {0}_data_load, {0}_data_start, {0}_data_end, {0}_bss_start, {0}_bss_end;", p);
    w.line("int main(void);");
    w.linef("void {}_entry(void);", p);
    w.linef("void {}_reset(void);", p);
    w.linef("void {}_trap(void);", p);
    w.linef("void {}_unhandled(void);", p);
    w.line();
    std::vector<std::string> table(size_t(core.vectorCount));
    for (const Instance& instance : f.device.instances)
        for (const auto& [event, number] : instance.interrupts) {
            table[size_t(number)] = handlerName(names, instance.name, event);
            w.linef("__attribute__((weak, alias(\"{}_unhandled\"))) void {}(void);", p, table[size_t(number)]);
        }
    w.line();
    w.comment("An interrupt or exception that nobody handles stops here, where a debugger finds it.");
    w.linef("void {}_unhandled(void)", p);
    w.line("{");
    w.line("    for (;;) {");
    w.line("    }");
    w.line("}");
    w.line();
    w.comment("First instructions after reset: global pointer, stack, trap vector (direct mode).");
    w.linef("__attribute__((naked, section(\".vectors\"), used)) void {}_entry(void)", p);
    w.line("{");
    w.line("    __asm__ volatile(\".option push\\n\"");
    w.line("                     \".option norelax\\n\"");
    w.line("                     \"la gp, __global_pointer$\\n\"");
    w.line("                     \".option pop\\n\"");
    w.linef("                     \"la sp, {}_stack_top\\n\"", p);
    w.linef("                     \"la t0, {}_trap\\n\"", p);
    w.line("                     \"csrw mtvec, t0\\n\"");
    w.linef("                     \"j {}_reset\\n\");", p);
    w.line("}");
    w.line();
    w.linef("void {}_reset(void)", p);
    w.line("{");
    w.linef("    const volatile uint32_t *from = &{}_data_load;", p);
    w.linef("    for (volatile uint32_t *to = &{0}_data_start; to < &{0}_data_end; to++, from++) {{", p);
    w.line("        *to = *from;");
    w.line("    }");
    w.linef("    for (volatile uint32_t *to = &{0}_bss_start; to < &{0}_bss_end; to++) {{", p);
    w.line("        *to = 0u;");
    w.line("    }");
    w.line("    (void)main();");
    w.linef("    {}_unhandled();", p);
    w.line("}");
    w.line();
    w.linef("static void (*const handlers[{}])(void) = {{", core.vectorCount);
    for (size_t i = 0; i < table.size(); ++i)
        w.linef("    {}, /* {} */", table[i].empty() ? p + "_unhandled" : table[i], i);
    w.line("};");
    w.line();
    w.comment("A machine external interrupt (mcause 11) is handed to the handlers of all that wait; reading the claim takes the "
              "next one, zero means none. Everything else has no handler.");
    w.linef("__attribute__((interrupt(\"machine\"), aligned(4))) void {}_trap(void)", p);
    w.line("{");
    w.line("    uint32_t cause;");
    w.line("    __asm__ volatile(\"csrr %0, mcause\" : \"=r\"(cause));");
    w.line("    if (cause != 0x8000000Bu) {");
    w.linef("        {}_unhandled();", p);
    w.line("    }");
    const std::string claim = roleRegister(f, names, f.device.interruptController, "claim");
    const std::string bits = roleMacro(f, names, f.device.interruptController, "claim");
    w.linef("    for (uint32_t number = {0} & {1}; number != 0u; number = {0} & {1}) {{", claim, bits);
    w.linef("        if (number < {}u) {{", core.vectorCount);
    w.line("            handlers[number]();");
    w.line("        }");
    w.line("    }");
    w.line("}");
}

} // namespace bindrel
