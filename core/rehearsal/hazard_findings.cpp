// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/rehearsal/rehearsal.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

std::vector<Finding> hazardFindings(const Facts& facts, const std::vector<Finding>& known)
{
    std::vector<Finding> out;
    if (!facts.device.canBeWritten())
        return out;
    for (const Scenario& scenario : scenariosOf(facts)) {
        // Of what breaks, only that counts which the program is to master.
        const bool mastered = !scenario.dead.empty() && facts.plan.onFailure != OnFailure::Stop;
        if ((!scenario.dead.empty() && !mastered) || scenario.laterOn())
            continue;
        const Rehearsal run = rehearsePlanned(facts, scenario);
        if (!run.gaveUp.empty() && !mastered)
            out.push_back(findingOf("REH-01", Finding::Severity::Error,
                                    message("{}: the program stops: {}.", run.title, run.gaveUp), {}));
        for (const Hazard& hazard : run.hazards) {
            const bool told =
                std::any_of(known.begin(), known.end(),
                            [&hazard](const Finding& finding) {
                                return hazard.place.kind != Place::Kind::None && finding.place == hazard.place;
                            }) ||
                std::any_of(out.begin(), out.end(), [&hazard](const Finding& finding) {
                    return finding.text.text().find(hazard.text) != std::string::npos;
                });
            if (!told)
                out.push_back(findingOf("REH-01", Finding::Severity::Error,
                                        message("{}, after {}: {}", run.title, momentText(hazard.at), hazard.text),
                                        hazard.place));
        }
    }
    return out;
}

Verdict verdictOn(const Facts& facts, const std::vector<Finding>& known)
{
    const std::vector<Finding> hazards = hazardFindings(facts, known);
    if (hazards.empty())
        return {say("Rehearsed: no hazard."), 0};
    const long more = long(hazards.size()) - 1;
    return {say("Rehearsed: {}{}", hazards.front().text,
                more > 0 ? say(" And {}.", sayCount(more, "{} more hazard", "{} more hazards")) : std::string()),
            more + 1};
}

} // namespace bindrel
