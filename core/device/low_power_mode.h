// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/block.h"

#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// A mode in which the cores wait and some or all clocks stand still.
struct LowPowerMode {
    std::string id;   ///< "STOP"
    std::string name; ///< "Stop"
    std::string about;
    bool keepsAll = false;
    std::vector<ClockIndex> keeps;      ///< sources that run on; what comes from them does too
    std::vector<ClockIndex> stops;      ///< clocks that stand still even so, with what comes from them
    bool wakesByAny = false;            ///< any interrupt
    bool wakesByLines = false;          ///< external-interrupt lines
    std::vector<InstanceIndex> wakesBy; ///< instances whose interrupts wake
    Duration wakeTime;                  ///< until the core runs again
    ClockIndex wakesOn =
        -1; ///< source that the system clock is taken from after waking, multipliers off; -1: all as before
    /// Selects that stand at it then; empty: the select next to the first core that has it as an input.
    std::vector<ClockIndex> wakesSelects;
    Current draws; ///< of the whole chip in it, beside the clocks that run on; zero when the data sheet says nothing
    std::vector<DomainIndex>
        drops; ///< power domains that are off meanwhile: their registers are as after reset afterwards
    /// Bytes from the beginning of each core's RAM that keep their content; empty: all of it.
    std::optional<std::uint32_t> retains;
    std::vector<FieldCode> enters; ///< to be set before the core's wait instruction
    bool deep = false;             ///< the core's own deep-sleep bit must be set too
};

} // namespace bindrel
