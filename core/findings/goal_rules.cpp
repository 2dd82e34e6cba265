// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/findings/finding.h"
#include "core/plan/toggles.h"

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
    return fmt::format("achieved {}{}. Change the goal, or choose another clock or instance.",
                       row.achieved.empty() ? "nothing" : row.achieved,
                       row.wanted.empty() ? "" : " instead of " + row.wanted);
}

void missedGoals(const Facts& f, std::vector<Finding>& out)
{
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        for (const Achieved& row : f.settings[n].achieved)
            if (!row.ok)
                out.push_back({Severity::Error,
                               {},
                               fmt::format("{}, {}: {}", f.plan.needs[n].title, row.title, troubleOf(row)),
                               {Place::Kind::Goal, f.plan.needs[n].id, row.goal},
                               {},
                               WaysOffer{}});
}

void uncomputed(const Facts& f, std::vector<Finding>& out)
{
    for (size_t n = 0; n < f.plan.needs.size(); ++n) {
        const Setting& setting = f.settings[n];
        // An open need and a stopped clock have findings of their own.
        if (setting.computed || setting.notComputed.empty() || f.bindings.needs[n].instance < 0 || setting.kernel < 0 ||
            !f.rates.clocks[size_t(setting.kernel)].running)
            continue;
        out.push_back({Severity::Error,
                       {},
                       fmt::format("{}: {}.", f.plan.needs[n].title, setting.notComputed),
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
             fmt::format(
                 "{}: this instance cannot do what the plan asks for. Choose another instance, or change the goal.",
                 role),
             {},
             {}});
}

/// Needs by the interrupt that serves them.
struct VectorClient {
    std::size_t need;
    std::string event;
    FieldRef flag;
};
using ByVector = std::map<std::pair<CoreIndex, int>, std::vector<VectorClient>>; // by core and number

ByVector interruptClients(const Facts& f)
{
    ByVector out;
    for (std::size_t n = 0; n < f.plan.needs.size(); ++n) {
        const CoreIndex core = f.device.ownerCore(f.plan.needs[n].core);
        for (const NeedEvent& event : f.settings[n].events)
            if (const std::optional<int> number = f.device.interruptOf(event.instance, event.event))
                out[{core, *number}].push_back({n, event.event, f.device.roleField(event.instance, event.flag)});
    }
    for (const PadSetup& setup : f.pads) {
        const InstanceIndex watcher = setup.line < 0          ? InstanceIndex()
                                      : f.device.linesInPorts ? f.device.pads[std::size_t(setup.pad)].port
                                                              : f.device.lineInstance;
        const CoreIndex core = f.device.ownerCore(f.plan.needs[std::size_t(setup.need)].core);
        if (watcher >= 0)
            if (const auto interrupt = f.device.lineInterrupt(watcher, setup.line))
                out[{core, interrupt->second}].push_back(
                    {std::size_t(setup.need), "edge",
                     f.device.roleField(watcher, "flag" + std::to_string(setup.line))});
    }
    return out;
}

/// A handler that two needs share asks their flags whose turn it is: one without a flag would be called for the other's
/// events too.
void flagless(const Facts& f, std::vector<Finding>& out)
{
    for (const auto& [vector, clients] : interruptClients(f))
        for (const VectorClient& client : clients) {
            const auto other = std::find_if(clients.begin(), clients.end(),
                                            [&client](const VectorClient& known) { return known.need != client.need; });
            if (!client.flag.valid() && other != clients.end())
                out.push_back(
                    {Severity::Error,
                     {},
                     fmt::format("{} shares interrupt {} with {} but has no {} flag, so it would also get the other's "
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
        std::map<std::uint32_t, std::size_t> needOfLevel;
        for (const VectorClient& client : clients)
            if (const std::optional<std::uint32_t> level = urgencyOf(f.device, f.plan, f.plan.needs[client.need]).level)
                needOfLevel.emplace(*level, client.need);
        if (needOfLevel.size() < 2)
            continue;
        const auto& [least, first] = *needOfLevel.begin();
        const auto& [most, last] = *needOfLevel.rbegin();
        out.push_back({Severity::Error,
                       {},
                       fmt::format("{} has priority {} and {} has priority {}, but both use interrupt {}, which has "
                                   "only one priority. Give them the same.",
                                   f.plan.needs[first].title, least, f.plan.needs[last].title, most, vector.second),
                       {Place::Kind::Need, f.plan.needs[last].id, {}},
                       {}});
    }
}

void togglesNothing(const Facts& f, std::vector<Finding>& out)
{
    for (size_t n = 0; n < f.plan.needs.size(); ++n)
        if (const ToggledOutput toggled = toggledBy(f.device, f.plan, n); !toggled.trouble.empty())
            out.push_back({Severity::Error,
                           {},
                           fmt::format("{}, Toggles: {}", f.plan.needs[n].title, toggled.trouble),
                           {Place::Kind::Goal, f.plan.needs[n].id, "toggles"},
                           {}});
}

} // namespace

std::vector<Rule> goalRules()
{
    return {
        {"GOAL-01", "Every goal is met within the tolerance of its protocol.", missedGoals, nullptr},
        {"GOAL-02", "Every goal can be computed from the instance's clock.", uncomputed, nullptr},
        {"GOAL-03", "The instance has registers for every goal.", unplaced, nullptr},
        {"GOAL-04", "Sources that share an interrupt have flags to tell them apart.", flagless, nullptr},
        {"GOAL-05", "Needs that share an interrupt have the same priority.", prioritiesDiffer, nullptr},
        {"GOAL-06", "An interrupt toggles a single output of its own core.", togglesNothing, nullptr},
    };
}

} // namespace bindrel
