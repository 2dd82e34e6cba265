// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/source/names.h"

#include <string>
#include <vector>

namespace bindrel {

/// A need that is told of something by an interrupt.
struct InterruptClient {
    NeedIndex need;
    InstanceIndex instance = -1;
    std::string event;    ///< key of Instance::interrupts
    std::string flag;     ///< role of the instance; empty or absent: the interrupt itself tells
    std::string function; ///< ending of the name of the user's function
    std::string about;
    Frequency rate;         ///< how often at most; zero: nobody can say
    bool own = false;       ///< the need's own C has the function
    std::string enable;     ///< role that lets it interrupt; empty or absent: it always does
    NeedIndex toggled = -1; ///< whose output the handler toggles; -1: none
};

/// One interrupt number that needs of a core's program use.
struct InterruptVector {
    int number = -1;
    Word handler;
    std::vector<InterruptClient> clients;
};

/// Monitors of clocks that the plan has on, by the interrupt that tells of them. The first core's program sees to them.
struct ClockAlarm {
    int number = -1;
    Word handler;
    std::vector<ClockIndex> clocks;
};
std::vector<ClockAlarm> clockAlarms(const Facts& facts, const Names& names);

/// Written: without needs that the user's own code drives.
enum class Handlers { Written, All };
/// Those of one core's program, by number.
std::vector<InterruptVector> interruptVectors(const Facts& facts, const Names& names, Handlers which);
/// What tells one need, by number.
std::vector<std::pair<int, InterruptClient>> interruptsOf(const Facts& facts, const Names& names, NeedIndex need);

} // namespace bindrel
