// SPDX-License-Identifier: GPL-3.0-or-later
// Pads: clock gates of the ports, levels of outputs, then function and direction, so that an output starts at its level.
#include "core/image/image.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace bindrel {

void appendPinSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings, const std::vector<PadSetup>& pads)
{
    const auto add = [&image](Step step) {
        step.phase = Step::Phase::Pins;
        image.steps.push_back(std::move(step));
    };
    std::map<std::pair<int, int>, std::vector<FieldWrite>> gates;
    std::vector<int> seen;
    for (const PadSetup& setup : pads) {
        const int port = device.pads[size_t(setup.pad)].port;
        if (port < 0 || setup.code < 0 || std::find(seen.begin(), seen.end(), port) != seen.end())
            continue;
        seen.push_back(port);
        if (const FieldRef gate = device.instances[size_t(port)].gate; gate.valid())
            gates[{gate.instance, gate.reg}].push_back({gate, 1, device.instances[size_t(port)].name + " clocked"});
    }
    for (auto& [where, fields] : gates)
        add(updateStep(device, std::move(fields), "Clock the ports that are used."));

    for (const int port : seen) {
        std::vector<FieldWrite> levels;
        for (const PadSetup& setup : pads)
            if (device.pads[size_t(setup.pad)].port == port && setup.output)
                levels.push_back({device.roleField(port, "level" + std::to_string(device.pads[size_t(setup.pad)].bit)), setup.levelHigh,
                                  plan.needs[size_t(setup.need)].title + ", level"});
        if (!levels.empty() && levels.front().ref.valid())
            add(updateStep(device, std::move(levels), fmt::format("{}: levels of the outputs, before they drive.", device.instances[size_t(port)].name)));
    }
    for (const PadSetup& setup : pads) {
        const Pad& pad = device.pads[size_t(setup.pad)];
        if (pad.port < 0 || setup.code < 0)
            continue;
        const Need& need = plan.needs[size_t(setup.need)];
        const Seat& seat = bindings.needs[size_t(setup.need)].seats[size_t(setup.seat)];
        const std::string bit = std::to_string(pad.bit);
        const std::string carried = seat.route >= 0 ? device.signalName(device.routes[size_t(seat.route)]) : setup.output ? "output" : "input";
        std::vector<FieldWrite> fields;
        const auto put = [&](const char* role, std::uint32_t code, const std::string& cause) {
            if (const FieldRef ref = device.roleField(pad.port, role + bit); ref.valid())
                fields.push_back({ref, code, cause});
        };
        put("function", static_cast<std::uint32_t>(setup.code), need.title + ", " + seat.signal.title);
        put("output", setup.output, need.title + ", direction");
        // A port's bit is set up by the need's own goals, a peripheral's signal by what it sensibly gets.
        const bool byGoals = seat.route < 0;
        put("pull", static_cast<std::uint32_t>(setup.pull), byGoals ? need.title + ", pull" : setup.because);
        put("open_drain", setup.openDrain, byGoals ? need.title + ", open_drain" : setup.because);
        put("drive", static_cast<std::uint32_t>(setup.drive), byGoals ? need.title + ", drive" : setup.because);
        if (!fields.empty())
            add(writeStep(device, std::move(fields), fmt::format("{}, pin {}: {} {}, {}.", pad.name, device.pinOf(setup.pad), need.title, seat.signal.title, carried)));
    }
}

} // namespace bindrel
