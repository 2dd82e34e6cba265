// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/findings/finding.h"

#include "core/base/say.h"

#include <fmt/format.h>

#include <algorithm>
#include <stdexcept>

namespace bindrel {

namespace {

// What only the stages behind the findings can tell.
std::vector<Rule> sourceRules()
{
    return {{"SRC-01", later("Each need has its own id as its name in the generated C."), nullptr}};
}

std::vector<Rule> rehearsalRules()
{
    return {
        {"REH-01", later("The rehearsed program does nothing that the chip forbids or takes no notice of."), nullptr}};
}

} // namespace

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
                                             {Subject::Files, fileRules()},
                                             {Subject::Files, sourceRules()},
                                             {Subject::Rehearsal, rehearsalRules()}})
            for (Rule rule : group) {
                rule.subject = subject;
                list.push_back(std::move(rule));
            }
        return list;
    }();
    return all;
}

Finding findingOf(std::string_view id, Finding::Severity severity, Message text, Place place)
{
    const auto rule = std::find_if(rules().begin(), rules().end(), [id](const Rule& one) { return one.id == id; });
    if (rule == rules().end())
        throw std::logic_error(fmt::format("{} is not in the list of rules", id));
    Finding out;
    out.severity = severity;
    out.rule = rule->id;
    out.text = std::move(text);
    out.place = std::move(place);
    out.subject = rule->subject;
    out.beyondPads = rule->beyondPads;
    return out;
}

std::vector<Finding> findAll(const Facts& facts)
{
    std::vector<Finding> out;
    for (const Rule& rule : rules()) {
        // Without described clocks nothing is known of rates, goals and modes; DEV-03 says that once.
        if (!facts.device.hasClocks() &&
            (rule.subject == Finding::Subject::Clocks || rule.subject == Finding::Subject::Goals))
            continue;
        if (!rule.check)
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
    return problemOf(say("no automatic fix is known; follow the advice in the finding."));
}

} // namespace bindrel
