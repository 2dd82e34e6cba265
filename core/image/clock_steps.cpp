// SPDX-License-Identifier: GPL-3.0-or-later
// From one set of clocks to another, and from reset: what is waited for at once and what last.
#include "core/base/say.h"
#include "core/image/clock_moves.h"

#include <algorithm>
#include <utility>

namespace bindrel {

std::vector<Step> clockSteps(const Device& device, const Rates& rates, const ClockSnapshot& from,
                             const ClockSnapshot& to, std::set<ClockIndex>* spoiled)
{
    return clockMoves(device, rates, from, to, {}, nullptr, spoiled);
}

GatesMeanwhile gatesMeanwhile(const Device& device, const Bindings& bindings, const std::set<ClockIndex>& spoiled,
                              std::string why)
{
    GatesMeanwhile out;
    std::set<FieldRef> done;
    std::string again = say("Restart what was stopped.");
    for (const BoundNeed& bound : bindings.needs) {
        if (bound.state != BoundNeed::State::Bound || bound.instance < 0)
            continue;
        const Instance& instance = device.instances[bound.instance];
        // A gate that cannot be closed again leaves its instance as it is; the rehearsal tells.
        const bool closes =
            instance.gate.valid() &&
            (instance.gateClear.valid() || device.fieldOf(instance.gate.ref).access == Field::Access::ReadWrite);
        if (!spoiled.contains(instance.kernel) || !closes || !done.insert(instance.gate.ref).second)
            continue;
        out.close.push_back(
            gateStep(device, bound.instance, false, instance.name + say(" stopped"), std::exchange(why, {})));
        out.open.push_back(
            gateStep(device, bound.instance, true, instance.name + say(" clocked"), std::exchange(again, {})));
    }
    return out;
}

namespace {

/// A source that takes longer holds up nothing that does not come from it.
const Rational kLongStartup(1, 100);

/// Sources that nothing vital waits for: neither cores, flash, buses nor multipliers come from them.
std::vector<ClockIndex> lateSourcesOf(const Device& device, const ClockSnapshot& reset, const ClockSnapshot& full)
{
    // What comes from each source in the end.
    const auto comesFrom = [&full](ClockIndex clock) { return full.trial.sourceOf(clock); };
    std::vector<ClockIndex> out;
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockNode& node = device.clocks[i];
        if (!node.isSource() || !reset.trial.clocks[i].off || full.trial.clocks[i].off || !node.ready.valid() ||
            node.startup.value < kLongStartup)
            continue;
        bool awaited = comesFrom(size_t(device.flashClock)) == int(i);
        for (const Core& core : device.cores)
            awaited = awaited || comesFrom(size_t(core.clock)) == int(i);
        for (const Instance& instance : device.instances)
            awaited = awaited || (full.live[size_t(instance.bus)] && instance.bus != int(i) &&
                                  comesFrom(size_t(instance.bus)) == int(i));
        for (const ClockIndex k : device.clocks.indices())
            awaited = awaited || (device.clocks[k].type == ClockNode::Type::Multiply && !full.trial.clocks[k].off &&
                                  comesFrom(k) == int(i));
        if (!awaited)
            out.push_back(int(i));
    }
    return out;
}

/// The stand to reach before the late sources have come: what hangs on them is as after reset.
ClockSnapshot withoutLate(const Device& device, const ClockSnapshot& reset, const ClockSnapshot& full,
                          const std::vector<ClockIndex>& lateSources)
{
    const auto late = [&lateSources](int source) {
        return std::find(lateSources.begin(), lateSources.end(), source) != lateSources.end();
    };
    ClockSnapshot middle = full;
    for (const ClockIndex k : device.clocks.indices()) {
        const ClockNode& node = device.clocks[k];
        TrialClock& clock = middle.trial.clocks[k];
        if (!node.isSource() && late(full.trial.sourceOf(k))) {
            clock.setting = reset.trial.clocks[k].setting;
            clock.off = node.enable.valid() ? reset.trial.clocks[k].off : clock.off;
            middle.live[k] = false;
        }
        if (node.isSource() && late(int(k)))
            middle.monitored[k] = false;
        if (node.trim && node.trim->by >= 0 && late(node.trim->by))
            clock.trimmed = false;
    }
    middle.trial.computeAll();
    return middle;
}

ClockBringUp bringUpFrom(const Device& device, const Rates& rates, const AwaitedClock& from, const ClockSnapshot& reset,
                         const ClockSnapshot& full, std::vector<ClockIndex> lateSources)
{
    ClockBringUp out;
    out.lateSources = std::move(lateSources);
    const ClockSnapshot middle = withoutLate(device, reset, full, out.lateSources);
    MoveOptions first{out.lateSources, from.opened, {}};
    for (const ClockIndex source : from.pending)
        if (!full.trial.clocks[source].off &&
            std::find(out.lateSources.begin(), out.lateSources.end(), source) == out.lateSources.end())
            first.awaitFirst.push_back(source);
    out.steps = clockMoves(device, rates, from.stand, middle, first, &out.awaited);
    if (out.lateSources.empty())
        return out;
    // Gates of what has not been written yet are still closed.
    std::vector<InstanceIndex> opened = from.opened;
    for (const Step& step : out.steps)
        opened.push_back(step.instance);
    for (Step& step : clockMoves(device, rates, middle, full, {{}, opened, out.lateSources}, nullptr)) {
        step.phase = Step::Phase::Late;
        out.steps.push_back(std::move(step));
    }
    return out;
}

} // namespace

ClockBringUp bringUpSteps(const Device& device, const Rates& rates, const ClockSnapshot& reset,
                          const ClockSnapshot& full)
{
    return bringUpFrom(device, rates, {-1, reset, {}, {}}, reset, full, lateSourcesOf(device, reset, full));
}

ClockBringUp bringUpSteps(const Device& device, const Rates& rates, const AwaitedClock& from,
                          const ClockSnapshot& reset, const ClockSnapshot& full, const std::vector<ClockIndex>& late)
{
    const auto pending = [&from](int source) {
        return std::find(from.pending.begin(), from.pending.end(), source) != from.pending.end();
    };
    std::vector<ClockIndex> now = lateSourcesOf(device, reset, full);
    std::erase_if(now, [&](ClockIndex source) { return !from.stand.trial.clocks[source].off && !pending(source); });
    return bringUpFrom(device, rates, from, reset, full, now == late ? now : std::vector<ClockIndex>());
}

} // namespace bindrel
