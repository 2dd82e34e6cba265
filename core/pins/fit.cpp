// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/fit.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

namespace bindrel {

namespace {

/// The clock on this device that a crystal of the board can serve: the one of that name, else one that takes its rate and
/// is not taken by another.
std::string clockFor(const Device& device, const Board& board, const std::string& named, const std::vector<std::string>& taken)
{
    const auto free = [&taken](const std::string& id) { return std::find(taken.begin(), taken.end(), id) == taken.end(); };
    if (const int same = device.findClock(named); same >= 0 && free(named))
        return named;
    const auto fact = board.crystals.find(named);
    if (fact == board.crystals.end())
        return {};
    for (const ClockNode& node : device.clocks)
        if ((node.type == ClockNode::Type::Crystal || node.type == ClockNode::Type::External) && free(node.id) && fact->second.rate >= node.crystalMin && fact->second.rate <= node.crystalMax)
            return node.id;
    return {};
}

} // namespace

Fit fitOn(const Device& device, const Board& board, const Plan& given)
{
    Fit out;
    out.plan = given;
    Plan& plan = out.plan;
    const bool own = plan.device == device.name;
    plan.device = device.name;
    if (!own) {
        plan.clocks.clear();
        plan.range.clear();
        plan.holds.clear();
    }
    std::vector<std::string> clocks;
    for (Need& need : plan.needs) {
        const KindSpec* kind = findKind(need.kind);
        if (kind && kind->instanceGoal == "clock") {
            const std::string clock = clockFor(device, board, goalText(need, "clock"), clocks);
            if (clock.empty()) {
                out.proven = true;
                out.why = fmt::format("{} has no oscillator for {}", device.name, need.title);
                return out;
            }
            clocks.push_back(clock);
            need.goals["clock"] = clock;
        }
        // Names that this device does not have are no preference.
        const int instance = device.findInstance(need.binding.instance);
        if (instance >= 0 && !(kind && kind->servedBy(device.blockOf(instance).kind)))
            need.binding.instance.clear();
        if (instance < 0)
            need.binding.instance.clear();
        std::erase_if(need.binding.pads, [&device](const auto& entry) { return device.findPad(entry.second) < 0; });
        if (!need.core.empty() && device.findCore(need.core) < 0)
            need.core.clear();
    }
    // What nothing on the chip could serve is the plainest reason.
    std::vector<std::string> unserved;
    for (const Need& need : plan.needs) {
        const KindSpec* kind = findKind(need.kind);
        if (kind && !kind->instanceKind.empty() &&
            std::none_of(device.instances.begin(), device.instances.end(), [&](const Instance& i) { return kind->servedBy(device.blocks[size_t(i.block)].kind); }))
            unserved.push_back(fmt::format("{} ({})", need.title, kind->title));
    }
    if (!unserved.empty()) {
        out.proven = true;
        out.why = "nothing on it could serve " + listed(unserved);
        return out;
    }
    Board bare = board;
    if (!own)
        bare.nets.clear();
    PlacementRequest request;
    request.needs.resize(plan.needs.size());
    std::iota(request.needs.begin(), request.needs.end(), 0);
    const PlacementResult result = place(device, bare, plan, request);
    out.proven = result.proven;
    if (!result.ways.empty()) {
        out.fits = out.proven = true;
        out.cost = result.ways.front().cost;
        for (const auto& [need, binding] : result.ways.front().bindings)
            plan.needs[size_t(need)].binding = binding;
        // Against the plan as it was: what is called otherwise there has moved.
        out.cost.moved = out.cost.pads = 0;
        for (size_t n = 0; n < plan.needs.size(); ++n) {
            const Binding& was = given.needs[n].binding;
            const Binding& is = plan.needs[n].binding;
            if (was.empty())
                continue;
            int pads = 0;
            for (const auto& [signal, pad] : is.pads)
                pads += !was.pads.contains(signal) || was.pads.at(signal) != pad;
            out.cost.pads += pads;
            out.cost.moved += pads > 0 || was.instance != is.instance;
        }
        return out;
    }
    std::vector<std::string> names;
    for (const int n : result.culprits)
        names.push_back(plan.needs[size_t(n)].title);
    out.why = !result.proven        ? "not decided within the bounds of the search"
              : names.size() == 1   ? fmt::format("{} finds no place", names[0])
                                    : fmt::format("{} cannot all stand", listed(names));
    return out;
}

} // namespace bindrel
