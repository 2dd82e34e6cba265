// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/findings/finding.h"

#include <algorithm>

namespace bindrel {

const std::vector<Rule>& rules()
{
    static const std::vector<Rule> all = [] {
        std::vector<Rule> list;
        using Subject = Finding::Subject;
        for (const auto& [subject, group] : {std::pair{Subject::Wiring, pinRules()},
                                             {Subject::Wiring, padRules()},
                                             {Subject::Wiring, resistorRules()},
                                             {Subject::Wiring, wishRules()},
                                             {Subject::Clocks, clockRules()},
                                             {Subject::Clocks, modeRules()},
                                             {Subject::Goals, storedRules()},
                                             {Subject::Goals, goalRules()},
                                             {Subject::Files, fileRules()}})
            for (Rule rule : group) {
                rule.subject = subject;
                list.push_back(std::move(rule));
            }
        return list;
    }();
    return all;
}

std::vector<Finding> findAll(const Facts& facts)
{
    std::vector<Finding> out;
    for (const Rule& rule : rules()) {
        // Without described clocks nothing is known of rates, goals and modes; DEV-03 says that once.
        if (!facts.device.hasClocks() &&
            (rule.subject == Finding::Subject::Clocks || rule.subject == Finding::Subject::Goals))
            continue;
        const std::size_t before = out.size();
        rule.check(facts, out);
        for (std::size_t i = before; i < out.size(); ++i)
            out[i].rule = rule.id, out[i].subject = rule.subject, out[i].beyondPads = rule.beyondPads;
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return out;
}

Expected<Edit> fixFor(const Facts& facts, const Finding& finding)
{
    for (const Rule& rule : rules())
        if (rule.id == finding.rule && rule.fix)
            return rule.fix(facts, finding);
    return problemOf("no automatic fix is known; follow the advice in the finding.");
}

} // namespace bindrel
