// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/interrupt_table.h"

#include "core/plan/toggles.h"
#include "core/source/writer.h"

#include <algorithm>
#include <map>

namespace bindrel {

std::vector<std::pair<int, InterruptClient>> interruptsOf(const Facts& f, const Names& names, NeedIndex need)
{
    std::vector<std::pair<int, InterruptClient>> out;
    if (!hasFiles(f, names, need))
        return out;
    const int vectors = f.device.cores[names.core].vectorCount;
    for (const PadSetup& setup : f.pads) {
        const InstanceIndex watcher = setup.need != static_cast<int>(need) || setup.line < 0 ? InstanceIndex()
                                      : f.device.linesInPorts ? f.device.pads[setup.pad].port
                                                              : f.device.lineInstance;
        if (watcher < 0)
            continue;
        if (const auto interrupt = f.device.lineInterrupt(watcher, setup.line);
            interrupt && interrupt->second < vectors)
            out.push_back({interrupt->second,
                           {need,
                            watcher,
                            interrupt->first,
                            "flag" + std::to_string(setup.line),
                            "edge",
                            "Called by the interrupt at each edge, with the flag already cleared.",
                            {},
                            false}});
    }
    for (const NeedEvent& event : f.settings[need].events)
        if (const std::optional<int> number = f.device.interruptOf(event.instance, event.event);
            number && *number < vectors)
            out.push_back({*number,
                           {need, event.instance, event.event, event.flag, event.function, event.about, event.rate,
                            event.own, event.enable}});
    if (const NeedIndex toggled = toggledBy(f.device, f.plan, need).need; toggled >= 0 && hasFiles(f, names, toggled))
        for (auto& [number, client] : out)
            client.toggled = toggled;
    return out;
}

std::vector<ClockAlarm> clockAlarms(const Facts& f, const Names& names)
{
    std::vector<ClockAlarm> out;
    for (ClockIndex i = 0; i < int(f.device.clocks.size()) && names.core == 0; ++i) {
        const ClockNode& node = f.device.clocks[i];
        if (!node.monitor || node.monitor->interrupt.empty() || !f.rates.clocks[i].running ||
            !f.rates.clocks[i].monitored)
            continue;
        const Instance& instance = f.device.instances[node.monitor->enable.ref.instance];
        const auto interrupt = instance.interrupts.find(node.monitor->interrupt);
        if (interrupt == instance.interrupts.end() || interrupt->second >= f.device.core().vectorCount)
            continue;
        auto at = std::find_if(out.begin(), out.end(),
                               [&](const ClockAlarm& alarm) { return alarm.number == interrupt->second; });
        if (at == out.end())
            at = out.insert(out.end(), {interrupt->second, handlerName(names, instance.name, interrupt->first), {}});
        at->clocks.push_back(int(i));
    }
    return out;
}

std::vector<InterruptVector> interruptVectors(const Facts& f, const Names& names, Handlers which)
{
    std::map<int, InterruptVector> byNumber;
    for (const NeedIndex n : f.plan.needs.indices()) {
        if (which == Handlers::Written && f.plan.leavesOut(f.plan.needs[n]))
            continue;
        for (auto& [number, client] : interruptsOf(f, names, n)) {
            InterruptVector& vector = byNumber[number];
            vector.number = number;
            if (vector.clients.empty())
                for (const auto& [event, own] : f.device.instances[client.instance].interrupts)
                    if (own == number)
                        vector.handler = handlerName(names, f.device.instances[client.instance].name, event);
            vector.clients.push_back(std::move(client));
        }
    }
    std::vector<InterruptVector> out;
    for (auto& [number, vector] : byNumber)
        out.push_back(std::move(vector));
    return out;
}

} // namespace bindrel
