// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/clock_goals.h"

#include "core/tuning/accuracy.h"

#include <algorithm>

namespace bindrel {

std::vector<int> needsThatMiss(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates)
{
    std::vector<int> out;
    const std::vector<Setting> settings = tune(device, plan, bindings, rates);
    const std::vector<Accuracy> accuracy = accuracyOf(device, plan, bindings, rates);
    for (size_t n = 0; n < settings.size(); ++n) {
        const int instance = bindings.needs[n].instance;
        if (instance < 0)
            continue;
        const bool stands = !rates.clocks[size_t(device.instances[size_t(instance)].kernel)].running;
        const bool missed = std::any_of(settings[n].achieved.begin(), settings[n].achieved.end(), [](const Achieved& row) { return !row.ok && !row.trouble.empty(); });
        const bool tooRough = accuracy[n].stated && !accuracy[n].ok();
        if (stands || missed || tooRough || (!settings[n].computed && !settings[n].notComputed.empty()))
            out.push_back(int(n));
    }
    return out;
}

std::function<std::vector<int>(const Rates&)> newlyMissed(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& now)
{
    return [&device, &plan, &bindings, before = needsThatMiss(device, plan, bindings, now)](const Rates& rates) {
        std::vector<int> out = needsThatMiss(device, plan, bindings, rates);
        std::erase_if(out, [&before](int need) { return std::find(before.begin(), before.end(), need) != before.end(); });
        return out;
    };
}

} // namespace bindrel
