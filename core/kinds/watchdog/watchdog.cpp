// SPDX-License-Identifier: GPL-3.0-or-later
// Watchdog.
#include "core/kinds/kind.h"

namespace bindrel {

Kind watchdogKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "watchdog";
    kind.title = "Watchdog";
    kind.instanceKind = "watchdog";
    kind.goals = {{"period", "Resets after", T::Duration, "1 s", {}, "At least this long without a refresh, with the slowest clock."},
                  {"window", "Closed window", T::Ratio, "0 %", {}, "Of the period, in which a refresh is too early.", 0, 0, true}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>(); };
    kind.brief = [](const Need& need) { return goalText(need, "period"); };
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the watchdog on.", {}}, {"prescaler", Use::Config, false, "input cycles", "", {}}, {"period", Use::Config, false, "ticks", "Until it bites.", {}},
                  {"window", Use::Config, false, "ticks", "In which feeding is too early.", {}}, {"feed", Use::Command, false, "", "Starts the period anew: by the value that is named feed, else by 1.", {}}};
    kind.abilities = {{"runs_at_reset", "1: it runs from reset on."}};
    room.tuning.accuracy = timeAccuracy;
    return room;
}

} // namespace bindrel
