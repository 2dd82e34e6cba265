// SPDX-License-Identifier: GPL-3.0-or-later
// What the bring-up does instead when a clock does not start in its time, as the plan's policy wants it.
#include "core/base/say.h"
#include "core/image/clock_steps.h"
#include "core/plan/clock_set.h"
#include "core/tuning/one_need.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

bool sameOperation(const Step& a, const Step& b)
{
    return a.kind == b.kind && a.instance == b.instance && a.reg == b.reg && a.mask == b.mask && a.value == b.value &&
           a.timeout == b.timeout && a.coreRate <= b.coreRate && a.from == b.from;
}

std::vector<const Step*> lateOf(const std::vector<Step>& steps)
{
    std::vector<const Step*> out;
    for (const Step& step : steps)
        if (step.phase == Step::Phase::Late)
            out.push_back(&step);
    return out;
}

class FallBackMaking {
public:
    FallBackMaking(const Image& image, const FallBackFacts& facts, const ClockSnapshot& reset)
        : image_(image), f_(facts), device_(facts.device), reset_(reset)
    {
    }

    /// Empty when nothing can run without the clock.
    std::optional<FallBack> without(const AwaitedClock& awaited)
    {
        const ClockIndex clock = awaited.clock;
        FallBack out;
        out.clock = clock;
        out.awaited = device_.clocks[clock].ready.ref;
        if (f_.plan.onFailure == OnFailure::FallBack && f_.plan.slow && !image_.slowRates->clocks[clock].running) {
            out.toSlow = true;
            if (works(out, *f_.plan.slow))
                return finished(std::move(out), awaited);
            out.toSlow = false;
        }
        // What comes from it as after reset, or else all.
        ClockSet kept{f_.plan.range, {}};
        for (const auto& [id, value] : f_.plan.clocks)
            if (const int at = device_.findClock(id); !comesFrom(at, clock))
                kept.clocks[id] = value;
        if (works(out, kept) || works(out, {f_.plan.range, {}}))
            return finished(std::move(out), awaited);
        return std::nullopt;
    }

private:
    bool comesFrom(ClockIndex clock, int from) const
    {
        const std::vector<ClockIndex> path = pathToSource(f_.rates, clock);
        return std::find(path.begin(), path.end(), from) != path.end();
    }

    /// Rates and the needs that go on under a set of settings. False when a limit is broken, or a core or the flash
    /// stands still.
    bool works(FallBack& out, ClockSet set)
    {
        set.clocks[device_.clocks[out.clock].id] = RunDecision{{}, ClockRun::Off, {}, {}};
        plan_ = withClockSet(f_.plan, set);
        out.rates = computeRates(device_, f_.board, plan_, f_.bindings);
        const auto runs = [&out](ClockIndex clock) { return out.rates.clocks[clock].running; };
        if (!runs(device_.flashClock) || !out.rates.waitStates ||
            !std::all_of(device_.cores.begin(), device_.cores.end(),
                         [&](const Core& core) { return runs(core.clock); }))
            return false;
        leave(out);
        for (const ClockIndex i : device_.clocks.indices()) {
            const ClockState& state = out.rates.clocks[i];
            const bool idle = device_.clocks[i].tier == "kernel" &&
                              std::all_of(state.users.begin(), state.users.end(),
                                          [&out](NeedIndex need) { return out.left.contains(need); });
            if (const auto broken = limitBreak(state);
                state.running && state.used && !idle && broken && !broken->toleranceOnly)
                return false;
        }
        return true;
    }

    /// A need goes on when its settings mean the same, and its clock is as accurate as it asks.
    void leave(FallBack& out) const
    {
        out.left.clear();
        const auto steady = [&](ClockIndex clock) {
            return clock < 0 ||
                   (out.rates.clocks[clock].running && out.rates.clocks[clock].rate == f_.rates.clocks[clock].rate);
        };
        for (const NeedIndex n : f_.plan.needs.indices()) {
            const InstanceIndex instance = f_.bindings.needs[n].instance;
            const bool clocked = instance < 0 || (out.rates.clocks[device_.instances[instance].bus].running &&
                                                  steady(device_.instances[instance].kernel));
            // What a line ignores is counted in cycles of its clock.
            const auto quiet = [&](const PadSetup& setup) {
                const InstanceIndex lines = device_.linesInPorts ? device_.pads[setup.pad].port : device_.lineInstance;
                return setup.need != int(n) || setup.quiet.value.isZero() || lines < 0 ||
                       steady(device_.instances[lines].kernel);
            };
            if (!clocked || !std::all_of(f_.pads.begin(), f_.pads.end(), quiet) || !meansTheSame(n, out.rates) ||
                !accuracyOfNeed(device_, plan_, f_.bindings, out.rates, n, false).ok())
                out.left.insert(int(n));
        }
    }

    bool meansTheSame(NeedIndex need, const Rates& rates) const
    {
        const Setting& planned = f_.settings[need];
        const Setting then = numbersOfNeed(device_, plan_, f_.bindings, rates, need);
        const auto missed = [](const Setting& setting) {
            return std::count_if(setting.achieved.begin(), setting.achieved.end(),
                                 [](const Achieved& achieved) { return !achieved.ok; });
        };
        const auto sameRole = [](const RoleValue& a, const RoleValue& b) {
            return a.role == b.role && a.value == b.value;
        };
        return planned.computed == then.computed && missed(then) <= missed(planned) &&
               std::equal(planned.roles.begin(), planned.roles.end(), then.roles.begin(), then.roles.end(), sameRole);
    }

    FallBack finished(FallBack out, const AwaitedClock& awaited)
    {
        const ClockNode& node = device_.clocks[out.clock];
        out.steps.push_back(updateStep(device_,
                                       {{node.enable.ref, node.enable.code == 0 ? 1u : 0u, node.name + say(" off")}},
                                       say("{} off: it failed to start.", node.name)));
        out.steps.back().phase = Step::Phase::Clocks;
        const ClockSnapshot then = plannedStand(device_, out.rates, reset_);
        // The function for what is slow is written once, for the planned clocks: where it does not suit, all is awaited
        // at once.
        ClockBringUp bringUp = bringUpSteps(device_, out.rates, awaited, reset_, then, image_.lateSources);
        const std::vector<const Step*> late = lateOf(bringUp.steps), planned = lateOf(image_.steps);
        out.lateToo = bringUp.lateSources == image_.lateSources &&
                      std::equal(late.begin(), late.end(), planned.begin(), planned.end(),
                                 [](const Step* a, const Step* b) { return sameOperation(*a, *b); });
        if (!out.lateToo)
            bringUp = bringUpSteps(device_, out.rates, awaited, reset_, then, {});
        for (Step& step : bringUp.steps)
            if (step.phase == Step::Phase::Clocks)
                out.steps.push_back(std::move(step));
        for (size_t n = 0; !out.lateToo && n < f_.plan.needs.size(); ++n)
            if (comesLate(image_, device_, f_.bindings, f_.rates, n))
                out.left.insert(int(n));
        // A further core brings up all that it owns, or nothing.
        const auto coreOfNeed = [this](NeedIndex need) { return device_.ownerCore(f_.plan.needs[need].core); };
        for (const NeedIndex need : out.left)
            if (coreOfNeed(need) > 0)
                out.coresHeld.insert(coreOfNeed(need));
        for (size_t n = 0; n < f_.plan.needs.size(); ++n)
            if (out.coresHeld.contains(coreOfNeed(int(n))))
                out.left.insert(int(n));
        return out;
    }

    const Image& image_;
    const FallBackFacts& f_;
    const Device& device_;
    const ClockSnapshot& reset_;
    Plan plan_; ///< with the settings that are tried
};

} // namespace

Frequency fastestRate(const Image& image, const Rates& rates, ClockIndex clock)
{
    Frequency most = rates.clocks[clock].rate;
    for (const FallBack& fallBack : image.fallBacks)
        most = std::max(most, fallBack.rates.clocks[clock].rate);
    return most;
}

bool comesLate(const Image& image, const Device& device, const Bindings& bindings, const Rates& rates, NeedIndex need)
{
    const InstanceIndex instance = bindings.needs[need].instance;
    if (instance < 0 || image.lateSources.empty())
        return false;
    const std::vector<ClockIndex> path = pathToSource(rates, device.instances[instance].kernel);
    return !path.empty() &&
           std::find(image.lateSources.begin(), image.lateSources.end(), path.back()) != image.lateSources.end();
}

void appendFallBacks(Image& image, const FallBackFacts& facts, const ClockSnapshot& reset,
                     const std::vector<AwaitedClock>& awaited)
{
    FallBackMaking making(image, facts, reset);
    for (const AwaitedClock& clock : awaited) {
        // A flag that is awaited twice tells by its time-out alone not which of the waits it was.
        const FieldRef& flag = facts.device.clocks[clock.clock].ready.ref;
        if (std::count_if(awaited.begin(), awaited.end(), [&](const AwaitedClock& other) {
                return facts.device.clocks[other.clock].ready.ref == flag;
            }) > 1)
            continue;
        if (std::optional<FallBack> made = making.without(clock))
            image.fallBacks.push_back(std::move(*made));
    }
}

} // namespace bindrel
