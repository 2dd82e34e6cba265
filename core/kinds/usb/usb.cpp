// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/kind.h"
#include "core/quantity/format.h"

namespace bindrel {

namespace {

/// USB 2.0, 7.1.11: 0.25 % at full speed, 1.5 % at low speed.
Accuracy usbAccuracy(const TuningContext& c)
{
    const bool full = goalText(c.need, "speed") == "full";
    const Frequency wanted = megahertz(48);
    Accuracy out;
    out.rate = wanted;
    out.allowed = Ppm(full ? 2'500 : 15'000);
    out.given = Ppm(errorOf(c.kernel().rate, wanted).value.abs() + worstOf(c).value);
    out.asks = fmt::format("48 MHz {}", plusMinus(*out.allowed));
    out.effect = fmt::format("{} data rate, {} speed", plusMinus(out.given), full ? "full" : "low");
    return out;
}

} // namespace

Kind usbKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "usb";
    kind.title = "USB device";
    kind.instanceKind = "usb";
    kind.goals = {
        {"speed", "Speed class", T::Choice, "full", {"full", "low"}, "Full: 12 Mbit/s; low: 1.5 Mbit/s."},
        {"sensing", "Supply sensing", T::Choice, "none", {"none", "pad"}, "None: the board cannot tell whether a host is attached."},
    };
    kind.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out{{"dp", "data plus", "DP", -1, D::Both, false}, {"dm", "data minus", "DM", -1, D::Both, false}};
        if (goalText(need, "sensing") == "pad")
            out.push_back({"sense", "supply sensing", "SENSE", -1, D::In, false});
        return out;
    };
    kind.brief = [](const Need& need) { return goalText(need, "speed") + " speed"; };
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the device on.", {}}, {"attach", Use::Config, false, "", "Shows the device to the host.", {}},
                  {"bus_reset", Use::Status, false, "", "The host resets the bus.", {}}, {"sensing", Use::Config, false, "", "The supply of the bus is sensed.", {}}};
    kind.abilities = {{"endpoints", "Numbers of endpoints, each with both directions."}};
    kind.instanceSignals = {{"DP", "Data +."}, {"DM", "Data -."}, {"SENSE", "Supply of the bus."}};
    room.tuning.accuracy = usbAccuracy;
    return room;
}

} // namespace bindrel
