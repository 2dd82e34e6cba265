// SPDX-License-Identifier: GPL-3.0-or-later
// What makes the output build and link as it is written: vector table, linker script, CMake files, a first main.c.
#include "core/base/text.h"
#include "core/source/c_text.h"
#include "core/source/writer.h"

namespace bindrel {

namespace {

std::string handlerName(const Names& names, const std::string& instance, const std::string& event)
{
    return names.prefix + "_on_" + instance + "_" + event;
}

SourceFile startSource(const Facts& f, const Names& names)
{
    Writer w(f, names, names.name("start.c"), fmt::format("Start-up of the {}: vector table, memory, then main.", f.device.coreName));
    const std::string& p = names.prefix;
    w.line("#include <stdint.h>");
    w.line();
    w.linef("extern uint32_t {0}_stack_top, {0}_data_load, {0}_data_start, {0}_data_end, {0}_bss_start, {0}_bss_end;", p);
    w.line("int main(void);");
    w.linef("void {}_reset(void);", p);
    w.linef("void {}_unhandled(void);", p);
    w.line();
    std::vector<std::string> table(size_t(f.device.vectorCount));
    for (const Instance& instance : f.device.instances)
        for (const auto& [event, number] : instance.interrupts) {
            table[size_t(number)] = handlerName(names, instance.name, event);
            w.linef("__attribute__((weak, alias(\"{}_unhandled\"))) void {}(void);", p, table[size_t(number)]);
        }
    w.line();
    w.comment("An interrupt that nobody handles stops here, where a debugger finds it.");
    w.linef("void {}_unhandled(void)", p);
    w.line("{");
    w.line("    for (;;) {");
    w.line("    }");
    w.line("}");
    w.line();
    w.linef("void {}_reset(void)", p);
    w.line("{");
    if (f.device.coreName.ends_with("F")) {
        w.comment("Floating point on: full access to coprocessors 10 and 11 (CPACR), before any code uses it.", 4);
        w.line("    *(volatile uint32_t *)0xE000ED88u |= 0x00F00000u;");
    }
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
    w.linef("struct {}_vectors {{", p);
    w.line("    uint32_t *stack_top;");
    w.line("    void (*core[15])(void);");
    w.linef("    void (*chip[{}])(void);", f.device.vectorCount);
    w.line("};");
    w.line();
    w.linef("__attribute__((section(\".vectors\"), used)) static const struct {}_vectors vectors = {{", p);
    w.linef("    .stack_top = &{}_stack_top,", p);
    w.line("    .core = {");
    w.linef("        {}_reset,", p);
    for (int i = 1; i < 15; ++i)
        // Numbers 6 to 9 and 12 of the core's own table are reserved and read as zero.
        w.linef("        {},", (i >= 6 && i <= 9) || i == 12 ? "0" : p + "_unhandled");
    w.line("    },");
    w.line("    .chip = {");
    for (size_t i = 0; i < table.size(); ++i)
        w.linef("        {}, /* {} */", table[i].empty() ? p + "_unhandled" : table[i], i);
    w.line("    },");
    w.line("};");
    return w.take();
}

SourceFile linkerScript(const Facts& f, const Names& names)
{
    Writer w(f, names, names.prefix + ".ld", fmt::format("Memory of the {}.", f.device.name));
    const std::string& p = names.prefix;
    w.linef("ENTRY({}_reset)", p);
    w.line("MEMORY {");
    w.linef("    flash (rx) : ORIGIN = 0x{:08X}, LENGTH = {}", f.device.flashBase, f.device.flashBytes);
    w.linef("    ram (rw)   : ORIGIN = 0x{:08X}, LENGTH = {}", f.device.ramBase, f.device.ramBytes);
    w.line("}");
    w.line("SECTIONS {");
    w.line("    .text : { KEEP(*(.vectors)) *(.text*) *(.rodata*) . = ALIGN(4); } > flash");
    w.line("    .ARM.exidx : { *(.ARM.exidx*) } > flash");
    w.line("    .data : {");
    w.linef("        {}_data_start = .;", p);
    w.line("        *(.data*)");
    w.line("        . = ALIGN(4);");
    w.linef("        {}_data_end = .;", p);
    w.line("    } > ram AT > flash");
    w.linef("    {}_data_load = LOADADDR(.data);", p);
    w.line("    .bss (NOLOAD) : {");
    w.linef("        {}_bss_start = .;", p);
    w.line("        *(.bss*) *(COMMON)");
    w.line("        . = ALIGN(4);");
    w.linef("        {}_bss_end = .;", p);
    w.line("    } > ram");
    w.linef("    {}_stack_top = ORIGIN(ram) + LENGTH(ram);", p);
    w.line("}");
    return w.take();
}

SourceFile mainFile(const Facts& f, const Names& names)
{
    Writer w(f, names, "main.c", "The application.", SourceFile::Owner::User);
    w.linef("#include \"{}_board.h\"", names.prefix);
    w.line();
    w.line("int main(void)");
    w.line("{");
    w.linef("    if ({}_bring_up() != {}) {{", names.prefix, names.macro("OK"));
    w.line("        for (;;) {");
    w.line("        }");
    w.line("    }");
    w.line("    for (;;) {");
    w.line("    }");
    w.line("}");
    return w.take();
}

SourceFile cmakeFile(const Facts& f, const Names& names)
{
    SourceFile file;
    file.name = "CMakeLists.txt";
    const auto add = [&file](std::string text) { file.lines.push_back({std::move(text), -1}); };
    const std::string& p = names.prefix;
    add(fmt::format("# Generated by Bindrel from the plan \"{}\" for {}; it is yours to use under any terms.", commentText(f.plan.name), f.device.name));
    add(fmt::format("# cmake -B build -DCMAKE_TOOLCHAIN_FILE={}_toolchain.cmake && cmake --build build", p));
    add("cmake_minimum_required(VERSION 3.20)");
    add(fmt::format("project({} LANGUAGES C)", p));
    add("file(GLOB sources CONFIGURE_DEPENDS *.c)");
    add(fmt::format("add_executable({} ${{sources}})", p));
    add(fmt::format("set_target_properties({} PROPERTIES SUFFIX .elf C_STANDARD 11 C_EXTENSIONS OFF)", p));
    add(fmt::format("target_compile_options({} PRIVATE -ffreestanding -O2 -Wall -Wextra -Wconversion -Wshadow -pedantic -Werror)", p));
    add(fmt::format("target_link_options({0} PRIVATE -nostdlib -T ${{CMAKE_CURRENT_SOURCE_DIR}}/{0}.ld)", p));
    add(fmt::format("target_link_libraries({} PRIVATE gcc)", p));
    return file;
}

SourceFile toolchainFile(const Facts& f, const Names& names)
{
    SourceFile file;
    file.name = names.prefix + "_toolchain.cmake";
    const auto add = [&file](std::string text) { file.lines.push_back({std::move(text), -1}); };
    add(fmt::format("# Generated by Bindrel from the plan \"{}\" for {}; it is yours to use under any terms.", commentText(f.plan.name), f.device.name));
    add("set(CMAKE_SYSTEM_NAME Generic)");
    add(fmt::format("set(CMAKE_C_COMPILER {}gcc)", f.device.toolPrefix));
    add("set(CMAKE_TRY_COMPILE_TARGET_TYPE STATIC_LIBRARY)");
    add(fmt::format("set(CMAKE_C_FLAGS_INIT \"{}\")", joined(f.device.compilerFlags, " ")));
    return file;
}

} // namespace

std::vector<SourceFile> startFiles(const Facts& f, const Names& names)
{
    return {startSource(f, names), linkerScript(f, names), cmakeFile(f, names), toolchainFile(f, names), mainFile(f, names)};
}

std::vector<std::string> compilerOptions(const Device& device)
{
    std::vector<std::string> out = device.compilerFlags;
    for (const char* option : {"-std=c11", "-ffreestanding", "-O2", "-Wall", "-Wextra", "-Wconversion", "-Wshadow", "-pedantic", "-Werror"})
        out.push_back(option);
    return out;
}

} // namespace bindrel
