// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/findings/finding.h"

#include <cstdint>
#include <string>
#include <vector>

namespace bindrel {

/// Time on the simulated chip since its reset, in picoseconds.
using Moment = std::int64_t;
inline constexpr Moment kMicrosecond = 1'000'000;
inline constexpr Moment kSecond = 1'000'000'000'000;

/// Something that a board would suffer from, or that would leave it other than planned.
struct Hazard {
    enum class Kind {
        Limit,        ///< a clock outside what it may be, at that moment
        WaitStates,   ///< the flash is read faster than its wait states carry
        Frozen,       ///< a control is changed while what it belongs to runs
        Closed,       ///< a register is used whose instance has no clock or is held in reset
        Lost,         ///< a write that the hardware ignores
        NoRegister,   ///< an access to where nothing is, or of the wrong width
        Dead,         ///< a core, or what must not stop, stands still
        Select,       ///< a clock is selected that does not run
        Never,        ///< something is waited for that cannot come, or the program does not come back
        TimeoutShort, ///< a time-out ends before the chip had its time
        TimeoutLong,  ///< a time-out holds the program up many times longer than the chip needs
        Watchdog,     ///< it bites
        Pad,          ///< a pad is driven as the plan forbids
        Outcome,      ///< at the end a register does not hold what was planned
        Program,      ///< the written program does something else than was planned
    };
    Kind kind = Kind::Outcome;
    Moment at = 0;
    int operation = -1; ///< into Rehearsal::operations; -1: before or after all of them
    std::string text;   ///< what is, and why it matters
    Place place;
};

/// "limit", "wait-states", …: for reports.
const char* nameOf(Hazard::Kind kind);
/// "12 ms", "850 ns": to three digits.
std::string momentText(Moment span);

} // namespace bindrel
