// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/source.h"
#include "core/base/say.h"

#include "core/base/text.h"
#include "core/source/clock_rates.h"
#include "core/source/seal.h"
#include "core/source/table_style.h"
#include "core/source/writer.h"

#include <algorithm>

namespace bindrel {

void setSeal(SourceFile& file)
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

namespace {

/// The compiler's options with the folder of the headers, where that is not the folder of the sources.
std::vector<std::string> withHeaders(std::vector<std::string> options, const ProjectLayout& layout)
{
    if (layout.headers != layout.sources)
        options.push_back("-I" + (layout.headers.empty() ? std::string(".") : layout.headers));
    return options;
}

/// Collects files by what they belong to.
class Groups {
public:
    explicit Groups(std::string core) : core_(std::move(core)) {}
    void add(const std::string& group, std::vector<SourceFile> files)
    {
        for (SourceFile& file : files) {
            file.group = core_.empty() ? group : group + ", " + core_;
            files_.push_back(std::move(file));
        }
    }
    std::vector<SourceFile> take() { return std::move(files_); }

private:
    std::string core_; ///< of a chip with several
    std::vector<SourceFile> files_;
};

std::string partTitle(const Facts& f, NeedIndex need)
{
    const std::string& id = f.plan.needs[need].part;
    for (const std::vector<Part>* parts : {&f.board.parts, &f.plan.parts})
        for (const Part& part : *parts)
            if (part.id == id)
                return part.title;
    return "Firmware";
}

std::vector<SourceFile> program(const Facts& f, const Names& names)
{
    Groups out(f.device.cores.size() > 1 ? f.device.cores[names.core].id : std::string());
    out.add(later("Board"), {boardHeader(f, names), boardSource(f, names), registersHeader(f, names)});
    if (names.core == 0) {
        out.add(later("Board"), {clocksSource(f, names), pinsSource(f, names)});
        if (std::optional<SourceFile> stored = storedSource(f, names))
            out.add(later("Board"), {std::move(*stored)});
    }
    std::vector<NeedIndex> written;
    for (const NeedIndex n : f.plan.needs.indices())
        if (isWritten(f, names, n))
            written.push_back(n);
    if (f.plan.project.needFiles == ProjectLayout::NeedFiles::One)
        out.add(later("Needs"), needFiles(f, names, written));
    else
        for (const NeedIndex n : written)
            out.add(partTitle(f, n), needFiles(f, names, {n}));
    out.add(later("Board"), tableFiles(f, names));
    out.add(later("Board"), {interruptsSource(f, names)});
    out.add(later("Checks"), verifyFiles(f, names));
    out.add(later("Checks"), clockRateFiles(f, names));
    out.add(later("Start-up"), startFiles(f, names));
    return out.take();
}

} // namespace

Source makeSource(const Facts& f)
{
    Source out;
    out.plan = commentText(f.plan.name);
    out.lineEnds = f.plan.project.lineEnds;
    out.byTree = f.plan.project.formatting == ProjectLayout::Formatting::ByTree;
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
                              withHeaders(compilerOptions(facts, f.plan.project.standard), f.plan.project),
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
    Groups rest({});
    rest.add(later("Build"), buildFiles(f, programs));
    if (!f.plan.leftOut.contains(OutputPart::ProjectPage))
        rest.add(later("Build"), {projectPage(f, programs)});
    for (SourceFile& file : rest.take())
        out.files.push_back(std::move(file));
    for (SourceFile& file : out.files)
        setSeal(file);
    out.buildCommand = joined(commands, " && ");
    return out;
}

Source makeWholeSource(const Facts& f)
{
    Plan plan = f.plan;
    plan.leftOut.clear();
    plan.leftOutKinds.clear();
    for (Need& need : plan.needs)
        need.leftOut = false;
    return makeSource(
        {f.device, f.board, plan, f.bindings, f.rates, f.settings, f.accuracy, f.pads, f.image, f.provenance});
}

} // namespace bindrel
