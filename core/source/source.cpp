// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/source.h"

#include "core/base/text.h"
#include "core/source/clock_rates.h"
#include "core/source/seal.h"
#include "core/source/writer.h"

#include <algorithm>

namespace bindrel {

namespace {

/// Sets the seal of a generated file to what the file holds.
void seal(SourceFile& file)
{
    if (file.owner == SourceFile::Owner::User)
        return;
    const std::string before = file.text();
    const std::string after = sealed(before);
    if (after == before)
        return;
    // One line differs, and it is as long as before.
    std::size_t at = 0;
    for (SourceLine& line : file.lines) {
        if (const std::string text = after.substr(at, line.text.size()); text != line.text) {
            line.text = text;
            return;
        }
        at += line.text.size() + 1;
    }
}

/// The compiler's options with the folder of the headers, where that is not the folder of the sources.
std::vector<std::string> withHeaders(std::vector<std::string> options, const ProjectLayout& layout)
{
    if (layout.headers != layout.sources)
        options.push_back("-I" + (layout.headers.empty() ? std::string(".") : layout.headers));
    return options;
}

std::vector<SourceFile> program(const Facts& f, const Names& names)
{
    std::vector<SourceFile> files{boardHeader(f, names), boardSource(f, names), registersHeader(f, names)};
    if (names.core == 0) {
        files.push_back(clocksSource(f, names));
        files.push_back(pinsSource(f, names));
        if (std::optional<SourceFile> stored = storedSource(f, names))
            files.push_back(std::move(*stored));
    }
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        if (hasFiles(f, names, n))
            for (SourceFile& file : needFiles(f, names, n))
                files.push_back(std::move(file));
    files.push_back(interruptsSource(f, names));
    for (SourceFile& file : verifyFiles(f, names))
        files.push_back(std::move(file));
    for (SourceFile& file : clockRateFiles(f, names))
        files.push_back(std::move(file));
    for (SourceFile& file : startFiles(f, names))
        files.push_back(std::move(file));
    return files;
}

} // namespace

Source makeSource(const Facts& f)
{
    Source out;
    out.plan = commentText(f.plan.name);
    out.lineEnds = f.plan.project.lineEnds;
    if (!f.device.canBeWritten())
        return out;
    std::vector<Names> programs;
    std::vector<std::string> commands;
    for (const CoreIndex core : f.device.cores.indices()) {
        const Names names = namesFor(f, core);
        const std::size_t first = out.files.size();
        if (core == 0)
            out.prefix = names.prefix.text();
        for (SourceFile& file : program(f, names))
            out.files.push_back(std::move(file));
        const Core& facts = f.device.cores[core];
        Source::Program built{facts.toolPrefix + "gcc",
                              withHeaders(compilerOptions(facts), f.plan.project),
                              {},
                              names.pathOf(names.prefix, ".ld"),
                              names.prefix.text() + ".elf"};
        for (std::size_t i = first; i < out.files.size(); ++i)
            if (out.files[i].name.ends_with(".c"))
                built.units.push_back(out.files[i].name);
        const auto words = [](const std::vector<std::string>& texts) {
            std::vector<std::string> quoted;
            for (const std::string& text : texts)
                quoted.push_back(shellWord(text).text());
            return joined(quoted, " ");
        };
        // One core's program is everything in the folder, in the shell's order; several tell theirs apart by name.
        if (f.device.cores.size() == 1)
            std::sort(built.units.begin(), built.units.end());
        commands.push_back(fmt::format("{} {} -nostdlib -T {} -o {} {} -lgcc", shellWord(built.compiler).text(),
                                       words(built.options), built.linkerScript, built.output,
                                       f.device.cores.size() > 1        ? words(built.units)
                                       : f.plan.project.sources.empty() ? "*.c"
                                                                        : f.plan.project.sources + "/*.c"));
        out.programs.push_back(std::move(built));
        programs.push_back(names);
    }
    for (SourceFile& file : buildFiles(f, programs))
        out.files.push_back(std::move(file));
    if (!f.plan.leftOut.contains(OutputPart::ProjectPage))
        out.files.push_back(projectPage(f, programs));
    for (SourceFile& file : out.files)
        seal(file);
    out.buildCommand = joined(commands, " && ");
    return out;
}

Source makeWholeSource(const Facts& f)
{
    Plan plan = f.plan;
    plan.leftOut.clear();
    return makeSource(
        {f.device, f.board, plan, f.bindings, f.rates, f.settings, f.accuracy, f.pads, f.image, f.provenance});
}

} // namespace bindrel
