// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/pads.h"

#include "core/base/say.h"
#include "core/plan/pin_property.h"
#include "core/quantity/format.h"
#include "core/tuning/setting.h"

#include <fmt/format.h>

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

PadSetup::Pull pullNamed(std::string_view text)
{
    return text == "up" ? PadSetup::Pull::Up : text == "down" ? PadSetup::Pull::Down : PadSetup::Pull::None;
}
PadSetup::Drive driveNamed(std::string_view text)
{
    return text == "strong"   ? PadSetup::Drive::Strong
           : text == "medium" ? PadSetup::Drive::Medium
                              : PadSetup::Drive::Weak;
}

bool PadSetup::isSaid(std::string_view property) const
{
    return std::find(said.begin(), said.end(), property) != said.end();
}

std::size_t driveIndex(const Pad& pad, PadSetup::Drive drive)
{
    const std::size_t count = pad.drives.size();
    return count == 0 || drive == PadSetup::Drive::Weak ? 0 : drive == PadSetup::Drive::Strong ? count - 1 : count / 2;
}

namespace {
/// Strengths are those of the data sheet, weakest first; a pad with fewer has the same for several settings.
Current strengthOf(const Pad& pad, PadSetup::Drive drive)
{
    return pad.drives.empty() ? Current() : pad.drives[driveIndex(pad, drive)];
}
} // namespace

Current padGives(const Pad& pad, PadSetup::Drive drive)
{
    return strengthOf(pad, drive);
}

Frequency padToggles(const Pad& pad, PadSetup::Drive drive, bool fast)
{
    Frequency able = pad.maxToggle;
    if (!pad.drives.empty() && pad.drives.back().value > Rational(0))
        able = Frequency(able.value * strengthOf(pad, drive).value / pad.drives.back().value);
    return !fast && pad.slowToggle.value > Rational(0) ? std::min(able, pad.slowToggle) : able;
}

namespace {

/// The weakest drive and the slowest edges that carry a rate: fast edges only make noise.
void setUpForRate(PadSetup& setup, const Pad& pad, PadSetup::Drive least)
{
    using Drive = PadSetup::Drive;
    setup.drive = least;
    setup.fast = false;
    if (!(setup.toggles.value > Rational(0)))
        return;
    for (const bool fast : {false, true})
        for (const Drive drive : {Drive::Weak, Drive::Medium, Drive::Strong}) {
            if (drive < least)
                continue;
            const Frequency able = padToggles(pad, drive, fast);
            if (able.value.isZero() || able >= setup.toggles) {
                setup.drive = drive;
                setup.fast = fast;
                if (drive > least || fast)
                    setup.because = say("its {} need {}{}", format(setup.toggles),
                                        drive > least ? std::string(nameOf(drive)) + say(" drive") : say("fast edges"),
                                        drive > least && fast ? say(" and fast edges") : "");
                return;
            }
        }
    setup.drive = Drive::Strong;
    setup.fast = true;
    setup.because = say("its {} exceed what the pad can do", format(setup.toggles));
}

/// What a signal sensibly gets when nobody says otherwise: what its rate asks for, then what its kind knows.
void setUpSensibly(PadSetup& setup, const Device& device, const Need& need, const SignalSpec& signal)
{
    using Direction = SignalSpec::Direction;
    if (signal.direction == Direction::Analog)
        setup.because = say("an analog pad floats");
    if (signal.direction == Direction::Out && !setup.gpio)
        setUpForRate(setup, device.pads[setup.pad], static_cast<PadSetup::Drive>(findKind(need.kind)->leastDrive));
    if (const auto ask = tuningOf(need.kind).setUpPad)
        ask(setup, device, need, signal);
}

/// What the plan says of the pad goes before what follows from the signal.
void takeWhatIsSaid(PadSetup& setup, const Need& need, const SignalSpec& signal)
{
    const auto said = [&](const char* property) {
        const std::optional<std::string> value = pinProperty(need, signal.id, property);
        if (value)
            setup.said.emplace_back(property);
        return value;
    };
    if (const auto pull = said("pull"))
        setup.pull = pullNamed(*pull);
    if (const auto drive = said("drive"))
        setup.drive = driveNamed(*drive);
    if (const auto speed = said("speed"))
        setup.fast = *speed == "fast";
    if (const auto drain = said("open_drain"))
        setup.openDrain = *drain == "yes";
    if (const auto level = said("level"))
        setup.levelHigh = *level == "high";
}

} // namespace

std::vector<PadSetup> setUpPads(const Device& device, const Plan& plan, const Bindings& bindings,
                                const IndexVector<NeedIndex, Setting>& settings)
{
    std::vector<PadSetup> out;
    for (const NeedIndex n : bindings.needs.indices()) {
        const BoundNeed& bound = bindings.needs[n];
        if (bound.state != BoundNeed::State::Bound)
            continue;
        for (size_t s = 0; s < bound.seats.size(); ++s) {
            const Seat& seat = bound.seats[s];
            PadSetup setup;
            setup.pad = seat.pad;
            setup.need = static_cast<int>(n);
            setup.seat = static_cast<int>(s);
            setup.gpio = seat.route < 0;
            if (seat.route >= 0) {
                const Route& route = device.routes[seat.route];
                setup.code = route.code;
                setup.wired = route.wired();
                setup.toggles = fastestOf(plan.needs[n], seat.signal.id);
                if (setup.toggles.value > Rational(0) && settings[n].pace < Rational(1))
                    setup.toggles = setup.toggles * settings[n].pace;
            }
            setUpSensibly(setup, device, plan.needs[n], seat.signal);
            takeWhatIsSaid(setup, plan.needs[n], seat.signal);
            out.push_back(std::move(setup));
        }
    }
    std::stable_sort(out.begin(), out.end(), [](const PadSetup& a, const PadSetup& b) { return a.pad < b.pad; });
    return out;
}

} // namespace bindrel
