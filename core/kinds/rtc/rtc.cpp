// SPDX-License-Identifier: GPL-3.0-or-later
// Real-time clock.
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

namespace bindrel {

namespace {

Accuracy rtcAccuracy(const TuningContext& c)
{
    Accuracy out;
    out.given = worstOf(c);
    out.stated = c.need.goals.contains("drift");
    if (const Expected<Ppm> drift = parsePpm(goalText(c.need, "drift")))
        out.allowed = *drift;
    out.asks = out.allowed ? fmt::format("{}, {} a month", plusMinus(*out.allowed), format(driftPerMonth(*out.allowed), 3)) : std::string();
    out.effect = fmt::format("up to {} a month", format(driftPerMonth(out.given), 3));
    return out;
}

} // namespace

Kind rtcKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "rtc";
    kind.title = "Real-time clock";
    kind.instanceKind = "rtc";
    kind.goals = {{"rate", "Counts at", T::Frequency, "1 Hz", {}, ""}, {"drift", "Drift at most", T::Tolerance, "100 ppm", {}, ""}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>(); };
    kind.brief = [](const Need& need) { return goalText(need, "rate"); };
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the counter on.", {}}, {"counter", Use::Data, false, "", "The time.", {}}, {"tick", Use::Status, false, "", "A second is over.", {}},
                  {"coarse", Use::Config, false, "input cycles", "First divider.", {}}, {"fine", Use::Config, false, "", "Second divider.", {}},
                  {"hold", Use::Config, false, "", "Asks for the state in which the counter can be set.", {}}, {"held", Use::Status, false, "", "That state is reached.", {}}};
    room.tuning.accuracy = rtcAccuracy;
    return room;
}

} // namespace bindrel
