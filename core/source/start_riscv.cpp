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
    const Word& p = names.prefix;
    if (!f.image.modes.empty() && names.core == 0)
        w.line(names.include(WordLiteral("board")));
    w.line(names.include(WordLiteral("regs")));
    w.line("#include <stddef.h>");
    w.line();
    const std::vector<Word> table = declareStart(w, {WordLiteral("entry"), WordLiteral("reset"), WordLiteral("trap")});
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
    writeMemorySetUp(w);
    w.line("}");
    w.line();
    w.linef("static void (*const handlers[{}])(void) = {{", core.vectorCount);
    for (size_t i = 0; i < table.size(); ++i)
        w.linef("    {}, /* {} */", table[i], i);
    w.line("};");
    w.line();
    w.comment("A machine external interrupt (mcause 11) runs the handlers of all pending sources; reading the claim "
              "register takes the next one, zero means none. All other causes have no handler.");
    w.linef("__attribute__((interrupt(\"machine\"), aligned(4))) void {}_trap(void)", p);
    w.line("{");
    w.line("    uint32_t cause;");
    w.line("    __asm__ volatile(\"csrr %0, mcause\" : \"=r\"(cause));");
    w.line("    if (cause != 0x8000000Bu) {");
    w.linef("        {}_unhandled();", p);
    w.line("    }");
    const Code claim = roleRegister(f, names, core.interruptController, "claim");
    const Word bits = roleMacro(f, names, core.interruptController, "claim");
    w.linef("    for (uint32_t number = {0} & {1}; number != 0u; number = {0} & {1}) {{", claim, bits);
    w.linef("        if (number < {}u) {{", core.vectorCount);
    w.line("            handlers[number]();");
    w.line("        }");
    w.line("    }");
    w.line("}");
}

} // namespace bindrel
