// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/findings/finding.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

using Severity = Finding::Severity;

void missedGoals(const Facts& f, std::vector<Finding>& out)
{
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        for (const Achieved& row : f.settings[n].achieved)
            if (!row.ok && !row.trouble.empty())
                out.push_back({Severity::Error, {}, fmt::format("{}, {}: {}", f.plan.needs[n].title, row.title, row.trouble),
                               {Place::Kind::Goal, f.plan.needs[n].id, row.goal}, {}, WaysOffer{}});
}

void uncomputed(const Facts& f, std::vector<Finding>& out)
{
    for (size_t n = 0; n < f.plan.needs.size(); ++n) {
        const Setting& setting = f.settings[n];
        // An open need and a stopped clock have findings of their own.
        if (setting.computed || setting.notComputed.empty() || f.bindings.needs[n].instance < 0 || setting.kernel < 0 || !f.rates.clocks[size_t(setting.kernel)].running)
            continue;
        out.push_back({Severity::Error, {}, fmt::format("{}: {}.", f.plan.needs[n].title, setting.notComputed), {Place::Kind::Need, f.plan.needs[n].id, {}}, {}, WaysOffer{}});
    }
}

void unplaced(const Facts& f, std::vector<Finding>& out)
{
    for (const std::string& role : f.image.unplaced)
        out.push_back({Severity::Error, {}, fmt::format("{}: the plan asks for what this instance cannot do. Choose another instance, or change the goal.", role), {}, {}});
}

} // namespace

std::vector<Rule> goalRules()
{
    return {
        {"GOAL-01", "Every goal is met within what its protocol tolerates.", missedGoals, nullptr},
        {"GOAL-02", "Every goal can be computed from the instance's clock.", uncomputed, nullptr},
        {"GOAL-03", "The instance has registers for what is asked.", unplaced, nullptr},
    };
}

} // namespace bindrel
