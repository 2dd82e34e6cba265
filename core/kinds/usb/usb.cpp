// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"

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

Setting solveUsb(const TuningContext& c)
{
    Setting out;
    const bool full = goalText(c.need, "speed") == "full";
    const std::string& name = c.device.instances[size_t(c.bound.instance)].name;
    const Frequency wanted = megahertz(48);
    // How accurate it must be is asked of its accuracy, with the clock's tolerance.
    const Achieved clock{"speed", "Clock", format(wanted), format(c.kernel().rate), errorOf(c.kernel().rate, wanted), true, {}, {}};
    out.achieved.push_back(clock);
    if (c.has("low_speed"))
        out.roles.push_back({"low_speed", !full, "speed"});
    else if (!full)
        out.achieved.push_back({"speed", "Speed class", "low", "full", std::nullopt, false, {}, fmt::format("{} runs at full speed alone.", name)});
    const bool sensing = goalText(c.need, "sensing") == "pad";
    if (c.has("sensing"))
        out.roles.push_back({"sensing", sensing, "sensing"});
    else if (sensing)
        out.achieved.push_back({"sensing", "Supply sensing", "pad", "none", std::nullopt, false, {}, fmt::format("{} does not sense the supply. Take an input of its own for it.", name)});
    if (c.device.ability(c.bound.instance, "endpoints", 0) > 0)
        out.achieved.push_back({"speed", "Endpoints", "", std::to_string(c.device.ability(c.bound.instance, "endpoints", 0)), std::nullopt, true, "yours to set", {}, true});
    if (goalText(c.need, "interrupt") == "yes" && c.has("bus_reset"))
        out.events.push_back({"event", "bus_reset_interrupt", "bus_reset", "bus_reset", "Called by the interrupt when the host resets the bus: set the endpoints here.", {}});
    if (c.has("on"))
        out.roles.push_back({"on", 1, ""});
    if (c.has("attach"))
        out.roles.push_back({"attach", 1, "", RoleValue::When::Start});
    return out;
}

void declareUsb(Writer& w, size_t need)
{
    w.comment("Clock, pads and the connection to the bus are set up; endpoints, descriptors and transfers are your driver's. Start shows the device to the host, stop takes it away.");
    if (w.facts.device.roleField(w.facts.bindings.needs[need].instance, "bus_reset").valid() && goalText(w.facts.plan.needs[need], "interrupt") != "yes") {
        w.comment("Whether the host has reset the bus since this was last asked.");
        w.linef("bool {}_was_reset(void);", w.names.need(need));
    }
}

void defineUsb(Writer& w, size_t need)
{
    const int instance = w.facts.bindings.needs[need].instance;
    const FieldRef flag = w.facts.device.roleField(instance, "bus_reset");
    if (!flag.valid() || goalText(w.facts.plan.needs[need], "interrupt") == "yes")
        return;
    w.line();
    w.linef("bool {}_was_reset(void)", w.names.need(need));
    w.line("{");
    takeFlag(w, instance, "bus_reset");
    w.line("    return true;");
    w.line("}");
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
        {"interrupt", "Interrupt", T::Choice, "no", {"no", "yes"}, "When the host resets the bus.", 0, 0, true},
                  priorityGoal(),
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
    kind.roles = {{"on", Use::Config, false, "", "Switches the device on.", {}}, {"attach", Use::Config, false, "", "Shows the device to the host.", {}}, {"low_speed", Use::Config, false, "", "1: low speed; without it the device runs at full speed alone.", {}},
                  {"bus_reset", Use::Status, false, "", "The host resets the bus.", {}}, {"bus_reset_interrupt", Use::Config, false, "", "Lets that interrupt. Without it, it always does.", {}}, {"sensing", Use::Config, false, "", "The supply of the bus is sensed.", {}}};
    kind.instanceEvents = {{"event", "Anything on the bus."}, {"wake", "The host wakes the device."}};
    room.tuning.solve = solveUsb;
    room.source = {declareUsb, defineUsb, {"was_reset", "bus_reset"}};
    kind.abilities = {{"endpoints", "Numbers of endpoints, each with both directions."}};
    kind.instanceSignals = {{"DP", "Data +."}, {"DM", "Data -."}, {"SENSE", "Supply of the bus."}};
    room.tuning.accuracy = usbAccuracy;
    return room;
}

} // namespace bindrel
