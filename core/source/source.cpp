// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/source.h"

#include "core/base/text.h"
#include "core/source/c_text.h"
#include "core/source/writer.h"

namespace bindrel {

namespace {

Names makeNames(const Facts& f, std::vector<std::string>& renamed)
{
    Names names;
    names.prefix = identifierOf(f.plan.prefix.empty() ? f.plan.name : f.plan.prefix);
    names.PREFIX = uppered(names.prefix);
    Identifiers identifiers;
    // Names of the files that every output has must not be met by a need's.
    for (const char* reserved : {"board", "regs", "clocks", "pins", "interrupts", "start", "wait", "bring_up", "status", "interrupt_enable", "toolchain", "vectors"})
        identifiers.take(reserved);
    for (const Need& need : f.plan.needs) {
        names.needs.push_back(identifiers.take(need.id));
        std::string plain = need.id;
        for (char& c : plain)
            c = c == '-' ? '_' : c;
        if (names.needs.back() != plain)
            renamed.push_back(fmt::format("{} is called {}", need.id, names.needs.back()));
    }
    return names;
}

} // namespace

Source makeSource(const Facts& f)
{
    Source out;
    const Names names = makeNames(f, out.renamed);
    out.prefix = names.prefix;
    out.files = {boardHeader(f, names), boardSource(f, names), registersHeader(f, names), clocksSource(f, names), pinsSource(f, names)};
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        if (hasFiles(f, n))
            for (SourceFile& file : needFiles(f, names, n))
                out.files.push_back(std::move(file));
    out.files.push_back(interruptsSource(f, names));
    for (SourceFile& file : startFiles(f, names))
        out.files.push_back(std::move(file));
    out.buildCommand = fmt::format("{}gcc {} -nostdlib -T {}.ld -o {}.elf *.c -lgcc", f.device.toolPrefix, joined(compilerOptions(f.device), " "), names.prefix, names.prefix);
    return out;
}

} // namespace bindrel
