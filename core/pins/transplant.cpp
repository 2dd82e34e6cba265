// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/transplant.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/clock_decision.h"
#include "core/plan/fences.h"
#include "core/plan/kind.h"
#include "core/plan/stored_settings.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// The clock on this device that a crystal of the board can serve: the one of that name, else one that takes its rate
/// and is not taken by another.
std::string clockFor(const Device& device, const Board& board, const std::string& named,
                     const std::vector<std::string>& taken)
{
    const auto free = [&taken](const std::string& id) {
        return std::find(taken.begin(), taken.end(), id) == taken.end();
    };
    if (const int same = device.findClock(named); same >= 0 && free(named))
        return named;
    const auto fact = board.crystals.find(named);
    if (fact == board.crystals.end())
        return {};
    for (const ClockNode& node : device.clocks)
        if ((node.type == ClockNode::Type::Crystal || node.type == ClockNode::Type::External) && free(node.id) &&
            fact->second.rate >= node.crystalMin && fact->second.rate <= node.crystalMax)
            return node.id;
    return {};
}

void takeClocks(Transplant& out, const Device& device, const Plan& plan)
{
    // Half of a second set is none.
    const auto stands = [&device](const auto& decision) {
        const ClockIndex clock = device.findClock(decision.first);
        return clock >= 0 && isPossible(device, clock, decision.second);
    };
    if (plan.slow && (!std::all_of(plan.slow->clocks.begin(), plan.slow->clocks.end(), stands) ||
                      (!plan.slow->range.empty() && device.findRange(plan.slow->range) < 0))) {
        out.plan.slow.reset();
        out.lost.push_back(say("the low-speed clock set was made for the old chip and is dropped"));
    }
    for (const std::string& mode : plan.modes)
        if (device.findMode(mode) < 0) {
            out.plan.modes.erase(mode);
            out.lost.push_back(say("{} has no low-power mode {}; the program does not enter it", device.name, mode));
        }
    for (const auto& [id, decision] : plan.clocks) {
        const ClockIndex clock = device.findClock(id);
        const std::string text = clockDecisionText(decision);
        if (clock >= 0 && isPossible(device, clock, decision))
            out.plan.clocks[id] = decision;
        else
            out.lost.push_back(clock < 0
                                   ? say("{} has no clock {}; its setting {} is dropped", device.name, id, text)
                                   : say("{} cannot be {} on {}; it keeps its reset value", id, text, device.name));
    }
    if (!plan.range.empty() && device.findRange(plan.range) < 0) {
        out.lost.push_back(say("{} has no operating range {}; its reset default is used", device.name, plan.range));
        out.plan.range.clear();
    }
}

void takeNeed(Transplant& out, NeedIndex index, const Device& device, const Board& board,
              std::vector<std::string>& clocks)
{
    Need& need = out.plan.needs[index];
    const KindSpec* kind = findKind(need.kind);
    if (!kind)
        return;
    if (kind->instanceGoal == "clock") {
        const std::string clock = clockFor(device, board, goalName(need, "clock"), clocks);
        if (clock.empty()) {
            out.homeless.push_back({index, need.title, true});
        } else {
            clocks.push_back(clock);
            need.goals.state("clock", clock);
        }
    } else if (!kind->instanceKind.empty() &&
               std::none_of(device.instances.begin(), device.instances.end(),
                            [&](const Instance& i) { return kind->servedBy(device, device.findInstance(i.name)); })) {
        out.homeless.push_back({index, fmt::format("{} ({})", need.title, say(kind->title)), false});
    }
    // Names that this device does not have are no preference.
    const InstanceIndex instance = device.findInstance(need.binding.instance);
    if (instance < 0 || !kind->servedBy(device, instance)) {
        // Pads that had their meaning from an instance that is not here are none either, whatever pads have these names
        // here.
        if (!need.binding.instance.empty())
            need.binding.pads.clear();
        need.binding.instance.clear();
    }
    std::erase_if(need.binding.pads, [&device](const auto& entry) {
        const PadIndex pad = device.findPad(entry.second);
        return pad < 0 || device.pinOf(pad).empty();
    });
    if (!checkOpenTo(device, need.openTo)) {
        out.lost.push_back(say("{} has no {}; access to {} is as after reset", device.name, need.openTo, need.title));
        need.openTo.clear();
    }
    if (!need.core.empty() && device.findCore(need.core) < 0) {
        out.lost.push_back(say("{} has no core {}; {} goes to the first core", device.name, need.core, need.title));
        need.core.clear();
    }
}

} // namespace

std::string whyHomeless(const std::vector<Transplant::UnplaceableNeed>& homeless)
{
    std::vector<std::string> crystals, unserved, out;
    for (const Transplant::UnplaceableNeed& need : homeless)
        (need.crystal ? crystals : unserved).push_back(need.what);
    if (!unserved.empty())
        out.push_back(say("nothing on it can serve ") + listed(unserved));
    if (!crystals.empty())
        out.push_back(say("it has no oscillator for ") + listed(crystals));
    return joined(out, "; ");
}

Transplant transplant(const Device& device, const Board& board, const Plan& plan)
{
    Transplant out;
    out.plan = plan;
    if (plan.device == device.name)
        return out;
    out.plan.device = device.name;
    out.plan.clocks.clear();
    out.plan.holds.clear();
    takeClocks(out, device, plan);
    for (const ClockNode& node : device.clocks)
        if (plan.held(holdOfClock(node.id)))
            out.plan.holds.insert(holdOfClock(node.id));
    out.plan.crystals.clear();
    std::vector<std::string> taken;
    for (const auto& [clock, crystal] : plan.crystals) {
        if (const std::string there = clockFor(device, board, clock, taken); !there.empty()) {
            out.plan.crystals[there] = crystal;
            taken.push_back(there);
        } else if (crystal) {
            out.lost.push_back(
                say("{} has no oscillator for the plan's {} at {}", device.name, format(crystal->rate), clock));
        }
    }
    if (!plan.nets.empty()) {
        out.lost.push_back(say("{} of the plan, stated for the pads of {}, {}",
                               plan.nets.size() == 1 ? say("the net") : say("{} nets", plan.nets.size()), plan.device,
                               plan.nets.size() == 1 ? "goes" : "go"));
        out.plan.nets.clear();
    }
    if (!plan.resistors.empty()) {
        out.lost.push_back(
            say("{} of the plan, stated for the pads of {}, {}",
                plan.resistors.size() == 1 ? say("the resistor") : say("{} resistors", plan.resistors.size()),
                plan.device, plan.resistors.size() == 1 ? "goes" : "go"));
        out.plan.resistors.clear();
    }
    if (!plan.regulator.empty() && std::none_of(device.regulators.begin(), device.regulators.end(),
                                                [&plan](const Regulator& r) { return r.id == plan.regulator; })) {
        out.plan.regulator.clear();
        out.lost.push_back(say("the regulator {}: it has none of that name", plan.regulator));
    }
    for (const auto& [id, value] : plan.stored)
        if (!storedCode(device, id, value)) {
            out.plan.stored.erase(id);
            out.lost.push_back(say("{} = {} in non-volatile memory: it has no such setting", id, value));
        }
    std::vector<std::string> clocks;
    for (size_t n = 0; n < out.plan.needs.size(); ++n)
        takeNeed(out, static_cast<int>(n), device, board, clocks);
    return out;
}

} // namespace bindrel
