// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/taken.h"

#include "core/base/say.h"
#include "core/plan/pin_property.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

void Taken::add(const Use& use, NeedIndex need)
{
    uses_[use.resource].emplace_back(use, need);
}

int Taken::clash(const Use& use) const
{
    const auto found = uses_.find(use.resource);
    if (found != uses_.end())
        for (const auto& [other, need] : found->second)
            if (use.clashes(other))
                return need;
    return -1;
}

Taken takenBy(const Device& device, const Plan& plan, int exceptNeed)
{
    Taken taken;
    for (const NeedIndex n : plan.needs.indices())
        if (static_cast<int>(n) != exceptNeed)
            take(taken, device, plan.needs[n], plan.needs[n].binding, static_cast<int>(n));
    return taken;
}

void take(Taken& taken, const Device& device, const Need& need, const Binding& binding, int index)
{
    Need seated = need;
    seated.binding = binding;
    for (const Use& use : usesOf(device, seated, seatNeed(device, seated)))
        taken.add(use, index);
}

std::vector<int> padDemand(const Device& device, const Plan& plan, const Bindings& bindings,
                           const std::vector<NeedIndex>& placed)
{
    std::map<const KindSpec*, int> wanting;
    for (const NeedIndex n : plan.needs.indices()) {
        const KindSpec* kind = findKind(plan.needs[n].kind);
        if (!kind || kind->instanceKind.empty() || kind->instanceKind == "*" ||
            bindings.needs[n].state != BoundNeed::State::Open ||
            std::find(placed.begin(), placed.end(), static_cast<int>(n)) != placed.end())
            continue;
        ++wanting[kind];
    }
    std::vector<int> demand(device.pads.size(), 0);
    for (const auto& [kind, times] : wanting) {
        std::vector<bool> serves(device.instances.size());
        for (size_t i = 0; i < serves.size(); ++i)
            serves[i] = kind->servedBy(device, static_cast<int>(i));
        for (const Route& route : device.routes)
            if (serves[size_t(route.instance)])
                demand[size_t(route.pad)] += times;
    }
    return demand;
}

std::string netOf(const Need& need, std::string_view signal)
{
    return pinProperty(need, signal, "net").value_or(std::string());
}

std::string boardObjection(const Device& device, const Board& board, PadIndex pad, RouteIndex route, const Need& need,
                           std::string_view named)
{
    const Pad& facts = device.pads[pad];
    const auto net = board.nets.find(facts.name);
    if (net != board.nets.end()) {
        const KindSpec* kind = findKind(need.kind);
        const bool own =
            kind && kind->solderedToItsPads && route >= 0 && device.routes[route].mechanism == Route::Mechanism::Fixed;
        if (net->second == named || (named.empty() && own))
            return {};
        return say("routed to {} on the board", net->second);
    }
    if (!named.empty())
        for (const auto& [other, known] : board.nets)
            if (known == named)
                return say("{} is routed to {} on the board", named, other);
    return {};
}

} // namespace bindrel
