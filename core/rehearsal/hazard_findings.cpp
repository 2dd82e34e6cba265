// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/rehearsal.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

std::vector<Finding> hazardFindings(const Facts& facts, const std::vector<Finding>& known)
{
    std::vector<Finding> out;
    for (const Scenario& scenario : scenariosOf(facts)) {
        // Of what breaks, only that counts which the program is to master.
        const bool mastered = !scenario.dead.empty() && facts.plan.onFailure != OnFailure::Stop;
        if ((!scenario.dead.empty() && !mastered) || scenario.fails >= 0)
            continue;
        const Rehearsal run = rehearsePlanned(facts, scenario);
        if (!run.gaveUp.empty() && !mastered)
            out.push_back({Finding::Severity::Error, "REH-01", fmt::format("{}: the program gives up, since {}.", run.title, run.gaveUp), {}, {}});
        for (const Hazard& hazard : run.hazards) {
            const bool told = std::any_of(known.begin(), known.end(), [&hazard](const Finding& finding) { return hazard.place.kind != Place::Kind::None && finding.place == hazard.place; }) ||
                              std::any_of(out.begin(), out.end(), [&hazard](const Finding& finding) { return finding.text.find(hazard.text) != std::string::npos; });
            if (!told)
                out.push_back({Finding::Severity::Error, "REH-01", fmt::format("{}, after {}: {}", run.title, momentText(hazard.at), hazard.text), hazard.place, {}});
        }
    }
    for (Finding& finding : out)
        finding.subject = Finding::Subject::Rehearsal;
    return out;
}

} // namespace bindrel
