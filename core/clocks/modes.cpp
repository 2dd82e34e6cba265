// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/modes.h"

#include "core/plan/clock_decision.h"
#include "core/plan/kind.h"

#include <algorithm>

namespace bindrel {

namespace {

template <typename Kind> bool has(const std::vector<Kind>& list, Kind item)
{
    return std::find(list.begin(), list.end(), item) != list.end();
}

/// A need that only watches a pad, and with it an external-interrupt line.
bool watchesLine(const Need& need, const BoundNeed& bound)
{
    const KindSpec* kind = findKind(need.kind);
    return kind && kind->waitsForEdges && kind->waitsForEdges(need) &&
           std::any_of(bound.seats.begin(), bound.seats.end(), [](const Seat& seat) { return seat.pad >= 0; });
}

} // namespace

ModeState modeState(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                    const LowPowerMode& mode)
{
    ModeState out;
    out.alive.assign(device.clocks.size(), false);
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockState& clock = rates.clocks[i];
        if (!clock.running || has(mode.stops, ClockIndex(int(i))))
            continue;
        const bool alive = clock.input >= 0 ? bool(out.alive[size_t(clock.input)])
                                            : mode.keepsAll || has(mode.keeps, ClockIndex(int(i)));
        out.alive[i] = alive;
        if (alive)
            out.current = out.current + device.clocks[i].draws +
                          device.clocks[i].drawsPerMegahertz *
                              (clock.rate.value * device.ranges[size_t(rates.range)].draws.value / 1'000'000);
    }
    out.current = out.current + mode.draws;
    // What is counted must come, down the whole chain.
    const auto paced = [&](NeedIndex need) {
        for (size_t hops = 0; hops <= plan.needs.size(); ++hops) {
            const KindSpec* kind = findKind(plan.needs[need].kind);
            const std::string by = kind && kind->pacedBy ? kind->pacedBy(plan.needs[need]) : std::string();
            if (by.empty())
                return true;
            const Need* other = plan.need(by);
            need = other ? NeedIndex(int(other - plan.needs.data())) : need;
            const InstanceIndex instance = other ? bindings.needs[need].instance : InstanceIndex();
            if (instance < 0 || has(mode.drops, device.instances[instance].domain) ||
                !out.alive[size_t(device.instances[instance].kernel)])
                return false;
        }
        return false;
    };
    for (const NeedIndex n : bindings.needs.indices()) {
        const InstanceIndex instance = bindings.needs[n].instance;
        const bool line = watchesLine(plan.needs[n], bindings.needs[n]);
        const bool off = instance >= 0 && has(mode.drops, device.instances[instance].domain);
        if (off)
            out.dropped.push_back(int(n));
        if (instance >= 0 && !off && out.alive[size_t(device.instances[instance].kernel)] && paced(n))
            out.working.push_back(int(n));
        const bool interrupts = instance >= 0 && !device.instances[instance].interrupts.empty();
        const bool runsOn = instance >= 0 && !off && out.alive[size_t(device.instances[instance].kernel)] && paced(n);
        if ((mode.wakesByAny && (line || (interrupts && runsOn))) || (mode.wakesByLines && line) ||
            (runsOn && has(mode.wakesBy, instance)))
            out.wakers.push_back(int(n));
    }
    out.wakeTime = mode.wakeTime;
    Duration sources, multipliers;
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockNode& node = device.clocks[i];
        if (!node.enable.valid() || !(node.isSource() || node.type == ClockNode::Type::Multiply) ||
            !rates.clocks[i].running || out.alive[i] || int(i) == mode.wakesOn)
            continue;
        out.restarted.push_back(int(i));
        if (node.isSource())
            sources = node.startup > sources ? node.startup : sources;
        else
            multipliers = node.startup > multipliers ? node.startup : multipliers;
    }
    out.fullTime = mode.wakeTime + sources + multipliers;
    return out;
}

std::optional<Waking> wakingOf(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                               const Rates& rates, const LowPowerMode& mode)
{
    if (mode.wakesOn < 0)
        return std::nullopt;
    Waking out;
    const auto turn = [&](ClockIndex clock) {
        const std::vector<ClockInput>& inputs = device.clocks[clock].inputs;
        const auto at = std::find_if(inputs.begin(), inputs.end(),
                                     [&mode](const ClockInput& input) { return input.node == mode.wakesOn; });
        if (device.clocks[clock].type != ClockNode::Type::Select || at == inputs.end())
            return false;
        out.selects.emplace_back(clock, at - inputs.begin());
        return true;
    };
    for (const ClockIndex clock : mode.wakesSelects)
        turn(clock);
    if (mode.wakesSelects.empty())
        for (const ClockIndex clock : pathToSource(rates, device.cpuClock()))
            if (turn(clock))
                break;
    const ClockNode& source = device.clocks[mode.wakesOn];
    Plan woken = plan;
    for (const auto& [select, setting] : out.selects)
        woken.clocks[device.clocks[select].id] = InputDecision{source.id};
    // What nothing uses is not set: its rate is as after reset, where no other set of clocks has left another.
    if (!rates.clocks[mode.wakesOn].used && !plan.slow)
        woken.clocks.erase(source.id);
    // It runs then, even if the plan keeps it off.
    if (runDecision(device, woken.clocks, mode.wakesOn).run == ClockRun::Off)
        woken.clocks.erase(source.id);
    out.rates = computeRates(device, board, woken, bindings);
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockState& clock = out.rates.clocks[i];
        if (!clock.running || !clock.used || pathToSource(out.rates, int(i)).back() != mode.wakesOn)
            continue;
        // Of a kernel the highest rate counts: what times its bus's users rests until the clocks are back.
        const std::optional<Frequency> most =
            device.clocks[i].tier == "kernel" ? limitIn(device, device.clocks[i], out.rates.range).max : clock.max;
        if (most && clock.rate > *most)
            out.broken.push_back(int(i));
    }
    out.flashTooSlow = !out.rates.waitStates || (rates.waitStates && *out.rates.waitStates > *rates.waitStates);
    return out;
}

} // namespace bindrel
