// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/kind.h"
#include "core/tuning/pads.h"

namespace bindrel {

/// The goals of a need as values. REQUIRES: they were checked.
struct GpioGoals {
    bool output = true;
    int width = 1;            ///< pads that are read and written as a word
    std::uint32_t levels = 0; ///< at start, the first pad lowest
    Duration debounce;        ///< shorter pulses tell nothing
    PadSetup::Pull pull = PadSetup::Pull::None;
    bool rising = false, falling = false; ///< edges that interrupt
    PadSetup::Drive drive = PadSetup::Drive::Weak;
    bool openDrain = false;

    static GpioGoals of(const Need& need);
};

void declareGpio(Writer& header, NeedIndex need);
void defineGpio(Writer& source, NeedIndex need);

} // namespace bindrel
