// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/block_kind.h"
#include "core/rehearsal/simulated_chip.h"

#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

/// What a unit is decides what its registers mean: before that it is none of the things that it can be.
void SimulatedChip::judgeUnit(InstanceIndex instance, RegisterIndex reg)
{
    const std::string& unit = device_.instances[instance].unit;
    if (unit.empty())
        return;
    const std::uint32_t address = device_.addressOf(instance, reg);
    for (const Instance& face : device_.instances) {
        if (face.unit != unit)
            continue;
        bool is = true;
        for (const FieldCode& select : face.selects) {
            if (device_.addressOf(select.ref.instance, select.ref.reg) == address)
                return; // this is where it is told
            is = is && registers_.holds(select);
        }
        if (is)
            return;
    }
    const std::string name = device_.instances[instance].name + "." + device_.blockOf(instance).registers[reg].name;
    report(Hazard::Kind::Lost, say("{} is written before the mode of {} is set.", name, unit),
           {Place::Kind::Register, name, {}});
}

/// Dividers and timing of a block that must be held for that: changed while it is not, they may be ignored.
void SimulatedChip::judgeHeld(InstanceIndex instance, RegisterIndex reg, std::uint32_t before, std::uint32_t value)
{
    const BlockKind* kind = findBlockKind(device_.blockOf(instance).kind);
    if (!kind ||
        std::none_of(kind->roles.begin(), kind->roles.end(), [](const RoleSpec& role) { return role.onlyHeld; }))
        return;
    const FieldRef hold = device_.roleField(instance, "hold"), held = device_.roleField(instance, "held");
    if (!hold.valid() ||
        device_.blockOf(instance).role("hold")->encoding.decode(registers_.code(hold)).value_or(0) == 1)
        if (!held.valid() || registers_.code(held) != 0)
            return;
    for (const RoleSpec& role : kind->roles) {
        const FieldRef ref = role.onlyHeld ? device_.roleField(instance, role.name) : FieldRef();
        if (ref.valid() && ref.reg == reg && ((before ^ value) & device_.fieldOf(ref).mask()))
            return report(
                Hazard::Kind::Frozen,
                say("{} is changed while {} is not held.", device_.nameOf(ref), device_.instances[instance].name),
                {Place::Kind::Instance, device_.instances[instance].name, {}});
    }
}

void SimulatedChip::beginSettling(InstanceIndex instance, RegisterIndex reg)
{
    const Settling settling{now_ + (registers_.shape({instance, reg}).settles.value * kSecond).ceil(), instance, reg};
    settling_[instance] = settling;
    for (const InstanceIndex i : device_.instances.indices())
        for (const FieldCode& field :
             {device_.instances[i].gate, device_.instances[i].gateSet, device_.instances[i].reset})
            if (field.valid() && field.ref.instance == instance && field.ref.reg == reg)
                settling_[int(i)] = settling;
}

void SimulatedChip::judgeSettling(InstanceIndex instance, const Register& accessed)
{
    const auto at = settling_.find(instance);
    if (at == settling_.end() || now_ >= at->second.until)
        return;
    const std::string& owner = device_.instances[instance].name;
    const auto& [until, by, reg] = at->second;
    report(Hazard::Kind::Lost,
           say("{}.{} is accessed {} before the write to {}.{} has settled.", owner, accessed.name,
               momentText(until - now_), device_.instances[by].name, registers_.shape({by, reg}).name),
           {Place::Kind::Register, owner + "." + accessed.name, {}});
}

void SimulatedChip::judgeFrozen(InstanceIndex instance, RegisterIndex reg, std::uint32_t before)
{
    const std::uint32_t after = registers_.cell(registers_.cellOf(instance, reg)).value;
    for (const ClockIndex i : device_.clocks.indices()) {
        const ClockNode& node = device_.clocks[i];
        std::uint32_t mask = 0;
        for (const FieldRef& ref : {node.control, node.fraction})
            if (ref.valid() && ref.instance == instance && ref.reg == reg)
                mask |= device_.fieldOf(ref).mask();
        // A crystal's input stage is chosen before it is on.
        const bool started = node.bypass.valid() && node.bypass.ref.instance == instance &&
                             node.bypass.ref.reg == reg &&
                             ((before ^ after) & device_.fieldOf(node.bypass.ref).mask()) && clocks_.clock(int(i)).on;
        if (started)
            report(Hazard::Kind::Frozen, say("The bypass of {} is changed while it is on.", node.name),
                   {Place::Kind::Clock, node.id, {}});
        if (!((before ^ after) & mask))
            continue;
        for (const ClockIndex by : node.frozenBy)
            if (clocks_.clock(by).on)
                report(Hazard::Kind::Frozen, say("{} is changed while {} is on.", node.name, device_.clocks[by].name),
                       {Place::Kind::Clock, node.id, {}});
    }
}

void SimulatedChip::judgePads(InstanceIndex instance, RegisterIndex reg)
{
    for (const PadIndex pad : pads_.padsOf(instance, reg)) {
        const PadLook look = pads_.look(pad);
        if (pad < int(looks_.size())) {
            if (looks_[size_t(pad)] == look)
                continue;
            looks_[size_t(pad)] = look;
            if (observer_)
                observer_->padChanged(pad, look);
        }
        if (demand_.pads.empty())
            continue;
        if (const auto given = demand_.handOvers.find(pad);
            given != demand_.handOvers.end() && !look.port && look.function == given->second.function)
            judgeHandOver(pad, given->second);
        const Demand::PadRule& rule = demand_.pads[pad];
        const std::string& name = device_.pads[pad].name;
        const Place place{Place::Kind::Pad, name, {}};
        using Kind = Demand::PadRule::Kind;
        const bool driven = look.pushesHigh() || look.pullsLow();
        if (rule.kind == Kind::Rests && driven)
            report(Hazard::Kind::Pad, say("{} is driven, although no need uses it.", name), place);
        else if (rule.kind == Kind::Input && driven)
            report(Hazard::Kind::Pad,
                   say("{} is driven {}, although {} drives it from outside.", name, look.text(), rule.who), place);
        else if (rule.kind == Kind::OpenDrain && look.pushesHigh())
            report(Hazard::Kind::Pad, say("{} drives high against the open drain of {}.", name, rule.who), place);
        else if (rule.kind == Kind::OpenDrain && rule.high && look.pullsLow() && !demand_.levelsFree)
            report(Hazard::Kind::Pad, say("{} is driven low; the initial level of {} is released.", name, rule.who),
                   place);
        else if (rule.kind == Kind::StartsLow && look.pushesHigh() && !demand_.levelsFree)
            report(Hazard::Kind::Pad, say("{} is driven high; the initial level of {} is low.", name, rule.who), place);
        else if (rule.kind == Kind::StartsHigh && look.pullsLow() && !demand_.levelsFree)
            report(Hazard::Kind::Pad, say("{} is driven low; the initial level of {} is high.", name, rule.who), place);
    }
}

void SimulatedChip::judgeHandOver(PadIndex pad, const Demand::HandOver& given)
{
    for (const Demand::HandOver::Value& value : given.values)
        if (const std::optional<std::int64_t> is = meaningOf(*value.encoding, registers_.code(value.ref));
            is != value.value)
            return report(Hazard::Kind::Pad,
                          say("{} is connected to {} before {} is set up: the board sees unplanned levels.",
                              device_.pads[pad].name, given.who, device_.nameOf(value.ref)),
                          {Place::Kind::Pad, device_.pads[pad].name, {}});
}

void SimulatedChip::judge()
{
    if (!observer_)
        return;
    std::set<std::pair<Hazard::Kind, int>> now;
    const auto tell = [&](Hazard::Kind kind, int what, const auto& text, const Place& place) {
        now.emplace(kind, what);
        if (!broken_.contains({kind, what}))
            report(kind, text(), place);
    };
    for (ClockIndex i = 0; i < clocks_.count(); ++i) {
        const ClockNode& node = device_.clocks[i];
        const Rational& rate = clocks_.clock(i).rate;
        if (rate != shown_[size_t(i)]) {
            shown_[size_t(i)] = rate;
            observer_->clockChanged(i, rate);
        }
        const Place place{Place::Kind::Clock, node.id, {}};
        if (const auto steady = demand_.steady.find(i); steady != demand_.steady.end() && rate != steady->second)
            tell(
                Hazard::Kind::Dead, i,
                [&] {
                    return say("{} {} meanwhile, although it is {} before and after.", node.name,
                               rate.isZero() ? "stops" : say("runs at ") + rateText(rate), rateText(steady->second));
                },
                place);
        if (rate.isZero() || clocks_.idle(i))
            continue;
        const SimulatedClocks::Bounds bounds = clocks_.boundsOf(i);
        if (!bounds.min && !bounds.max && !bounds.relative)
            continue;
        bool counts = true, works = true;
        if (node.tier == "kernel") {
            counts = inUse(i);
            works = std::any_of(usersOf_[size_t(i)].begin(), usersOf_[size_t(i)].end(),
                                [this](InstanceIndex instance) { return atWork(instance); });
        }
        const std::string& range = device_.ranges.empty() ? node.name : device_.ranges[size_t(clocks_.range())].name;
        if (counts && bounds.max && rate > *bounds.max)
            tell(
                Hazard::Kind::Limit, i * 4,
                [&] {
                    return say("{} runs at {}, above its limit of {} in {}.", node.name, rateText(rate),
                               rateText(*bounds.max), range);
                },
                place);
        else if (counts && works && bounds.min && rate < *bounds.min)
            tell(
                Hazard::Kind::Limit, i * 4 + 1,
                [&] {
                    return say("{} runs at {}, below its limit of {} in {}.", node.name, rateText(rate),
                               rateText(*bounds.min), range);
                },
                place);
        if (counts && works && bounds.relative && !bounds.relative->isZero() && rate > *bounds.relative)
            tell(
                Hazard::Kind::Limit, i * 4 + 2,
                [&] {
                    return say("{} runs at {}, above the {} that {} allows.", node.name, rateText(rate),
                               rateText(*bounds.relative), device_.clocks[bounds.relativeTo].name);
                },
                place);
    }
    for (size_t c = 0; c < device_.neverTogether.size(); ++c) {
        const ClockCombination& combination = device_.neverTogether[c];
        std::vector<std::string> names;
        for (const ClockCombination::Term& term : combination.terms)
            if (term.has(clocks_.standing(term.clock)) && !clocks_.clock(term.clock).rate.isZero() && inUse(term.clock))
                names.push_back(device_.clocks[term.clock].name);
        if (names.size() == combination.terms.size())
            tell(Hazard::Kind::Limit, -1 - int(c),
                 [&] {
                     return say("{}: combination not allowed{}.", listed(names),
                                combination.because.empty() ? "" : ": " + combination.because);
                 },
                 {Place::Kind::Clock, device_.clocks[combination.terms.back().clock].id, {}});
    }
    if (device_.flashClock >= 0 && !device_.ranges.empty())
        if (const Rational& rate = clocks_.clock(device_.flashClock).rate; rate > clocks_.flashMost())
            tell(Hazard::Kind::WaitStates, 0,
                 [&] {
                     return say("The flash is read at {} with {} wait states, which allow {}.", rateText(rate),
                                clocks_.waitStates(), rateText(clocks_.flashMost()));
                 },
                 {Place::Kind::Clock, device_.clocks[device_.flashClock].id, {}});
    for (const CoreIndex core : running_)
        if (const ClockIndex clock = device_.cores[core].clock; clock >= 0 && clocks_.clock(clock).rate.isZero())
            tell(Hazard::Kind::Dead, 1'000'000 + core,
                 [&] { return say("{} stops: its clock source does not run.", device_.cores[core].name); },
                 {Place::Kind::Clock, device_.clocks[clock].id, {}});
    // A core that stands still for a moment is a glitch that no core survives; the select that did it is named.
    for (ClockIndex i = 0; i < clocks_.count(); ++i) {
        const ClockNode& node = device_.clocks[i];
        if (node.type != ClockNode::Type::Select || node.tier == "kernel" || !node.control.valid())
            continue;
        const std::uint32_t code = registers_.code(node.control);
        for (const ClockInput& input : node.inputs)
            if (input.code == code && input.node >= 0 && clocks_.clock(input.node).rate.isZero() &&
                !clocks_.clock(i).rate.isZero())
                tell(Hazard::Kind::Select, i,
                     [&] {
                         return say("{} is switched to {}, which does not run.", node.name,
                                    device_.clocks[input.node].name);
                     },
                     {Place::Kind::Clock, node.id, {}});
    }
    broken_ = std::move(now);
}

} // namespace bindrel
