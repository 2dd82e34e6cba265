// SPDX-License-Identifier: GPL-3.0-or-later
// How the output is built and looked at: CMakeLists.txt, toolchain files, a Makefile, commands of the debugger.
#include "core/base/text.h"
#include "core/plan/stored_settings.h"
#include "core/source/register_uses.h"
#include "core/source/seal.h"
#include "core/source/writer.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <iterator>

namespace bindrel {

namespace {

/// Collects the lines of a file whose comments begin with a hash: of CMake, make or the debugger.
class HashWriter {
public:
    HashWriter(const Facts& f, std::string name, std::string_view purpose)
    {
        file_.name = std::move(name);
        if (!f.plan.project.notice.empty())
            for (const std::string& text : splitted(f.plan.project.notice, '\n'))
                comment(text);
        comment(headText(f, purpose));
        comment(sealLine(commentText(f.plan.name)));
    }
    void comment(std::string_view text) { line(cmakeComment(text)); }
    void line() { file_.lines.push_back({{}, -1}); }
    template <std::size_t N> void line(const char (&text)[N]) { file_.lines.push_back({text, -1}); }
    void line(const Piece<Language::CMake>& text) { file_.lines.push_back({text.text(), -1}); }
    template <typename... Args> void linef(fmt::format_string<Args...> format, Args&&... args)
    {
        line(piece<Language::CMake>(format, std::forward<Args>(args)...));
    }
    SourceFile take() { return std::move(file_); }

private:
    SourceFile file_;
};

/// A tool or an option as the device's reader lets it through: no character that means something to CMake.
Piece<Language::CMake> cmakeOption(const std::string& text)
{
    const auto plain = [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '-' || c == '=' ||
               c == '_' || c == '.' || c == '+';
    };
    std::string out;
    std::copy_if(text.begin(), text.end(), std::back_inserter(out), plain);
    return Piece<Language::CMake>::trusted(std::move(out));
}

/// A file beside CMakeLists.txt, or a pattern of files.
Piece<Language::CMake> fileWord(const Names& names, const Word& stem, std::string_view ending)
{
    return Piece<Language::CMake>::trusted(names.pathOf(stem, ending));
}

/// "src/pump_m4_*.c", what carries a core's name, and that core's main.
Piece<Language::CMake> ownSources(const Facts& f, const Names& names)
{
    const std::string& folder = names.layout.sources;
    const std::string stem = names.fileName(names.prefix + WordLiteral("_"), "");
    return piece<Language::CMake>("{} {}",
                                  Piece<Language::CMake>::trusted((folder.empty() ? "" : folder + "/") + stem + "*.c"),
                                  fileWord(names, "main_" + Word::of(f.device.cores[names.core].id), ".c"));
}

/// Every C source: "src/*.c".
Piece<Language::CMake> allSources(const Facts& f)
{
    const std::string& folder = f.plan.project.sources;
    return Piece<Language::CMake>::trusted(folder.empty() ? "*.c" : folder + "/*.c");
}

/// The folder of the headers, where it is not that of the sources.
Piece<Language::CMake> headersFolder(const Facts& f)
{
    const ProjectLayout& layout = f.plan.project;
    return Piece<Language::CMake>::trusted(layout.headers == layout.sources ? std::string()
                                           : layout.headers.empty()         ? "."
                                                                            : layout.headers);
}

/// What every program is compiled with, beside the options of its core.
const Piece<Language::CMake> kCompile = Piece<Language::CMake>::trusted(
    "-ffreestanding -ffunction-sections -fdata-sections -Wall -Wextra -Wconversion -Wshadow -pedantic -Werror");

/// The options of a core, each with a blank behind it.
Piece<Language::CMake> machineFlags(const Core& core)
{
    Piece<Language::CMake> flags;
    for (const std::string& flag : core.compilerFlags)
        flags = piece<Language::CMake>("{}{} ", flags, cmakeOption(flag));
    return flags;
}

/// Words of non-volatile settings lie far from the program: a binary image with them would be filled up to there.
Piece<Language::CMake> withoutStored(const Facts& f, const Names& names)
{
    const bool stored = names.core == 0 && !storedPlaces(f.device, f.plan).empty();
    return Piece<Language::CMake>::trusted(stored ? "-R .nonvolatile_* " : "");
}

/// Whether a program needs another compiler than the first core's.
bool ownCompiler(const Facts& f, const Names& names)
{
    return f.device.cores[names.core].toolPrefix != f.device.core().toolPrefix;
}

Piece<Language::CMake> toolchainName(const Names& names)
{
    return fileWord(names, names.name(WordLiteral("toolchain")), ".cmake");
}

SourceFile cmakeFile(const Facts& f, const std::vector<Names>& programs)
{
    HashWriter w(f, "CMakeLists.txt", "Builds the firmware.");
    const Word& first = programs.front().prefix;
    w.linef("# cmake -B build -DCMAKE_TOOLCHAIN_FILE={} && cmake --build build", toolchainName(programs.front()));
    w.linef("cmake_minimum_required(VERSION 3.20)");
    w.linef("project({} LANGUAGES C)", first);
    w.line("if(NOT CMAKE_BUILD_TYPE)");
    w.comment("  Release: -O2. MinSizeRel: -Os. Debug: -Og.");
    w.line("  set(CMAKE_BUILD_TYPE Release)");
    w.line("endif()");
    w.line("set(CMAKE_C_FLAGS_RELEASE \"-O2 -g\")");
    w.line("set(CMAKE_C_FLAGS_MINSIZEREL \"-Os -g\")");
    w.line("set(CMAKE_C_FLAGS_DEBUG \"-Og -g\")");
    w.line("set(CMAKE_EXPORT_COMPILE_COMMANDS ON)");
    w.linef("file(GLOB sources CONFIGURE_DEPENDS {})", allSources(f));
    const bool several =
        std::any_of(programs.begin(), programs.end(), [&f](const Names& n) { return ownCompiler(f, n); });
    if (several) {
        w.linef(
            "# CMake uses one compiler per run; this run starts another one for each core with a different compiler.");
        w.linef("set(PROGRAM {0} CACHE STRING \"Program that this run of CMake builds\")", first);
    }
    for (size_t i = programs.size(); i-- > 0;) {
        const Word& p = programs[i].prefix;
        const Core& core = f.device.cores[programs[i].core];
        Word list = WordLiteral("sources");
        if (i > 0) {
            // What carries a core's name is its own; the first core has the rest.
            list = p + "_sources";
            w.linef("file(GLOB {} CONFIGURE_DEPENDS {})", list, ownSources(f, programs[i]));
            w.linef("list(REMOVE_ITEM sources ${{{}}})", list);
        }
        const Names& owner = several && ownCompiler(f, programs[i]) ? programs[i] : programs.front();
        if (several)
            w.linef("if(PROGRAM STREQUAL {})", owner.prefix);
        const Piece<Language::CMake> flags = machineFlags(core), script = fileWord(programs[i], p, ".ld");
        w.linef("add_executable({} ${{{}}})", p, list);
        if (!headersFolder(f).empty())
            w.linef("target_include_directories({} PRIVATE {})", p, headersFolder(f));
        w.linef("set_target_properties({} PROPERTIES SUFFIX .elf C_STANDARD {} C_EXTENSIONS OFF)", p,
                yearOf(f.plan.project.standard));
        w.linef("target_compile_options({} PRIVATE {}{})", p, flags, kCompile);
        w.linef("target_link_options({0} PRIVATE {1}-nostdlib -T ${{CMAKE_CURRENT_SOURCE_DIR}}/{2} "
                "-Wl,--gc-sections -Wl,-Map={0}.map)",
                p, flags, script);
        w.linef("target_link_libraries({} PRIVATE gcc)", p);
        w.linef("set_target_properties({} PROPERTIES LINK_DEPENDS ${{CMAKE_CURRENT_SOURCE_DIR}}/{})", p, script);
        w.linef("add_custom_command(TARGET {0} POST_BUILD VERBATIM", p);
        w.linef("  COMMAND ${{CMAKE_OBJCOPY}} -O ihex {0}.elf {0}.hex", p);
        w.linef("  COMMAND ${{CMAKE_OBJCOPY}} -O binary {0}{1}.elf {1}.bin", withoutStored(f, programs[i]), p);
        w.linef("  COMMAND ${{SIZE_TOOL}} {}.elf)", p);
        if (several)
            w.linef("endif()");
    }
    if (several) {
        w.linef("if(PROGRAM STREQUAL {})", first);
        w.linef("include(ExternalProject)");
        for (const Names& names : programs)
            if (ownCompiler(f, names))
                w.linef("ExternalProject_Add({0}_program SOURCE_DIR ${{CMAKE_CURRENT_SOURCE_DIR}} BINARY_DIR "
                        "${{CMAKE_CURRENT_BINARY_DIR}}/{0} BUILD_ALWAYS ON INSTALL_COMMAND \"\" "
                        "CMAKE_ARGS -DCMAKE_TOOLCHAIN_FILE=${{CMAKE_CURRENT_SOURCE_DIR}}/{1} "
                        "-DPROGRAM={0} -DCMAKE_BUILD_TYPE=${{CMAKE_BUILD_TYPE}})",
                        names.prefix, toolchainName(names));
        w.linef("endif()");
    }
    return w.take();
}

/// What editors offer to configure and build: the toolchain file, and a folder for each type of build.
SourceFile presetsFile(const Facts& f, const std::vector<Names>& programs)
{
    using Json = nlohmann::ordered_json;
    const std::string toolchain = "${sourceDir}/" + toolchainName(programs.front()).text();
    Json configure = Json::array(), build = Json::array();
    for (const auto& [name, title, type] : {std::tuple{"small", "Small", "MinSizeRel"}, {"debug", "Debug", "Debug"}}) {
        configure.push_back({{"name", name},
                             {"displayName", title},
                             {"binaryDir", fmt::format("${{sourceDir}}/build/{}", name)},
                             {"toolchainFile", toolchain},
                             {"cacheVariables", {{"CMAKE_BUILD_TYPE", type}}}});
        build.push_back({{"name", name}, {"configurePreset", name}});
    }
    const Json all{{"version", 3},
                   {"vendor",
                    {{"bindrel",
                      {{"about", commentText(headText(f, "Builds the firmware."))},
                       {"seal", sealLine(commentText(f.plan.name))}}}}},
                   {"configurePresets", configure},
                   {"buildPresets", build}};
    SourceFile out;
    out.name = "CMakePresets.json";
    for (const std::string& line : splitted(all.dump(2), '\n'))
        out.lines.push_back({line, -1});
    return out;
}

SourceFile toolchainFile(const Facts& f, const Names& names)
{
    HashWriter w(f, names.path(WordLiteral("toolchain"), ".cmake"), "The cross-compiler.");
    w.linef("set(CMAKE_SYSTEM_NAME Generic)");
    const Piece<Language::CMake> tools = cmakeOption(f.device.cores[names.core].toolPrefix);
    w.linef("set(CMAKE_C_COMPILER {}gcc)", tools);
    w.linef("set(CMAKE_OBJCOPY {}objcopy)", tools);
    w.linef("set(SIZE_TOOL {}size)", tools);
    w.linef("set(CMAKE_TRY_COMPILE_TARGET_TYPE STATIC_LIBRARY)");
    return w.take();
}

/// The same by make, for those who have no CMake.
SourceFile makefile(const Facts& f, const std::vector<Names>& programs)
{
    HashWriter w(f, "Makefile", "Builds the firmware, as CMakeLists.txt does.");
    w.comment("make, or make OPTIMISE=-Os");
    w.line("OPTIMISE ?= -O2");
    w.line("BUILD ?= build-make");
    const Piece<Language::CMake> headers = headersFolder(f);
    w.linef("CFLAGS = -std={} $(OPTIMISE) -g {}{}{} -MMD -MP",
            Piece<Language::CMake>::trusted(optionOf(f.plan.project.standard)), kCompile,
            headers.empty() ? Piece<Language::CMake>() : Piece<Language::CMake>::trusted(" -I"), headers);
    w.line();
    Piece<Language::CMake> all, others;
    for (const Names& names : programs)
        all = piece<Language::CMake>("{} $(BUILD)/{}.hex", all, names.prefix);
    for (size_t i = 1; i < programs.size(); ++i)
        others = piece<Language::CMake>("{} {}", others, ownSources(f, programs[i]));
    w.linef("all:{}", all);
    for (size_t i = 0; i < programs.size(); ++i) {
        const Word& p = programs[i].prefix;
        const Core& core = f.device.cores[programs[i].core];
        const Piece<Language::CMake> flags = machineFlags(core), tools = cmakeOption(core.toolPrefix),
                                     script = fileWord(programs[i], p, ".ld");
        w.line();
        if (i > 0)
            w.linef("{}_sources = $(wildcard {})", p, ownSources(f, programs[i]));
        else if (programs.size() > 1)
            w.linef("{0}_sources = $(filter-out $(wildcard{1}),$(wildcard {2}))", p, others, allSources(f));
        else
            w.linef("{}_sources = $(wildcard {})", p, allSources(f));
        w.linef("{0}_objects = $({0}_sources:%.c=$(BUILD)/{0}/%.o)", p);
        w.linef("$(BUILD)/{0}/%.o: %.c", p);
        w.line("\t@mkdir -p $(@D)");
        w.linef("\t{}gcc {}$(CFLAGS) -c -o $@ $<", tools, flags);
        w.linef("$(BUILD)/{0}.elf: $({0}_objects) {1}", p, script);
        w.linef("\t{1}gcc {2}-nostdlib -T {3} -Wl,--gc-sections -Wl,-Map=$(BUILD)/{0}.map -o $@ "
                "$({0}_objects) -lgcc",
                p, tools, flags, script);
        w.linef("\t{}size $@", tools);
        w.linef("$(BUILD)/{0}.hex: $(BUILD)/{0}.elf", p);
        w.linef("\t{}objcopy -O ihex $< $@", tools);
        const Piece<Language::CMake> left =
            Piece<Language::CMake>::trusted(withoutStored(f, programs[i]).empty() ? "" : "-R '.nonvolatile_*' ");
        w.linef("\t{}objcopy -O binary {}$< $(BUILD)/{}.bin", tools, left, p);
        w.linef("-include $({}_objects:.o=.d)", p);
    }
    w.line();
    w.line("clean:");
    w.line("\trm -rf $(BUILD)");
    w.line(".PHONY: all clean");
    return w.take();
}

std::string partAt(const Register& reg, std::uint32_t offset)
{
    for (const RegisterPart& part : reg.parts)
        if (part.offset == offset)
            return part.name;
    return reg.name;
}

/// For the GNU debugger: loads the program, stops at main, and shows what each need's registers hold.
SourceFile debuggerScript(const Facts& f, const Names& names)
{
    const Word& p = names.prefix;
    HashWriter w(f, names.pathOf(p, ".gdb"), "Commands for the GNU debugger.");
    w.linef("# gdb -x {1} build/{0}.elf, then target extended-remote HOST:PORT and {0}_load", p,
            fileWord(names, p, ".gdb"));
    w.linef("define {}_load", p);
    w.line("  load");
    w.line("  tbreak main");
    w.line("  continue");
    w.line("end");
    w.linef("document {}_load", p);
    w.line("Writes the program to the chip and stops at main.");
    w.line("end");
    for (const NeedIndex n : f.plan.needs.indices()) {
        const InstanceIndex instance = f.bindings.needs[n].instance;
        if (!hasFiles(f, names, n) || instance < 0)
            continue;
        const Block& block = f.device.blockOf(instance);
        const Word owner = Word::spelled(f.device.instances[instance].name);
        w.linef("define {}_show", names.need(n));
        const std::vector<RegisterUse> uses = registerUses(block);
        for (const RegisterIndex r : block.registers.indices()) {
            const Register& reg = block.registers[r];
            // Looking must change nothing, and write-only registers show nothing.
            const auto any = [&reg](auto what) { return std::any_of(reg.fields.begin(), reg.fields.end(), what); };
            if (any([](const Field& field) { return field.access == Field::Access::ReadToClear; }) ||
                !any([](const Field& field) {
                    return field.access != Field::Access::WriteOnly && field.access != Field::Access::Key;
                }) ||
                uses[r].takenByReading)
                continue;
            for (const auto& [offset, bytes] : reg.places()) {
                const Word name = reg.parts.empty() ? Word::spelled(reg.name) : Word::spelled(partAt(reg, offset));
                w.linef("  printf \"{}.{:<12} 0x%0{}x\\n\", *(unsigned {} *)0x{:08x}", owner, name, bytes * 2,
                        bytes == 1   ? WordLiteral("char")
                        : bytes == 2 ? WordLiteral("short")
                                     : WordLiteral("int"),
                        f.device.instances[instance].base + offset);
            }
        }
        w.line("end");
        w.linef("document {}_show", names.need(n));
        w.line(piece<Language::CMake>("Registers of {}.", owner));
        w.line("end");
    }
    return w.take();
}

} // namespace

std::vector<SourceFile> buildFiles(const Facts& f, const std::vector<Names>& programs)
{
    std::vector<SourceFile> files;
    if (!f.plan.leftOut.contains(OutputPart::BuildFiles)) {
        files = {cmakeFile(f, programs), presetsFile(f, programs), makefile(f, programs)};
        for (const Names& names : programs)
            if (names.core == 0 || ownCompiler(f, names))
                files.push_back(toolchainFile(f, names));
    }
    for (const Names& names : programs)
        if (!f.plan.leftOut.contains(OutputPart::Debugger))
            files.push_back(debuggerScript(f, names));
    return files;
}

} // namespace bindrel
