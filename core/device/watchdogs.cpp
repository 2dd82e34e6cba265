// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/watchdogs.h"

namespace bindrel {

bool runsFromReset(const Device& device, InstanceIndex watchdog)
{
    if (device.ability(watchdog, "runs_at_reset", 0) != 0)
        return true;
    const FieldRef on = device.roleField(watchdog, "on");
    return on.valid() && device.blockOf(watchdog).role("on")->encoding.decode(device.resetCode(on)).value_or(0) == 1;
}

std::vector<FieldCode> runningWatchdogs(const Device& device)
{
    std::vector<FieldCode> out;
    for (size_t i = 0; i < device.instances.size(); ++i) {
        if (device.blockOf(i).kind != "watchdog" || !runsFromReset(device, int(i)))
            continue;
        const FieldRef feed = device.roleField(i, "feed");
        if (!feed.valid())
            continue;
        FieldCode word{feed, 1};
        for (const EnumValue& value : device.fieldOf(feed).values)
            if (value.name == "feed")
                word.code = value.code;
        out.push_back(word);
    }
    return out;
}

} // namespace bindrel
