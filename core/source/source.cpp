// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/source.h"

#include "core/base/text.h"
#include "core/source/c_text.h"
#include "core/source/writer.h"

namespace bindrel {

namespace {

Names makeNames(const Facts& f, size_t core, std::vector<std::string>& renamed)
{
    Names names;
    names.core = core;
    names.prefix = identifierOf(f.plan.prefix.empty() ? f.plan.name : f.plan.prefix);
    if (core > 0)
        names.prefix += "_" + identifierOf(lowered(f.device.cores[core].id));
    names.PREFIX = uppered(names.prefix);
    Identifiers identifiers;
    // Names of the files that every output has must not be met by a need's.
    for (const char* reserved : {"board", "regs", "clocks", "pins", "interrupts", "start", "wait", "bring_up", "status", "interrupt_enable", "interrupts_hold", "interrupts_release", "core_wait", "enter", "clocks_slow", "clocks_full", "toolchain", "vectors", "release", "trap", "entry"})
        identifiers.take(reserved);
    for (const Need& need : f.plan.needs) {
        // Files of another core's program carry its name; a need's must not look like them.
        std::string id = need.id;
        for (size_t other = 1; other < f.device.cores.size(); ++other)
            if (const std::string name = identifierOf(lowered(f.device.cores[other].id)); identifierOf(id) == name || identifierOf(id).starts_with(name + "_"))
                id = "need-" + id;
        names.needs.push_back(identifiers.take(id));
        std::string plain = need.id;
        for (char& c : plain)
            c = c == '-' ? '_' : c;
        if (names.needs.back() != plain)
            renamed.push_back(fmt::format("{} is called {}", need.id, names.needs.back()));
    }
    return names;
}

std::vector<SourceFile> program(const Facts& f, const Names& names)
{
    std::vector<SourceFile> files{boardHeader(f, names), boardSource(f, names), registersHeader(f, names)};
    if (names.core == 0) {
        files.push_back(clocksSource(f, names));
        files.push_back(pinsSource(f, names));
    }
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        if (hasFiles(f, names, n))
            for (SourceFile& file : needFiles(f, names, n))
                files.push_back(std::move(file));
    files.push_back(interruptsSource(f, names));
    for (SourceFile& file : startFiles(f, names))
        files.push_back(std::move(file));
    return files;
}

} // namespace

Source makeSource(const Facts& f)
{
    Source out;
    std::vector<Names> programs;
    std::vector<std::string> commands;
    for (size_t core = 0; core < f.device.cores.size(); ++core) {
        std::vector<std::string> renamed;
        const Names names = makeNames(f, core, renamed);
        const std::size_t first = out.files.size();
        if (core == 0) {
            out.prefix = names.prefix;
            out.renamed = std::move(renamed);
        }
        for (SourceFile& file : program(f, names))
            out.files.push_back(std::move(file));
        // One core's program is everything in the folder; several tell theirs apart by name.
        std::string sources = "*.c";
        if (f.device.cores.size() > 1) {
            sources.clear();
            for (std::size_t i = first; i < out.files.size(); ++i)
                if (out.files[i].name.ends_with(".c"))
                    sources += (sources.empty() ? "" : " ") + out.files[i].name;
        }
        const Core& facts = f.device.cores[core];
        commands.push_back(fmt::format("{}gcc {} -nostdlib -T {}.ld -o {}.elf {} -lgcc", facts.toolPrefix, joined(compilerOptions(facts), " "), names.prefix, names.prefix, sources));
        programs.push_back(names);
    }
    for (SourceFile& file : buildFiles(f, programs))
        out.files.push_back(std::move(file));
    out.buildCommand = joined(commands, " && ");
    return out;
}

} // namespace bindrel
