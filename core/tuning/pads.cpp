// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/pads.h"

#include <algorithm>

namespace bindrel {

const char* nameOf(PadSetup::Pull pull)
{
    return pull == PadSetup::Pull::Up ? "up" : pull == PadSetup::Pull::Down ? "down" : "none";
}

const char* nameOf(PadSetup::Drive drive)
{
    return drive == PadSetup::Drive::Strong ? "strong" : drive == PadSetup::Drive::Medium ? "medium" : "weak";
}

namespace {

void setUpGpio(PadSetup& setup, const Device& device, const Need& need)
{
    const Pad& pad = device.pads[size_t(setup.pad)];
    setup.code = pad.function.valid() ? pad.portCode : -1;
    setup.gpio = true;
    setup.output = goalText(need, "direction") == "output";
    const std::string pull = goalText(need, "pull");
    setup.pull = pull == "up" ? PadSetup::Pull::Up : pull == "down" ? PadSetup::Pull::Down : PadSetup::Pull::None;
    setup.because = "as the need asks";
    if (setup.output) {
        setup.levelHigh = goalText(need, "level") == "high";
        setup.openDrain = goalText(need, "open_drain") == "yes";
        const std::string drive = goalText(need, "drive");
        setup.drive = drive == "strong" ? PadSetup::Drive::Strong : drive == "medium" ? PadSetup::Drive::Medium : PadSetup::Drive::Weak;
        return;
    }
    const std::string edges = goalText(need, "edges");
    if (edges == "none")
        return;
    setup.line = device.linesInPorts ? pad.bit : pad.line;
    setup.rising = edges != "falling";
    setup.falling = edges != "rising";
}

/// What a peripheral's signal sensibly gets when nobody says otherwise.
void setUpPeripheral(PadSetup& setup, const Need& need, const SignalSpec& signal)
{
    if (need.kind == "uart" && signal.direction == SignalSpec::Direction::In) {
        setup.pull = PadSetup::Pull::Up;
        setup.because = "the line idles high, also while nobody drives it";
    } else if (need.kind == "i2c") {
        setup.openDrain = true;
        setup.because = "the bus is pulled up on the board, devices only pull it low";
    } else if (need.kind == "pwm" && signal.id == "fault") {
        const bool low = goalText(need, "fault") == "active low";
        setup.pull = low ? PadSetup::Pull::Up : PadSetup::Pull::Down;
        setup.because = low ? "an open-drain fault output needs a pull-up" : "no fault while nobody drives it";
    } else if (need.kind == "pwm") {
        setup.drive = PadSetup::Drive::Medium;
        setup.because = "edges fast enough for a gate driver";
    }
}

} // namespace

std::vector<PadSetup> setUpPads(const Device& device, const Plan& plan, const Bindings& bindings)
{
    std::vector<PadSetup> out;
    for (size_t n = 0; n < bindings.needs.size(); ++n) {
        const BoundNeed& bound = bindings.needs[n];
        if (bound.state != BoundNeed::State::Bound)
            continue;
        for (size_t s = 0; s < bound.seats.size(); ++s) {
            const Seat& seat = bound.seats[s];
            PadSetup setup;
            setup.pad = seat.pad;
            setup.need = static_cast<int>(n);
            setup.seat = static_cast<int>(s);
            if (seat.route < 0) {
                setUpGpio(setup, device, plan.needs[n]);
            } else {
                const Route& route = device.routes[size_t(seat.route)];
                setup.code = route.code;
                setup.wired = route.wired();
                if (seat.signal.direction == SignalSpec::Direction::Analog)
                    setup.because = "an analog pad floats";
                setUpPeripheral(setup, plan.needs[n], seat.signal);
            }
            out.push_back(std::move(setup));
        }
    }
    std::stable_sort(out.begin(), out.end(), [](const PadSetup& a, const PadSetup& b) { return a.pad < b.pad; });
    return out;
}

} // namespace bindrel
