// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

void DeviceReader::readModes()
{
    UniqueWords words;
    for (const JsonNode& row : section("modes").items()) {
        row.allowOnly({"id", "name", "about", "keeps", "stops", "wakes_by", "wake_time", "wakes_on", "wakes_selects",
                       "enters", "deep", "drops", "retains", "draws"});
        LowPowerMode mode;
        mode.id = row.string("id");
        words.add(mode.id, row.child("id"));
        for (const LowPowerMode& other : device_.modes)
            if (other.id == mode.id)
                row.child("id").fail(say("the mode \"{}\" is described twice.", mode.id));
        mode.name = row.string("name", mode.id);
        mode.about = row.string("about", "");
        mode.deep = row.boolean("deep", false);
        if (const JsonNode keeps = row.child("keeps"); keeps.isArray()) {
            for (const JsonNode& clock : keeps.items())
                mode.keeps.push_back(clockAt(clock));
        } else if (keeps.asString() == "all") {
            mode.keepsAll = true;
        } else {
            keeps.fail(say("must be \"all\" or a list of clocks."));
        }
        for (const JsonNode& clock : row.optionalChild("stops").items())
            mode.stops.push_back(clockAt(clock));
        for (const JsonNode& waker : row.child("wakes_by").items()) {
            const std::string name = waker.asString();
            if (name == "any")
                mode.wakesByAny = true;
            else if (name == "lines")
                mode.wakesByLines = true;
            else if (isAbsent(name))
                continue;
            else
                mode.wakesBy.push_back(instanceAt(waker));
        }
        if (row.has("wake_time"))
            mode.wakeTime = row.child("wake_time").asDuration();
        if (row.has("wakes_on")) {
            mode.wakesOn = clockAt(row.child("wakes_on"));
            if (ok() && !device_.clocks[mode.wakesOn].isSource())
                row.child("wakes_on").fail(say("must be a source."));
        }
        for (const JsonNode& select : row.optionalChild("wakes_selects").items()) {
            const ClockIndex clock = clockAt(select);
            if (!ok())
                return;
            const std::vector<ClockInput>& inputs = device_.clocks[clock].inputs;
            if (mode.wakesOn < 0 || device_.clocks[clock].type != ClockNode::Type::Select ||
                std::none_of(inputs.begin(), inputs.end(),
                             [&mode](const ClockInput& input) { return input.node == mode.wakesOn; }))
                select.fail(say("must be a select that has the clock in \"wakes_on\" as an input."));
            mode.wakesSelects.push_back(clock);
        }
        for (const JsonNode& id : row.optionalChild("drops").items()) {
            std::vector<std::string> ids;
            for (const PowerDomain& domain : device_.domains)
                ids.push_back(domain.id);
            const auto at = std::find(ids.begin(), ids.end(), id.asString());
            if (at == ids.end())
                id.fail(say("\"{}\" is not a power domain of this device.{}", id.asString(),
                            didYouMean(id.asString(), ids)));
            mode.drops.push_back(static_cast<int>(at - ids.begin()));
        }
        if (row.has("draws"))
            mode.draws = row.child("draws").asCurrent();
        if (row.has("retains")) {
            mode.retains = static_cast<std::uint32_t>(row.integer("retains", 256, 1 << 30));
            for (const Core& core : device_.cores)
                if (*mode.retains > core.ramBytes)
                    row.child("retains").fail(
                        say("is more than the {} bytes of RAM that {} has.", core.ramBytes, core.id));
        }
        for (const JsonNode& field : row.optionalChild("enters").items())
            mode.enters.push_back(fieldCodeAt(field));
        if (!ok())
            return;
        device_.modes.push_back(std::move(mode));
    }
}

} // namespace bindrel
