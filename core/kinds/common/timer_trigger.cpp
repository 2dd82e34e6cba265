// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/common/timer_trigger.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

/// The rate of the periods of a need that has a timer; zero for others.
Frequency periodRateOf(const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    return kind && kind->nominalTriggerRate ? kind->nominalTriggerRate(need) : Frequency();
}

} // namespace

std::optional<TimerTrigger> timerTrigger(const TuningContext& c, const std::string& by, const Frequency& rate,
                                         std::string& trouble)
{
    const FieldRef field = c.device.roleField(c.bound.instance, "trigger");
    const std::string& name = c.device.instances[c.bound.instance].name;
    std::vector<std::string> timers;
    if (field.valid())
        for (const EnumValue& value : c.device.fieldOf(field).values)
            if (c.device.findInstance(value.name) >= 0)
                timers.push_back(value.name);
    if (timers.empty()) {
        trouble = formatIfNeeded(c, "{} can only be started by software. Start it in a tick function.", name);
        return std::nullopt;
    }
    for (const NeedIndex n : c.plan.needs.indices()) {
        const Need& other = c.plan.needs[n];
        const InstanceIndex instance = c.bindings.needs[n].instance;
        const bool named = other.id == by;
        if (instance < 0 || (!by.empty() && !named) || (by.empty() && !(periodRateOf(other) == rate)))
            continue;
        for (const EnumValue& value : c.device.fieldOf(field).values)
            if (value.name == c.device.instances[instance].name) {
                if (c.look)
                    c.look->startedBy = other.id;
                return TimerTrigger{value.code, other.id, other.title, periodRateOf(other)};
            }
        if (named) {
            trouble = formatIfNeeded(c, "{} is on {}, which does not start {}: only {} can.", other.title,
                                     c.device.instances[instance].name, name, listed(timers));
            return std::nullopt;
        }
    }
    trouble =
        by.empty()
            ? formatIfNeeded(
                  c, "no need has a timer of {} that starts {}: {} can. Add an interval of {}, or name another need.",
                  formatIfNeeded(c, rate), name, listed(timers), formatIfNeeded(c, period(rate)))
            : formatIfNeeded(c, "there is no bound need \"{}\".", by);
    return std::nullopt;
}

Achieved triggerRow(const std::optional<TimerTrigger>& trigger, const Frequency& rate, const std::string& trouble)
{
    Achieved row{"trigger",
                 say("Started by"),
                 say("timer at ") + format(rate),
                 trigger ? fmt::format("{}, {}", trigger->title, format(trigger->rate)) : "nothing",
                 std::nullopt,
                 trigger.has_value(),
                 {},
                 trouble};
    if (trigger && trigger->rate != rate) {
        row.ok = false;
        row.trouble = say("that timer triggers {} times per second. Choose that rate, or name another need.",
                          format(trigger->rate));
    }
    return row;
}

} // namespace bindrel
