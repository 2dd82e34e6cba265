// SPDX-License-Identifier: GPL-3.0-or-later
// What makes the output link and start as it is written: vector table, linker script, a first main.c.
#include "core/base/text.h"
#include "core/plan/memory_size.h"
#include "core/source/interrupt_table.h"
#include "core/source/writer.h"

#include <algorithm>

namespace bindrel {

namespace {

/// Unlikely as a value, odd as an address.
const WordLiteral kStackPattern("0x5AA5C33Du");

/// The four functions that a compiler calls by itself, also for free-standing code: a copy of a struct is one. A
/// library of the user's takes their place.
void writeMemoryFunctions(Writer& w)
{
    w.line();
    w.comment("Functions that the compiler calls for copies and comparisons; your C library replaces them. Volatile "
              "keeps the compiler from turning the loops into calls to themselves.");
    w.line("void *memcpy(void *to, const void *from, size_t count);");
    w.line("void *memmove(void *to, const void *from, size_t count);");
    w.line("void *memset(void *to, int value, size_t count);");
    w.line("int memcmp(const void *a, const void *b, size_t count);");
    w.line();
    w.line("__attribute__((weak)) void *memmove(void *to, const void *from, size_t count)");
    w.line("{");
    w.line("    volatile unsigned char *out = to;");
    w.line("    const unsigned char *in = from;");
    w.line("    if ((uintptr_t)to < (uintptr_t)from) {");
    w.line("        for (size_t i = 0u; i < count; i++) {");
    w.line("            out[i] = in[i];");
    w.line("        }");
    w.line("    } else {");
    w.line("        for (size_t i = count; i > 0u; i--) {");
    w.line("            out[i - 1u] = in[i - 1u];");
    w.line("        }");
    w.line("    }");
    w.line("    return to;");
    w.line("}");
    w.line();
    w.line("__attribute__((weak)) void *memcpy(void *to, const void *from, size_t count)");
    w.line("{");
    w.line("    volatile unsigned char *out = to;");
    w.line("    const unsigned char *in = from;");
    w.line("    for (size_t i = 0u; i < count; i++) {");
    w.line("        out[i] = in[i];");
    w.line("    }");
    w.line("    return to;");
    w.line("}");
    w.line();
    w.line("__attribute__((weak)) void *memset(void *to, int value, size_t count)");
    w.line("{");
    w.line("    volatile unsigned char *out = to;");
    w.line("    for (size_t i = 0u; i < count; i++) {");
    w.line("        out[i] = (unsigned char)value;");
    w.line("    }");
    w.line("    return to;");
    w.line("}");
    w.line();
    w.line("__attribute__((weak)) int memcmp(const void *a, const void *b, size_t count)");
    w.line("{");
    w.line("    const volatile unsigned char *left = a;");
    w.line("    const volatile unsigned char *right = b;");
    w.line("    for (size_t i = 0u; i < count; i++) {");
    w.line("        const int difference = (int)left[i] - (int)right[i];");
    w.line("        if (difference != 0) {");
    w.line("            return difference;");
    w.line("        }");
    w.line("    }");
    w.line("    return 0;");
    w.line("}");
}

SourceFile startSource(const Facts& f, const Names& names)
{
    const Core& core = f.device.cores[names.core];
    Writer w(f, names, names.path(WordLiteral("start"), ".c"),
             fmt::format("Start-up of the {}: vector table, memory, then main.", core.name));
    if (core.architecture == Core::Architecture::ArmM)
        writeArmStart(w);
    else
        writeRiscVStart(w);
    writeMemoryFunctions(w);
    return w.take();
}

/// How deep the stack has been, by the pattern that the start-up code left.
void writeStackUsed(Writer& w)
{
    const Expected<std::uint32_t> stack = parseMemorySize(w.facts.plan.stack);
    if (!stack)
        return;
    const Word& p = w.names.prefix;
    w.line();
    w.linef("extern const volatile uint32_t {}_stack_bottom[];", p);
    w.line();
    w.linef("uint32_t {}_stack_used(void)", p);
    w.line("{");
    w.linef("    const volatile uint32_t *at = {}_stack_bottom;", p);
    w.line("    uint32_t left = 0u;");
    w.linef("    while (left < {}u && *at == {}) {{", *stack, kStackPattern);
    w.line("        left += 4u;");
    w.line("        at++;");
    w.line("    }");
    w.linef("    return {}u - left;", *stack);
    w.line("}");
}

/// What the other files need of the core itself, whoever starts it.
SourceFile coreSource(const Facts& f, const Names& names)
{
    Writer w(f, names, names.path(WordLiteral("core"), ".c"),
             fmt::format("Interrupts and waiting of the {}.", f.device.cores[names.core].name));
    w.line(names.include(WordLiteral("board")));
    writeInterruptHold(w);
    writeCoreWait(w);
    writeStackUsed(w);
    return w.take();
}

} // namespace

std::uint32_t retainedRam(const Facts& f, const Core& core)
{
    std::uint32_t bytes = core.ramBytes;
    for (const ModeSteps& steps : f.image.modes)
        bytes = std::min(bytes, f.device.modes[size_t(steps.mode)].retains.value_or(bytes));
    return bytes;
}

namespace {

SourceFile linkerScript(const Facts& f, const Names& names)
{
    Writer w(f, names, names.pathOf(names.prefix, ".ld"),
             fmt::format("Memory of the {}.", f.device.cores.size() > 1
                                                  ? f.device.cores[names.core].name + " on " + f.device.name
                                                  : f.device.name));
    const Core& core = f.device.cores[names.core];
    const Word& p = names.prefix;
    w.linef("ENTRY({}_{})", p,
            core.architecture == Core::Architecture::ArmM ? WordLiteral("reset") : WordLiteral("entry"));
    w.line("MEMORY {");
    w.linef("    flash (rx) : ORIGIN = 0x{:08X}, LENGTH = {}", core.flashBase, core.flashBytes);
    const std::uint32_t retained = retainedRam(f, core);
    w.linef("    ram (rw)   : ORIGIN = 0x{:08X}, LENGTH = {}", core.ramBase, retained);
    if (retained < core.ramBytes) {
        w.comment("Loses its content in a low-power mode of the program: only data in section .ram_lost is placed here "
                  "(not initialised at start-up).",
                  4);
        w.linef("    ram_lost (rw) : ORIGIN = 0x{:08X}, LENGTH = {}", core.ramBase + retained,
                core.ramBytes - retained);
    }
    linkStored(w, true);
    w.line("}");
    w.line("SECTIONS {");
    w.linef("    .text : {{ {}_vectors_address = .; KEEP(*(.vectors)) *(.text*) *(.rodata*) *(.srodata*) . = ALIGN(4); "
            "}} > flash",
            p);
    if (core.architecture == Core::Architecture::ArmM)
        w.line("    .ARM.exidx : { *(.ARM.extab*) *(.ARM.exidx*) } > flash");
    w.line("    .data : {");
    w.linef("        {}_data_start = .;", p);
    if (core.architecture == Core::Architecture::RiscV)
        w.line("        PROVIDE(__global_pointer$ = . + 0x800);");
    w.line("        *(.data*) *(.sdata*)");
    w.line("        . = ALIGN(4);");
    w.linef("        {0}_init_start = .; KEEP(*(SORT(.init_array.*))) KEEP(*(.init_array)) {0}_init_end = .;", p);
    w.line("        . = ALIGN(4);");
    w.linef("        {}_data_end = .;", p);
    w.line("    } > ram AT > flash");
    w.linef("    {}_data_load = LOADADDR(.data);", p);
    w.comment("Neither loaded nor zeroed: keeps its content over a reset.", 4);
    w.line("    .not_initialised (NOLOAD) : { *(.not_initialised*) . = ALIGN(4); } > ram");
    w.line("    .bss (NOLOAD) : {");
    w.linef("        {}_bss_start = .;", p);
    if (std::any_of(f.settings.begin(), f.settings.end(),
                    [](const Setting& setting) { return !setting.streams.empty(); }))
        w.line("        *(.bss.dma*) . = ALIGN(4);");
    w.line("        *(.bss*) *(.sbss*) *(COMMON)");
    w.line("        . = ALIGN(4);");
    w.linef("        {}_bss_end = .;", p);
    w.line("    } > ram");
    if (retained < core.ramBytes)
        w.line("    .ram_lost (NOLOAD) : { *(.ram_lost*) } > ram_lost");
    w.linef("    {}_stack_top = ORIGIN(ram) + LENGTH(ram);", p);
    const Expected<std::uint32_t> stack = parseMemorySize(f.plan.stack), heap = parseMemorySize(f.plan.heap);
    if (heap) {
        w.linef("    {0}_heap_start = ALIGN({0}_bss_end, 8);", p);
        w.linef("    {0}_heap_end = {0}_heap_start + {1};", p, *heap);
        w.comment("Where a C library's sbrk() begins.", 4);
        w.linef("    PROVIDE(end = {}_heap_start);", p);
    }
    if (stack || heap) {
        w.linef("    {0}_stack_bottom = {0}_stack_top - {1};", p, stack ? *stack : 0);
        if (!heap)
            w.linef("    ASSERT({0}_bss_end <= {0}_stack_bottom, \"RAM is too small for the data and the stack\")", p);
        else if (!stack)
            w.linef("    ASSERT({0}_heap_end <= {0}_stack_bottom, \"RAM is too small for the data and the heap\")", p);
        else
            w.linef("    ASSERT({0}_heap_end <= {0}_stack_bottom, \"RAM is too small for data, heap and stack\")", p);
    }
    linkStored(w, false);
    w.comment("No code unwinds the stack; not discarded, these sections could end up in any region.", 4);
    w.line("    /DISCARD/ : { *(.eh_frame*) *(.note.gnu.build-id) }");
    w.line("}");
    return w.take();
}

SourceFile mainFile(const Facts& f, const Names& names)
{
    Writer w(f, names,
             names.pathOf(
                 names.core == 0 ? Word(WordLiteral("main")) : "main_" + Word::of(f.device.cores[names.core].id), ".c"),
             "The application.", SourceFile::Owner::User);
    std::vector<NeedIndex> starts, later;
    for (const NeedIndex n : f.image.order)
        if (isWritten(f, names, n) && hasStart(f, n))
            (sourceOf(f.plan.needs[n].kind).startedLater.empty() ? starts : later).push_back(NeedIndex(int(n)));
    w.line(names.include(WordLiteral("board")));
    for (const NeedIndex need : starts)
        w.includeNeed(size_t(need));
    w.line();
    w.line("int main(void)");
    w.line("{");
    const bool mayLack = names.core == 0 && f.plan.onFailure != OnFailure::Stop;
    if (mayLack) {
        w.linef("    const enum {0}_status up = {0}_bring_up();", names.prefix);
        w.linef("    if (up != {1} && !{0}_is_up()) {{", names.prefix, names.macro("OK"));
    } else {
        w.linef("    if ({}_bring_up() != {}) {{", names.prefix, names.macro("OK"));
    }
    w.line("        for (;;) {");
    w.line("        }");
    w.line("    }");
    for (const Core& core : f.device.cores)
        if (names.core == 0 && core.release.valid())
            w.linef("    {}_release_{}();", names.prefix, Word::of(core.id));
    const int indent = mayLack && !starts.empty() ? 8 : 4;
    if (indent == 8)
        w.linef("    if (up == {}) {{", names.macro("OK"));
    if (!starts.empty())
        w.comment("Start what the plan has; take out what your program starts later.", indent);
    for (const NeedIndex need : starts)
        w.linef("{}{}_start();", Code::trusted(std::string(size_t(indent), ' ')), names.need(size_t(need)));
    if (indent == 8) {
        w.line("    } else {");
        w.comment("A clock failed, but the rest of the board is up: report it, and start what is there.", 8);
        w.line("    }");
    }
    for (const NeedIndex need : later)
        w.comment(fmt::format("{}_start() is for your program to call: it {}.", names.need(size_t(need)).text(),
                              sourceOf(f.plan.needs[need].kind).startedLater),
                  4);
    w.line("    for (;;) {");
    w.line("    }");
    w.line("}");
    return w.take();
}

} // namespace

std::vector<Word> declareStart(Writer& w, const std::vector<Word>& functions)
{
    const Word& p = w.names.prefix;
    w.linef("extern uint32_t {0}_stack_top, {0}_data_load, {0}_data_start, {0}_data_end, {0}_bss_start, {0}_bss_end;",
            p);
    if (w.facts.device.cores[w.names.core].architecture == Core::Architecture::ArmM)
        w.linef("extern uint32_t {}_vectors_address;", p);
    if (parseMemorySize(w.facts.plan.stack))
        w.linef("extern uint32_t {}_stack_bottom[];", p);
    w.linef("extern void (*const {0}_init_start[])(void);", p);
    w.linef("extern void (*const {0}_init_end[])(void);", p);
    w.line("int main(void);");
    for (const Word& function : functions)
        w.linef("void {}_{}(void);", p, function);
    w.linef("void {}_unhandled(void);", p);
    w.line();
    std::vector<Word> table(size_t(w.facts.device.cores[w.names.core].vectorCount), p + "_unhandled");
    for (const Instance& instance : w.facts.device.instances)
        for (const auto& [event, number] : instance.interrupts) {
            if (size_t(number) >= table.size())
                continue; // a core with fewer vectors does not have this one
            table[size_t(number)] = handlerName(w.names, instance.name, event);
            w.linef("__attribute__((weak, alias(\"{}_unhandled\"))) void {}(void);", p, table[size_t(number)]);
        }
    // Of instances that share a number, the one that a need uses has the handler.
    for (const InterruptVector& vector : interruptVectors(w.facts, w.names, Handlers::Written))
        table[size_t(vector.number)] = vector.handler;
    w.line();
    w.comment("Interrupts without a handler stop here, where a debugger finds them.");
    w.linef("void {}_unhandled(void)", p);
    w.line("{");
    w.line("    for (;;) {");
    w.line("    }");
    w.line("}");
    w.line();
    return table;
}

void writeMemorySetUp(Writer& w)
{
    const Word& p = w.names.prefix;
    w.linef("    const volatile uint32_t *from = &{}_data_load;", p);
    w.linef(
        "    for (volatile uint32_t *to = &{0}_data_start; (uintptr_t)to < (uintptr_t)&{0}_data_end; to++, from++) {{",
        p);
    w.line("        *to = *from;");
    w.line("    }");
    w.linef("    for (volatile uint32_t *to = &{0}_bss_start; (uintptr_t)to < (uintptr_t)&{0}_bss_end; to++) {{", p);
    w.line("        *to = 0u;");
    w.line("    }");
    if (const Expected<std::uint32_t> stack = parseMemorySize(w.facts.plan.stack)) {
        w.comment(
            "A pattern in the part of the stack that is not in use yet: stack_used() looks how much of it is left. "
            "What lies near this variable is this function's own.",
            4);
        w.line("    volatile uint32_t here = 0u;");
        w.linef("    for (volatile uint32_t *to = {}_stack_bottom; (uintptr_t)to + 128u < (uintptr_t)&here; to++) {{",
                p);
        w.linef("        *to = {};", kStackPattern);
        w.line("    }");
    }
    w.comment("Functions that run before main (attribute constructor).", 4);
    w.linef("    for (void (*const *init)(void) = {0}_init_start; init != {0}_init_end; init++) {{", p);
    w.line("        (*init)();");
    w.line("    }");
    if (w.facts.device.cores[w.names.core].architecture == Core::Architecture::RiscV) {
        w.comment(
            "Enable interrupts at the core (mie.MEIE, mstatus.MIE); the chip's controller selects which ones arrive.",
            4);
        w.line("    __asm__ volatile(\"csrs mie, %0\" : : \"r\"(1u << 11));");
        w.line("    __asm__ volatile(\"csrsi mstatus, 8\" : : : \"memory\");");
    }
    w.line("    (void)main();");
    w.linef("    {}_unhandled();", p);
}

void writeInterruptHold(Writer& w)
{
    const Word& p = w.names.prefix;
    const bool arm = w.facts.device.cores[w.names.core].architecture == Core::Architecture::ArmM;
    w.line();
    w.linef("uint32_t {}_interrupts_hold(void)", p);
    w.line("{");
    w.line("    uint32_t before;");
    if (arm) {
        w.line("    __asm__ volatile(\"mrs %0, primask\" : \"=r\"(before));");
        w.line("    __asm__ volatile(\"cpsid i\" : : : \"memory\");");
    } else {
        w.line("    __asm__ volatile(\"csrrci %0, mstatus, 8\" : \"=r\"(before) : : \"memory\");");
    }
    w.line("    return before;");
    w.line("}");
    w.line();
    w.linef("void {}_interrupts_release(uint32_t before)", p);
    w.line("{");
    if (arm)
        w.line("    __asm__ volatile(\"msr primask, %0\" : : \"r\"(before) : \"memory\");");
    else
        w.line("    __asm__ volatile(\"csrs mstatus, %0\" : : \"r\"(before & 8u) : \"memory\");");
    w.line("}");
}

std::vector<SourceFile> startFiles(const Facts& f, const Names& names)
{
    std::vector<SourceFile> out{coreSource(f, names)};
    if (!f.plan.leftOut.contains(OutputPart::StartUp))
        out.push_back(startSource(f, names));
    if (!f.plan.leftOut.contains(OutputPart::LinkerScript))
        out.push_back(linkerScript(f, names));
    if (!f.plan.leftOut.contains(OutputPart::Main))
        out.push_back(mainFile(f, names));
    return out;
}

std::vector<std::string> compilerOptions(const Core& core, ProjectLayout::Standard standard)
{
    std::vector<std::string> out = core.compilerFlags;
    out.push_back(std::string("-std=") + optionOf(standard));
    for (const char* option :
         {"-ffreestanding", "-O2", "-Wall", "-Wextra", "-Wconversion", "-Wshadow", "-pedantic", "-Werror"})
        out.push_back(option);
    return out;
}

} // namespace bindrel
