// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/device/watchdogs.h"

namespace bindrel {

std::vector<FieldCode> runningWatchdogs(const Device& device)
{
    std::vector<FieldCode> out;
    for (size_t i = 0; i < device.instances.size(); ++i) {
        if (device.blockOf(int(i)).kind != "watchdog" || device.ability(int(i), "runs_at_reset", 0) == 0)
            continue;
        const FieldRef feed = device.roleField(int(i), "feed");
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
