// SPDX-License-Identifier: GPL-3.0-or-later
// The firmware's own needs of time, which take an instance and no pad; and a clock led out of the chip, which takes one.
#include "core/plan/kind.h"

namespace bindrel {

namespace {
std::vector<SignalSpec> noSignals(const Need&) { return {}; }
} // namespace

KindSpec intervalKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "interval";
    kind.title = "Interval";
    kind.instanceKind = "timer";
    kind.goals = {{"period", "Period", T::Duration, "1 ms", {}, "Between two interrupts."}};
    kind.signals = noSignals;
    kind.brief = [](const Need& need) { return goalText(need, "period"); };
    return kind;
}

KindSpec rtcKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "rtc";
    kind.title = "Real-time clock";
    kind.instanceKind = "rtc";
    kind.goals = {{"rate", "Counts at", T::Frequency, "1 Hz", {}, ""}, {"drift", "Drift at most", T::Tolerance, "100 ppm", {}, ""}};
    kind.signals = noSignals;
    kind.brief = [](const Need& need) { return goalText(need, "rate"); };
    return kind;
}

KindSpec watchdogKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "watchdog";
    kind.title = "Watchdog";
    kind.instanceKind = "watchdog";
    kind.goals = {{"period", "Resets after", T::Duration, "1 s", {}, "At least this long without a refresh, with the slowest clock."},
                  {"window", "Closed window", T::Ratio, "0 %", {}, "Of the period, in which a refresh is too early.", 0, 0, true}};
    kind.signals = noSignals;
    kind.brief = [](const Need& need) { return goalText(need, "period"); };
    return kind;
}

KindSpec clockOutKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "clockout";
    kind.title = "Clock output";
    kind.instanceKind = "clockout";
    kind.goals = {{"rate", "Rate", T::Frequency, "1 MHz", {}, "At the pad."}};
    kind.signals = [](const Need&) { return std::vector<SignalSpec>{{"out", "output", "OUT", -1, SignalSpec::Direction::Out, false}}; };
    kind.fastest = [](const Need& need, std::string_view) { return goalRate(need, "rate"); };
    kind.brief = [](const Need& need) { return goalText(need, "rate"); };
    return kind;
}

} // namespace bindrel
