// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/common/interrupt_load.h"

#include "core/base/say.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

namespace bindrel {

constexpr std::int64_t kCyclesOfInterrupt = 100, kOwnCycles = 40; // own: without the user's function

Duration handlerTime(const TuningContext& c)
{
    const CoreIndex core = c.device.ownerCore(c.need.core);
    const Frequency cpu = c.rates.clocks[c.device.cores[core].clock].rate;
    const std::optional<Duration> takes = goalAs<Duration>(c.need, "takes");
    return Duration(takes ? takes->value + Rational(kOwnCycles) / cpu.value : Rational(kCyclesOfInterrupt) / cpu.value);
}

Achieved interruptLoad(const TuningContext& c, const std::string& goal, const Frequency& rate)
{
    const CoreIndex core = c.device.ownerCore(c.need.core);
    const Frequency cpu = c.rates.clocks[c.device.cores[core].clock].rate;
    const std::optional<Duration> takes = goalAs<Duration>(c.need, "takes");
    const Ratio load(rate.value * handlerTime(c).value);
    Achieved row{goal,
                 say("Interrupt load"),
                 "< 50 %",
                 formatIfNeeded(c, load, 3),
                 std::nullopt,
                 load.value < Rational(1, 2),
                 takes ? formatIfNeeded(c, "({} + {} cycles) \u00d7 {}", formatIfNeeded(c, *takes), kOwnCycles,
                                        formatIfNeeded(c, rate))
                       : formatIfNeeded(c, "{} cycles \u00d7 {} / {}", kCyclesOfInterrupt, formatIfNeeded(c, rate),
                                        formatIfNeeded(c, cpu)),
                 {},
                 true};
    if (!row.ok)
        row.trouble =
            takes ? formatIfNeeded(
                        c,
                        "its handler runs for {} each time, half of all CPU time or more. Choose a longer time, or use "
                        "DMA.",
                        formatIfNeeded(c, *takes))
                  : formatIfNeeded(
                        c,
                        "at {} cycles per interrupt, interrupts would use all CPU time. Choose a longer time, or use "
                        "DMA.",
                        kCyclesOfInterrupt);
    return row;
}

} // namespace bindrel
