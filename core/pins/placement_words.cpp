// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement_words.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// How near to the best a level is known to be.
std::string howNear(const Placement& way, PlacementLevel level)
{
    const std::optional<int>& least = way.proof.least[std::size_t(level)];
    if (way.cost.at(level) == 0)
        return {};
    return !least                         ? say(" (perhaps fewer)")
           : *least == way.cost.at(level) ? say(" (the fewest)")
                                          : say(" (at least {})", *least);
}

std::string countedOrNo(int number, std::string_view what)
{
    return number == 0 ? say("no {}", what) : counted(number, what);
}

} // namespace

Edit editOfPlacement(const Plan& plan, const Placement& way, std::string title)
{
    Edit edit{std::move(title), {}};
    for (const auto& [need, binding] : way.bindings)
        edit.changes.push_back(SetBinding{plan.needs[need].id, binding});
    for (const auto& [need, terminals] : way.terminals)
        edit.changes.push_back(SetTerminals{plan.needs[need].id, terminals});
    return edit;
}

/// Why these needs cannot all be placed, and what can be done.
static std::string conflictInWords(const Device& device, const Plan& plan, const std::vector<NeedIndex>& culprits,
                                   bool minimal)
{
    std::vector<std::string> names;
    for (const NeedIndex n : culprits)
        names.push_back(plan.needs[n].title);
    if (names.size() == 1)
        return say("{} fits nowhere on {}, even on an otherwise empty chip: its possible pads are held, or "
                   "routed to something else on the board.",
                   names[0], device.name);
    // More of one kind than the chip has instances for: that is the reason, and moving others does not help.
    const KindSpec* kind = findKind(plan.needs[culprits.front()].kind);
    std::vector<std::string> serving;
    for (const Instance& instance : device.instances)
        if (kind && kind->instanceKind != "*" && kind->servedBy(device, device.findInstance(instance.name)))
            serving.push_back(instance.name);
    const bool alike = std::all_of(culprits.begin(), culprits.end(), [&](NeedIndex n) {
        return plan.needs[n].kind == plan.needs[culprits.front()].kind;
    });
    if (alike && !serving.empty() && names.size() > serving.size())
        return say("{} do not all fit on {}: only {} can serve them. Leave one out, or choose a larger chip.",
                   listed(names), device.name, listed(serving));
    return say("{} do not all fit on {}; {}. Look for solutions that move what is bound, or leave one out.",
               listed(names), device.name,
               minimal ? say("removing any one of them is enough")
                       : say("some of them may not be involved (the search ran out of time)"));
}

Problem noRoom(const Device& device, const Plan& plan, const PlacementResult& result,
               const std::vector<NeedIndex>& wanted)
{
    if (result.cancelled)
        return problemOf(say("the search was stopped."));
    // One need that nothing on the chip could serve says more than a conflict.
    for (const NeedIndex n : wanted) {
        const Need& need = plan.needs[n];
        const KindSpec* kind = findKind(need.kind);
        const auto serves = [&](const Instance& instance) {
            return kind && kind->servedBy(device, device.findInstance(instance.name));
        };
        if (kind && !kind->instanceKind.empty() &&
            std::none_of(device.instances.begin(), device.instances.end(), serves))
            return problemOf(say("{}: nothing on {} can serve it as {}.", need.title, device.name, say(kind->title)));
        for (const SignalSpec& signal : kind ? kind->signals(need) : std::vector<SignalSpec>()) {
            const bool named =
                !signal.pattern.empty() && signal.pattern.find('#') == std::string::npos && !kind->instanceKind.empty();
            if (named && std::none_of(device.instances.begin(), device.instances.end(), [&](const Instance& instance) {
                    return serves(instance) &&
                           std::any_of(instance.signals.begin(), instance.signals.end(),
                                       [&signal](const InstanceSignal& known) { return known.name == signal.pattern; });
                }))
                return problemOf(
                    say("{} asks for {} ({}), which no {} of {} has. Change the goal, or choose another chip.",
                        need.title, say(signal.title), signal.pattern, say(kind->title), device.name));
        }
        for (const std::string& request : requestsOf(need))
            if (std::none_of(device.instances.begin(), device.instances.end(), [&](const Instance& instance) {
                    return serves(instance) && instance.dma.contains(request);
                }))
                return problemOf(say("{} asks for the DMA request {}, which no suitable instance of {} has.",
                                     need.title, request, device.name));
    }
    if (!result.rules.empty())
        return problemOf(say("the layout's rule \"{}\" leaves no room for {}. Make it a wish, which may be broken, "
                             "or place some needs elsewhere by hand.",
                             joined(result.rules, "\" and \""),
                             wanted.size() == 1 ? plan.needs[wanted.front()].title
                                                : sayCount(long(wanted.size()), "{} need", "{} needs")));
    if (!result.proven || result.culprits.empty())
        return problemOf(
            say("no solution was found within the search limits; hold fewer things, or place some needs by hand."));
    std::string text = conflictInWords(device, plan, result.culprits, result.minimal);
    for (const std::vector<NeedIndex>& more : result.moreCulprits)
        text += say(" Besides: ") + conflictInWords(device, plan, more, result.minimal);
    return problemOf(std::move(text));
}

std::string movesInWords(const PlacementCost& cost)
{
    std::string out = cost.moved == 1 ? say("1 need moves") : say("{} needs move", cost.moved);
    if (cost.pads > 0)
        out += cost.pads == 1 ? say(", 1 signal changes pads") : say(", {} signals change pads", cost.pads);
    return out;
}

std::vector<std::string> levelsInWords(const Placement& way)
{
    std::vector<std::string> out;
    if (!way.notKept.empty())
        out.push_back(say("not kept: {}{}", joined(way.notKept, "; "), howNear(way, PlacementLevel::Wishes)));
    if (way.cost.stands > 0)
        out.push_back(say("{} not as the parts stand{}", sayCount(way.cost.stands, "{} signal", "{} signals"),
                          howNear(way, PlacementLevel::Stands)));
    out.push_back(countedOrNo(way.cost.sides, say("extra side")) + howNear(way, PlacementLevel::Sides));
    if (way.cost.splits > 0)
        out.push_back(say("{} on more than one side{}", sayCount(way.cost.splits, "{} need", "{} needs"),
                          howNear(way, PlacementLevel::Splits)));
    out.push_back(countedOrNo(way.cost.crossings, "crossing") + howNear(way, PlacementLevel::Crossings));
    return out;
}

std::string howGood(const Placement& way)
{
    std::string out = joined(levelsInWords(way), ", ");
    out[0] = char(std::toupper(static_cast<unsigned char>(out[0])));
    return out + (way.proof.proven(way.cost) ? say(". No solution is better.") : ".");
}

} // namespace bindrel
