// SPDX-License-Identifier: GPL-3.0-or-later
// Where the facts come from: files that take the place of shipped ones, and tools that a stranger's file names.
#include "core/base/say.h"
#include "core/findings/finding.h"

#include "core/base/text.h"
#include "core/device/compiler_consent.h"
#include "core/plan/memory_size.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

void shadows(const Facts& f, std::vector<Finding>& out)
{
    const auto addOverrideFinding = [&out](const std::string& what, const std::string& file, Origin origin) {
        Finding finding;
        finding.severity = Finding::Severity::Caution;
        finding.text = message(
            "{} is read from {} ({}), which replaces the shipped file of that name. Rename it unless this is intended.",
            what, printable(file), nameOf(origin));
        finding.place = {Place::Kind::None, file, {}};
        out.push_back(std::move(finding));
    };
    if (f.provenance.deviceShadows)
        addOverrideFinding(f.device.name, f.provenance.deviceFile, f.provenance.device);
    if (f.provenance.boardShadows)
        addOverrideFinding(say("The board {}", f.board.title), f.provenance.boardFile, f.provenance.board);
}

void strangeTools(const Facts& f, std::vector<Finding>& out)
{
    const std::vector<std::string> unusual = unusualCompilers(f.device, f.provenance.device);
    for (const Core& core : f.device.cores) {
        if (std::find(unusual.begin(), unusual.end(), core.toolPrefix + "gcc") == unusual.end())
            continue;
        Finding finding;
        finding.severity = Finding::Severity::Caution;
        finding.text =
            message("The compiler for the {} is \"{}gcc\", named by {}, which does not ship with Bindrel. Make "
                    "sure that you trust this program before you use the command shown or the CMake files.",
                    core.name, printable(core.toolPrefix), printable(f.provenance.deviceFile));
        finding.place = {Place::Kind::None, f.provenance.deviceFile, {}};
        out.push_back(std::move(finding));
    }
}

/// Once for all that is not known: what follows from it is not told again.
void undescribed(const Facts& f, std::vector<Finding>& out)
{
    if (f.device.undescribed.empty())
        return;
    Finding finding;
    finding.severity = Finding::Severity::Caution;
    finding.text = message("The files of {} do not describe: {}. {}", f.device.name, listed(f.device.undescribed),
                           !f.device.hasClocks()
                               ? say("Placement works; rates and registers are not computed, and no C is written.")
                           : !f.device.canBeWritten() ? say("No C is written.")
                                                      : say("Their limits are not checked."));
    finding.place = {Place::Kind::None, f.device.file, {}};
    out.push_back(std::move(finding));
}

/// Stack and heap against the RAM of each core; whether the data fit beside them the linker says.
void memoryTooSmall(const Facts& f, std::vector<Finding>& out)
{
    const Expected<std::uint32_t> stack = parseMemorySize(f.plan.stack), heap = parseMemorySize(f.plan.heap);
    const std::uint64_t wanted = std::uint64_t(stack ? *stack : 0) + (heap ? *heap : 0);
    for (const Core& core : f.device.cores) {
        std::uint32_t ram = core.ramBytes;
        for (const ModeSteps& steps : f.image.modes)
            ram = std::min(ram, f.device.modes[size_t(steps.mode)].retains.value_or(ram));
        if (wanted == 0 || ram == 0 || wanted < ram)
            continue;
        Finding finding;
        finding.severity = Finding::Severity::Error;
        finding.text = message("Stack and heap take {} bytes, but the {} has {} bytes of RAM{} for them and all data. "
                               "State smaller ones.",
                               wanted, core.name, ram, ram < core.ramBytes ? say(" that keep their content") : "");
        out.push_back(std::move(finding));
        return;
    }
}

} // namespace

std::vector<Rule> fileRules()
{
    return {{"MEM-01", later("Stack and heap fit into the RAM."), memoryTooSmall},
            {"DEV-01", later("No file of the user replaces a shipped one."), shadows},
            {"DEV-02", later("No device file that is not shipped names a compiler."), strangeTools},
            {"DEV-03", later("The device is described in full."), undescribed}};
}

} // namespace bindrel
