// SPDX-License-Identifier: GPL-3.0-or-later
// Start-up of a core of Arm's M profile: the vector table, and what happens before main.
#include "core/source/writer.h"

namespace bindrel {

void writeArmStart(Writer& w)
{
    const Facts& f = w.facts;
    const Core& core = f.device.cores[w.names.core];
    const Names& names = w.names;
    const Word& p = names.prefix;
    if (!f.image.modes.empty() && w.names.core == 0)
        w.line(names.include(WordLiteral("board")));
    w.line("#include <stddef.h>");
    w.line("#include <stdint.h>");
    w.line();
    const std::vector<Word> table = declareStart(w, {WordLiteral("reset")});
    w.linef("void {}_reset(void)", p);
    w.line("{");
    if (core.fpu) {
        w.comment("Enable floating point (CPACR: full access to coprocessors 10 and 11) before any code uses it.", 4);
        w.line("    *(volatile uint32_t *)0xE000ED88u |= 0x00F00000u;");
        w.line("    __asm__ volatile(\"dsb\\n\\tisb\" : : : \"memory\");");
    }
    w.comment("Vector table of this program (VTOR), whatever a boot loader has set.", 4);
    w.linef("    *(volatile uint32_t *)0xE000ED08u = (uint32_t)(uintptr_t)&{}_vectors_address;", p);
    writeMemorySetUp(w);
    w.line("}");
    w.line();
    w.linef("struct {}_vectors {{", p);
    w.line("    uint32_t *stack_top;");
    w.line("    void (*core[15])(void);");
    w.linef("    void (*chip[{}])(void);", core.vectorCount);
    w.line("};");
    w.line();
    w.linef("__attribute__((section(\".vectors\"), used)) static const struct {}_vectors vectors = {{", p);
    w.linef("    .stack_top = &{}_stack_top,", p);
    w.line("    .core = {");
    w.linef("        {}_reset,", p);
    for (int i = 1; i < 15; ++i)
        // Numbers 6 to 9 and 12 of the core's own table are reserved and read as zero.
        w.linef("        {},", (i >= 6 && i <= 9) || i == 12 ? Word(WordLiteral("0")) : p + "_unhandled");
    w.line("    },");
    w.line("    .chip = {");
    for (size_t i = 0; i < table.size(); ++i)
        w.linef("        {}, /* {} */", table[i], i);
    w.line("    },");
    w.line("};");
}

} // namespace bindrel
