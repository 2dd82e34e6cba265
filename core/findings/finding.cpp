// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/findings/finding.h"

#include <algorithm>

namespace bindrel {

const std::vector<Rule>& rules()
{
    static const std::vector<Rule> all = [] {
        std::vector<Rule> list;
        for (const auto& group : {pinRules(), padRules(), clockRules(), modeRules(), goalRules(), fileRules()})
            list.insert(list.end(), group.begin(), group.end());
        return list;
    }();
    return all;
}

std::vector<Finding> findAll(const Facts& facts)
{
    std::vector<Finding> out;
    for (const Rule& rule : rules()) {
        const std::size_t before = out.size();
        rule.check(facts, out);
        for (std::size_t i = before; i < out.size(); ++i)
            out[i].rule = rule.id;
    }
    std::stable_sort(out.begin(), out.end(), [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return out;
}

Expected<Edit> fixFor(const Facts& facts, const Finding& finding)
{
    for (const Rule& rule : rules())
        if (rule.id == finding.rule && rule.fix)
            return rule.fix(facts, finding);
    return problemOf("no change is known that mends this by itself; see what the finding advises.");
}

} // namespace bindrel
