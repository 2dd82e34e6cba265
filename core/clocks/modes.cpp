// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/modes.h"

#include <algorithm>

namespace bindrel {

namespace {

bool has(const std::vector<int>& list, int item) { return std::find(list.begin(), list.end(), item) != list.end(); }

/// A need that only watches a pad, and with it an external-interrupt line.
bool watchesLine(const Need& need)
{
    const auto edges = need.goals.find("edges");
    return need.kind == "gpio" && edges != need.goals.end() && edges->second != "none";
}

} // namespace

ModeState modeState(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, const LowPowerMode& mode)
{
    ModeState out;
    out.alive.assign(device.clocks.size(), false);
    for (size_t i = 0; i < device.clocks.size(); ++i) {
        const ClockState& clock = rates.clocks[i];
        if (!clock.running || has(mode.stops, int(i)))
            continue;
        out.alive[i] = clock.input >= 0 ? bool(out.alive[size_t(clock.input)]) : mode.keepsAll || has(mode.keeps, int(i));
    }
    for (size_t n = 0; n < bindings.needs.size(); ++n) {
        const int instance = bindings.needs[n].instance;
        const bool line = watchesLine(plan.needs[n]);
        if (instance >= 0 && out.alive[size_t(device.instances[size_t(instance)].kernel)])
            out.working.push_back(int(n));
        const bool interrupts = instance >= 0 && !device.instances[size_t(instance)].interrupts.empty();
        if ((mode.wakesByAny && (line || interrupts)) || (mode.wakesByLines && line) ||
            (instance >= 0 && has(mode.wakesBy, instance) && out.alive[size_t(device.instances[size_t(instance)].kernel)]))
            out.wakers.push_back(int(n));
    }
    out.wakeTime = mode.wakeTime;
    Duration sources, multipliers;
    for (size_t i = 0; i < device.clocks.size(); ++i) {
        const ClockNode& node = device.clocks[i];
        if (!node.enable.valid() || !rates.clocks[i].running || out.alive[i] || int(i) == mode.wakesOn)
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

} // namespace bindrel
