// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/common/interrupt_load.h"

#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

namespace bindrel {

constexpr std::int64_t kCyclesOfInterrupt = 100;

Achieved interruptLoad(const TuningContext& c, const std::string& goal, const Frequency& rate)
{
    const CoreIndex core = c.device.ownerCore(c.need.core);
    const Frequency cpu = c.rates.clocks[size_t(c.device.cores[size_t(core)].clock)].rate;
    const Ratio load(rate.value * kCyclesOfInterrupt / cpu.value);
    Achieved row{goal,
                 "Interrupt load",
                 "< 50 %",
                 say(c, load, 3),
                 std::nullopt,
                 load.value < Rational(1, 2),
                 say(c, "{} cycles \u00d7 {} / {}", kCyclesOfInterrupt, say(c, rate), say(c, cpu)),
                 {},
                 true};
    if (!row.ok)
        row.trouble =
            say(c, "at {} cycles per interrupt, interrupts would use all CPU time. Choose a longer time, or use DMA.",
                kCyclesOfInterrupt);
    return row;
}

} // namespace bindrel
