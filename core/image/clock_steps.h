// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/clocks/modes.h"
#include "core/clocks/trial.h"
#include "core/image/image.h"

#include <set>

namespace bindrel {

/// How the clocks of a chip stand at a moment: what their fields hold.
struct ClockSnapshot {
    ClockTrial trial;             ///< settings; an oscillator or multiplier that is switched off is `off`
    std::uint32_t waitStates = 0; ///< code of the field
    std::vector<bool> monitored;
    std::vector<bool> live; ///< what something runs from; the others' limits do not matter yet
};

/// As after the chip's reset: nothing but cores and flash is live.
ClockSnapshot resetStand(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings);
/// As the plan's rates say, all needs live. What nothing uses stands as in `before`, but off where it can be.
ClockSnapshot plannedStand(const Device& device, const Rates& rates, const ClockSnapshot& before);

/// As the chip leaves its clocks when it wakes from a mode: see Waking; what the mode stopped is not watched.
/// REQUIRES: `planned` is how they stood before.
ClockSnapshot wokenStand(const Device& device, const ClockSnapshot& planned, const Rates& rates,
                         const LowPowerMode& mode, const ModeState& state, const Waking& waking);

/// The operations that lead from one stand to another. After each, every live clock is inside its limits in the
/// operating range of that moment (its nominal rate; while it is on), and the flash has wait states enough: an
/// operation that would break one waits until others have made room. Controls are changed only while nothing that
/// freezes them is on; a clock is selected only while it runs; of a kernel's limits the highest rate counts (`spoiled`
/// takes those that become too slow, or faster than their bus allows: gatesMeanwhile() keeps their users still); if the
/// system clock comes from what must be set anew, it runs from another source meanwhile. What is live and comes from
/// such a multiplier stops for its start-up time. Only what differs is written. When nothing can be done without
/// breaking a limit (the plan breaks it itself), the rest follows in the usual order.
std::vector<Step> clockSteps(const Device& device, const Rates& rates, const ClockSnapshot& from,
                             const ClockSnapshot& to, std::set<ClockIndex>* spoiled = nullptr);

/// Closes the gates of instances that run from kernels which are outside their limits meanwhile, and opens them again.
struct GatesMeanwhile {
    std::vector<Step> close, open;
};
GatesMeanwhile gatesMeanwhile(const Device& device, const Bindings& bindings, const std::set<ClockIndex>& spoiled,
                              std::string why);

/// How the clocks stand while the bring-up waits for one of them.
struct AwaitedClock {
    ClockIndex clock = -1;
    ClockSnapshot stand;
    std::vector<InstanceIndex> opened; ///< instances whose gates have been opened so far
    std::vector<ClockIndex> pending;   ///< sources that are switched on and not waited for yet
};
struct ClockBringUp {
    std::vector<Step> steps;
    std::vector<ClockIndex> lateSources;
    std::vector<AwaitedClock> awaited; ///< in the order of the waits; not those of Phase::Late
};
/// The same from reset. Sources that take longer than 10 ms and feed neither cores, flash, buses nor multipliers are
/// only switched on; they are waited for in steps of Phase::Late, after which what comes from them is set. Gates of
/// instances that hold clock fields are opened before the first write.
ClockBringUp bringUpSteps(const Device& device, const Rates& rates, const ClockSnapshot& reset,
                          const ClockSnapshot& full);
/// The same from the middle of a bring-up whose late sources these are. Where others would be late now, all are awaited
/// at once.
ClockBringUp bringUpSteps(const Device& device, const Rates& rates, const AwaitedClock& from,
                          const ClockSnapshot& reset, const ClockSnapshot& full, const std::vector<ClockIndex>& late);

/// What the fall backs of an image are made from.
struct FallBackFacts {
    const Device& device;
    const Board& board;
    const Plan& plan;
    const Bindings& bindings;
    const Rates& rates;
    const IndexVector<NeedIndex, Setting>& settings;
    const std::vector<PadSetup>& pads;
};
/// REQUIRES: the clock steps are there.
void appendFallBacks(Image& image, const FallBackFacts& facts, const ClockSnapshot& reset,
                     const std::vector<AwaitedClock>& awaited);

} // namespace bindrel
