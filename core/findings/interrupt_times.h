// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/findings/finding.h"

#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace bindrel {

/// Entry, telling flags apart and exit of a handler, in cycles of its core, beside the user's functions.
inline constexpr std::int64_t kHandlerCycles = 40;
/// What a handler with its functions takes when nobody states it, in cycles of its core.
inline constexpr std::int64_t kAssumedCycles = 100;

/// A need that an interrupt tells of something.
struct InterruptUse {
    NeedIndex need;
    std::string event;
    FieldRef flag;    ///< invalid: the interrupt alone tells
    Frequency rate;   ///< how often at most; zero: nobody can say
    bool own = false; ///< the need's own C has the function
};
/// All of them, by core and number of the interrupt.
using InterruptUses = std::map<std::pair<CoreIndex, int>, std::vector<InterruptUse>>;
InterruptUses interruptClients(const Facts& facts);

/// How late an interrupt's handler can be through, at worst.
struct InterruptTime {
    CoreIndex core = 0;
    int number = -1;
    std::vector<NeedIndex> needs;    ///< whom it tells
    Rational level;                  ///< the smaller the more urgent
    Duration takes;                  ///< with entry and exit, all of its events at once
    bool stated = false;             ///< by the goal "takes" of each of its needs; else 100 core cycles are taken
    std::optional<Duration> every;   ///< the least time between two of its events; empty: nobody can say
    Ratio load;                      ///< of its core; zero when nobody can say
    std::optional<Duration> blocked; ///< by one that is less urgent and runs already, where handlers do not nest
    std::optional<Duration>
        worst; ///< from the event until its handler is through; empty: no bound, the core is overloaded
    bool late() const { return every && (!worst || *worst > *every); }
};

/// Of every interrupt that a need uses, by core, the most urgent first. Response-time analysis for fixed priorities:
/// R = B + C + sum of ceil(R / T) x C over all that are as urgent or more urgent (M. Joseph, P. Pandya, "Finding
/// response times in a real-time system", 1986). Those without a known rate are counted once. Arm cores let a more
/// urgent interrupt pre-empt; on RISC-V the generated start-up does not nest them, so that the longest less urgent one
/// comes first.
std::vector<InterruptTime> interruptTimes(const Facts& facts);

} // namespace bindrel
