// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/load_device.h"
#include "tests/support/fixtures.h"

#include <nlohmann/json.hpp>

/// A shipped family whose file is changed here and there, to see what the loader, the C and the judge make of it.
namespace bindrel::test {

using Json = nlohmann::ordered_json;

struct EditedChip {
    std::string folder, family, member;
    Json json;

    EditedChip(const std::string& name, std::string memberFile)
        : folder("devices/" + name + "/"), family(name + ".json"), member(std::move(memberFile)),
          json(Json::parse(textOf(dataPath(folder + family)), nullptr, true, true))
    {
    }
    static EditedChip sedge() { return {"sedge", "se4332-c64.json"}; }
    static EditedChip rill() { return {"rill", "rl1224-q48.json"}; }
    static EditedChip alder() { return {"alder", "al7654-f144.json"}; }

    Json& clock(const std::string& id)
    {
        for (Json& clock : json["clocks"])
            if (clock["id"] == id)
                return clock;
        qFatal("no clock %s", id.c_str());
    }
    Json& block(const std::string& name) { return json["blocks"][name]; }

    Expected<Device> device() const
    {
        return parseDevice(textOf(dataPath(folder + member)), "own.json", json.dump(1), "family.json");
    }
    std::shared_ptr<const Snapshot> with(LoadedPlan work) const
    {
        const Expected<Device> device = this->device();
        if (!device)
            qFatal("%s", device.problem().text().c_str());
        work.device = std::make_shared<const Device>(*device);
        return run(work);
    }
    /// Why the file is refused; empty when it is not.
    std::string refusal() const
    {
        const Expected<Device> device = this->device();
        return device ? std::string() : device.problem().text();
    }
};

} // namespace bindrel::test
