// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/clock_goals.h"

#include "core/tuning/one_need.h"

#include <algorithm>
#include <map>

namespace bindrel {

namespace {

bool misses(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, NeedIndex n)
{
    const InstanceIndex instance = bindings.needs[n].instance;
    if (instance < 0)
        return false;
    if (!rates.clocks[device.instances[instance].kernel].running)
        return true;
    const Setting setting = numbersOfNeed(device, plan, bindings, rates, n);
    if (!setting.computed && !setting.notComputed.empty())
        return true;
    if (std::any_of(setting.achieved.begin(), setting.achieved.end(),
                    [](const Achieved& row) { return !row.ok && !row.trouble.empty(); }))
        return true;
    const Accuracy accuracy = accuracyOfNeed(device, plan, bindings, rates, n, false);
    return accuracy.stated && !accuracy.ok();
}

using Times = std::vector<std::int64_t>;

/// Its functional clock, with its tolerance.
void addTimes(Times& out, const Device& device, const Bindings& bindings, const Rates& rates, NeedIndex n)
{
    const InstanceIndex instance = bindings.needs[n].instance;
    if (instance < 0)
        return;
    const ClockState& kernel = rates.clocks[device.instances[instance].kernel];
    out.insert(out.end(), {kernel.running, kernel.rate.value.num(), kernel.rate.value.den(),
                           kernel.tolerance.low.value.num(), kernel.tolerance.low.value.den(),
                           kernel.tolerance.high.value.num(), kernel.tolerance.high.value.den()});
}

/// All of the rates that a need's answer depends on.
Times timesOf(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, NeedIndex n)
{
    Times out;
    addTimes(out, device, bindings, rates, n);
    const TuningFacet& facet = tuningOf(plan.needs[n].kind);
    if (facet.dependsOnCoreRate) {
        const CoreIndex owner = device.ownerCore(plan.needs[n].core);
        const Frequency core = rates.clocks[device.cores[owner].clock].rate;
        out.insert(out.end(), {core.value.num(), core.value.den()});
    }
    if (facet.dependsOnOtherTimers)
        for (const NeedIndex other : plan.needs.indices())
            if (other != n && tuningOf(plan.needs[other].kind).timerPeriodRate)
                addTimes(out, device, bindings, rates, other);
    return out;
}

} // namespace

std::vector<NeedIndex> needsThatMiss(const Device& device, const Plan& plan, const Bindings& bindings,
                                     const Rates& rates)
{
    std::vector<NeedIndex> out;
    for (size_t n = 0; n < plan.needs.size(); ++n)
        if (misses(device, plan, bindings, rates, n))
            out.push_back(int(n));
    return out;
}

std::function<std::vector<NeedIndex>(const Rates&)> askedOnce(const Device& device, const Plan& plan,
                                                              const Bindings& bindings)
{
    // Most candidates of a search leave most kernels as they are.
    std::vector<std::map<Times, bool>> known(plan.needs.size());
    return [&device, &plan, &bindings, known = std::move(known)](const Rates& rates) mutable {
        std::vector<NeedIndex> out;
        for (size_t n = 0; n < plan.needs.size(); ++n) {
            const auto [at, fresh] = known[n].try_emplace(timesOf(device, plan, bindings, rates, n));
            if (fresh)
                at->second = misses(device, plan, bindings, rates, n);
            if (at->second)
                out.push_back(int(n));
        }
        return out;
    };
}

std::function<std::vector<NeedIndex>(const Rates&)> newlyMissed(const Device& device, const Plan& plan,
                                                                const Bindings& bindings, const Rates& now)
{
    return [asked = askedOnce(device, plan, bindings),
            before = needsThatMiss(device, plan, bindings, now)](const Rates& rates) {
        std::vector<NeedIndex> out = asked(rates);
        std::erase_if(
            out, [&before](NeedIndex need) { return std::find(before.begin(), before.end(), need) != before.end(); });
        return out;
    };
}

} // namespace bindrel
