// SPDX-License-Identifier: GPL-3.0-or-later
// Where the facts come from: files that take the place of shipped ones, and tools that a stranger's file names.
#include "core/findings/finding.h"

#include "core/base/text.h"
#include "core/device/compiler_consent.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

void shadows(const Facts& f, std::vector<Finding>& out)
{
    const auto say = [&out](const std::string& what, const std::string& file, Origin origin) {
        Finding finding;
        finding.severity = Finding::Severity::Caution;
        finding.text = fmt::format(
            "{} is read from {} ({}), which replaces the shipped file of that name. Rename it unless this is intended.",
            what, printable(file), nameOf(origin));
        finding.place = {Place::Kind::None, file, {}};
        out.push_back(std::move(finding));
    };
    if (f.provenance.deviceShadows)
        say(f.device.name, f.provenance.deviceFile, f.provenance.device);
    if (f.provenance.boardShadows)
        say("The board " + f.board.title, f.provenance.boardFile, f.provenance.board);
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
            fmt::format("The compiler for the {} is \"{}gcc\", named by {}, which does not ship with Bindrel. Make "
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
    finding.text = fmt::format("The files of {} do not describe: {}. {}", f.device.name, listed(f.device.undescribed),
                               !f.device.hasClocks()
                                   ? "Placement works; rates and registers are not computed, and no C is written."
                               : !f.device.canBeWritten() ? "No C is written."
                                                          : "Their limits are not checked.");
    finding.place = {Place::Kind::None, f.device.file, {}};
    out.push_back(std::move(finding));
}

} // namespace

std::vector<Rule> fileRules()
{
    return {{"DEV-01", "A user file replaces a shipped one", shadows},
            {"DEV-02", "A device file that is not shipped names the compiler", strangeTools},
            {"DEV-03", "The device is described only in part", undescribed}};
}

} // namespace bindrel
