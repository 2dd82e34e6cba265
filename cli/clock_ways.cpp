// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/clock_ways.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

namespace bindrel::cli {

void printWay(const Snapshot& s, int number, const ClockSolution& way)
{
    std::string rates;
    for (size_t t = 0; t < way.achieved.size(); ++t)
        rates += (t == 0 ? "" : ", ") + format(way.achieved[t], 9) +
                 (way.errors[t].value.isZero() ? "" : " (" + format(way.errors[t], true) + ")");
    printFormat("{}. {}{}{}\n", number, rates, rates.empty() ? "" : ": ", wayText(*s.device, way));
    for (const std::string& line : consequencesOf(*s.device, s.plan, way))
        printFormat("   {}\n", line);
    if (way.alike > 0)
        printFormat("   {} more differ only inside a multiplier\n", way.alike);
}

nlohmann::ordered_json wayJson(const Snapshot& s, const std::vector<ReachTarget>& targets, const ClockSolution& way)
{
    nlohmann::ordered_json row;
    const auto id = [&s](ClockIndex clock) { return s.device->clocks[clock].id; };
    row["achieved"] = nlohmann::ordered_json::array();
    for (size_t t = 0; t < way.achieved.size(); ++t)
        row["achieved"].push_back({{"clock", id(targets[t].clock)},
                                   {"rate_hz", way.achieved[t].value.text()},
                                   {"error_ppm", way.errors[t].value.text()}});
    row["changes"] = nlohmann::ordered_json::array();
    for (const Change& change : way.edit.changes) {
        if (const auto* set = std::get_if<SetClock>(&change))
            row["changes"].push_back({{"clock", set->node},
                                      {"to", set->value ? nlohmann::ordered_json(clockDecisionText(*set->value))
                                                        : nlohmann::ordered_json()}});
        else if (const auto* text = std::get_if<SetText>(&change))
            row["changes"].push_back({{"range", text->value}});
    }
    row["others"] = nlohmann::ordered_json::array();
    for (const RateChanged& other : way.others)
        row["others"].push_back({{"clock", id(other.clock)},
                                 {"before_hz", other.before.value.text()},
                                 {"after_hz", other.after.value.text()}});
    for (const auto& [key, list] : {std::pair{"wakes", &way.wakes}, {"stops", &way.stops}}) {
        row[key] = nlohmann::ordered_json::array();
        for (const ClockIndex clock : *list)
            row[key].push_back(id(clock));
    }
    row["lost"] = nlohmann::ordered_json::array();
    for (const NeedIndex need : way.lost)
        row["lost"].push_back(s.plan.needs[need].id);
    row["current_a"] = way.current.toDouble();
    row["current_before_a"] = way.currentBefore.toDouble();
    row["range"] = s.device->ranges[size_t(way.range)].id;
    row["alike"] = way.alike;
    return row;
}

int takeWay(const OpenPlan& s, const std::vector<ClockSolution>& ways, size_t number)
{
    if (number == 0)
        return kClean;
    if (number > ways.size())
        return refuse(
            say("there is no solution {}; {} found.", number, sayCount(long(ways.size()), "{} way", "{} ways")));
    const Expected<Plan> next = applied(s->plan, ways[number - 1].edit);
    const Outcome saved = next ? storePlan(s, *next) : Outcome(next.problem());
    return saved ? kClean : complain(saved.problem());
}

} // namespace bindrel::cli
