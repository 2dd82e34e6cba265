// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/field_code.h"
#include "core/findings/finding.h"
#include "core/findings/interrupt_times.h"
#include "core/pins/overrides.h"
#include "core/plan/toggles.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace bindrel {

namespace {

using Severity = Finding::Severity;

/// A kind that does not say what is wrong with a row still has a wrong row.
std::string troubleOf(const Achieved& row)
{
    if (!row.trouble.empty())
        return row.trouble;
    return say("achieved {}{}. Change the goal, or choose another clock or instance.",
               row.achieved.empty() ? say("nothing") : row.achieved,
               row.wanted.empty() ? "" : say(" instead of {}", row.wanted));
}

void missedGoals(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices())
        for (const Achieved& row : f.settings[n].achieved)
            if (!row.ok)
                out.push_back({Severity::Error,
                               {},
                               message("{}, {}: {}", f.plan.needs[n].title, row.title, troubleOf(row)),
                               {Place::Kind::Goal, f.plan.needs[n].id, row.goal},
                               {},
                               WaysOffer{}});
}

void uncomputed(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices()) {
        const Setting& setting = f.settings[n];
        // An open need and a stopped clock have findings of their own.
        if (setting.computed || setting.notComputed.empty() || f.bindings.needs[n].instance < 0 || setting.kernel < 0 ||
            !f.rates.clocks[setting.kernel].running)
            continue;
        out.push_back({Severity::Error,
                       {},
                       message("{}: {}.", f.plan.needs[n].title, setting.notComputed),
                       {Place::Kind::Need, f.plan.needs[n].id, {}},
                       {},
                       WaysOffer{}});
    }
}

void unplaced(const Facts& f, std::vector<Finding>& out)
{
    for (const std::string& role : f.image.unplaced)
        out.push_back(
            {Severity::Error,
             {},
             message("{}: this instance cannot do what the plan asks for. Choose another instance, or change the goal.",
                     role),
             {},
             {}});
}

/// A handler that two needs share asks their flags whose turn it is: one without a flag would be called for the other's
/// events too.
void flagless(const Facts& f, std::vector<Finding>& out)
{
    for (const auto& [vector, clients] : interruptClients(f))
        for (const InterruptUse& client : clients) {
            const auto other = std::find_if(clients.begin(), clients.end(),
                                            [&client](const InterruptUse& known) { return known.need != client.need; });
            if (!client.flag.valid() && other != clients.end())
                out.push_back(
                    {Severity::Error,
                     {},
                     message("{} shares interrupt {} with {} but has no {} flag, so it would also get the other's "
                             "events. Enable only one of the two interrupts, or bind one need elsewhere.",
                             f.plan.needs[client.need].title, vector.second, f.plan.needs[other->need].title,
                             client.event),
                     {Place::Kind::Need, f.plan.needs[client.need].id, {}},
                     {}});
        }
}

/// An interrupt has one priority, whichever of its needs is started last.
void prioritiesDiffer(const Facts& f, std::vector<Finding>& out)
{
    for (const auto& [vector, clients] : interruptClients(f)) {
        std::map<std::uint32_t, NeedIndex> needOfLevel;
        for (const InterruptUse& client : clients)
            if (const std::optional<std::uint32_t> level = urgencyOf(f.device, f.plan, f.plan.needs[client.need]).level)
                needOfLevel.emplace(*level, client.need);
        if (needOfLevel.size() < 2)
            continue;
        const auto& [least, first] = *needOfLevel.begin();
        const auto& [most, last] = *needOfLevel.rbegin();
        out.push_back({Severity::Error,
                       {},
                       message("{} has priority {} and {} has priority {}, but both use interrupt {}, which has "
                               "only one priority. Give them the same.",
                               f.plan.needs[first].title, least, f.plan.needs[last].title, most, vector.second),
                       {Place::Kind::Need, f.plan.needs[last].id, {}},
                       {}});
    }
}

void togglesNothing(const Facts& f, std::vector<Finding>& out)
{
    for (const NeedIndex n : f.plan.needs.indices())
        if (const ToggledOutput toggled = toggledBy(f.device, f.plan, n); !toggled.trouble.empty())
            out.push_back({Severity::Error,
                           {},
                           message("{}, Toggles: {}", f.plan.needs[n].title, toggled.trouble),
                           {Place::Kind::Goal, f.plan.needs[n].id, "toggles"},
                           {}});
}

/// Only what somebody has stated: the assumption for all others is too rough for a finding.
void interruptsLate(const Facts& f, std::vector<Finding>& out)
{
    if (std::none_of(f.plan.needs.begin(), f.plan.needs.end(),
                     [](const Need& need) { return need.goals.contains("takes"); }))
        return;
    for (const InterruptTime& time : interruptTimes(f)) {
        if (!time.late())
            continue;
        const Need& need = f.plan.needs[time.needs.front()];
        out.push_back({Severity::Caution,
                       {},
                       time.worst ? message("{}: its handler can be through as late as {} after the event, but the "
                                            "next event comes after {}. Make it more urgent, or others shorter.",
                                            need.title, format(*time.worst, 4), format(*time.every, 4))
                                  : message("{}: the handlers that are as urgent or more take all of the core's "
                                            "time, so there is no bound for when its own is through.",
                                            need.title),
                       {Place::Kind::Need, need.id, {}},
                       {}});
    }
}

Place placeOf(const Facts& f, const Override& set)
{
    return {Place::Kind::Need, f.plan.needs[set.need].id, set.name};
}

void cannotBeSetByHand(const Facts& f, std::vector<Finding>& out)
{
    for (const Override& set : overridesOf(f.device, f.plan, f.bindings))
        if (!set.trouble.empty())
            out.push_back({Severity::Error, {}, message("{}", set.trouble), placeOf(f, set), say("Drop {}", set.name)});
}

void setByHand(const Facts& f, std::vector<Finding>& out)
{
    for (const Override& set : overridesOf(f.device, f.plan, f.bindings)) {
        if (!set.ref.valid())
            continue;
        const Field& field = f.device.fieldOf(set.ref);
        const std::string code = fieldCodeText(field, set.code);
        const bool named =
            field.values.empty() || std::any_of(field.values.begin(), field.values.end(),
                                                [&set](const EnumValue& value) { return value.code == set.code; });
        Message text = message("{}: {} is set by hand to {}{}.", f.plan.needs[set.need].title, f.device.nameOf(set.ref),
                               code, named ? "" : say(", which is none of its described values"));
        std::string goal;
        std::optional<std::uint32_t> asked;
        for (const Step& step : f.image.steps)
            for (const FieldWrite& write : step.fields)
                if (write.byHand && write.ref == set.ref && write.asked)
                    asked = write.asked, goal = write.goal;
        const KindSpec* kind = findKind(f.plan.needs[set.need].kind);
        const GoalSpec* spec = kind ? kind->goal(goal) : nullptr;
        if (asked && *asked != set.code)
            text.then(message("The goals ask for {}{}.", fieldCodeText(field, *asked),
                              spec ? say(", and what is achieved for {} is not computed", lowered(say(spec->title)))
                                   : std::string()));
        // What no goal decides, or decides in the same way, and the field may hold is a plain decision.
        else if (named)
            continue;
        out.push_back({Severity::Caution, {}, text, placeOf(f, set), say("Drop {}", set.name)});
    }
}

Expected<Edit> dropOverride(const Facts&, const Finding& finding)
{
    return editOf(say("Drop {}", finding.place.sub), SetOverride{finding.place.id, finding.place.sub, std::nullopt});
}

} // namespace

std::vector<Rule> goalRules()
{
    return {
        {"GOAL-01", later("Every goal is met within the tolerance of its protocol."), missedGoals, nullptr},
        {"GOAL-02", later("Every goal can be computed from the instance's clock."), uncomputed, nullptr},
        {"GOAL-03", later("The instance has registers for every goal."), unplaced, nullptr},
        {"GOAL-04", later("Sources that share an interrupt have flags to tell them apart."), flagless, nullptr},
        {"GOAL-05", later("Needs that share an interrupt have the same priority."), prioritiesDiffer, nullptr},
        {"GOAL-06", later("An interrupt toggles a single output of its own core."), togglesNothing, nullptr},
        {"GOAL-07", later("Fields set by hand exist, keep what is written, and can hold the value."), cannotBeSetByHand,
         dropOverride},
        {"GOAL-08", later("A field set by hand holds what the goals ask for, or nothing that they decide."), setByHand,
         dropOverride},
        {"GOAL-09",
         later("The handler of an interrupt is through before its next event, with the times that are stated."),
         interruptsLate, nullptr},
    };
}

} // namespace bindrel
