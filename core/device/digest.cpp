// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/digest.h"

#include "core/base/text.h"

#include <algorithm>
#include <set>

namespace bindrel {

const char* nameOf(Package::Kind kind)
{
    switch (kind) {
    case Package::Kind::NoLead:
        return "no-lead";
    case Package::Kind::DualRow:
        return "dual row";
    case Package::Kind::BallGrid:
        return "ball grid";
    case Package::Kind::QuadFlat:
        break;
    }
    return "quad flat";
}

DeviceDigest digest(const Device& device)
{
    DeviceDigest out;
    std::vector<std::string> names;
    std::set<std::uint32_t> flash, ram;
    for (const Core& core : device.cores) {
        names.push_back(core.name);
        if (flash.insert(core.flashBase).second)
            out.flashBytes += core.flashBytes;
        if (ram.insert(core.ramBase).second)
            out.ramBytes += core.ramBytes;
        if (core.clock < 0)
            continue;
        const ClockNode& clock = device.clocks[core.clock];
        for (const OperatingRange& range : device.ranges) {
            const auto special = clock.limitByRange.find(range.id);
            const RateLimit& limit = special == clock.limitByRange.end() ? clock.limit : special->second;
            if (limit.max)
                out.fastest = std::max(out.fastest, *limit.max);
        }
    }
    out.cores = listed(names);
    out.pins = static_cast<int>(device.package.pins.size());
    std::set<int> reachable;
    for (const PackagePin& pin : device.package.pins)
        if (pin.pad >= 0) {
            ++out.pads;
            for (const RouteIndex route : device.pads[pin.pad].routes)
                reachable.insert(device.routes[route].instance);
        }
    for (const InstanceIndex i : device.instances.indices()) {
        const Instance& instance = device.instances[i];
        if (instance.signals.empty() || reachable.contains(static_cast<int>(i)))
            ++out.instances[device.blocks[instance.block].kind];
    }
    return out;
}

} // namespace bindrel
