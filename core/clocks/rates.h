// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/device/board.h"
#include "core/device/device.h"
#include "core/pins/bindings.h"
#include "core/plan/plan.h"

#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// One clock as the plan makes it.
struct ClockState {
    Frequency rate;           ///< when it runs; 0 Hz when nothing can make it run
    Tolerance tolerance;      ///< of its source, along the path
    std::int64_t setting = 0; ///< factor in 1/unit; for a select or an oscillator the index into its inputs or rates
    bool trimmed = false;     ///< by another clock that runs
    bool monitored = false;
    Capacitance load;      ///< that the board's crystal asks for
    Capacitance stray;     ///< across the crystal, as the board says
    bool external = false; ///< a clock that is fed into the crystal's pad
    ClockIndex input = -1; ///< node that it comes from; -1 for a source or a select set to none
    bool used = false;     ///< something runs from it
    bool running = false;
    std::string stopped;          ///< why it does not run; empty when it does
    std::optional<Frequency> min; ///< limits in the current operating range
    std::optional<Frequency> max;
    std::string maxBecause, minBecause;
    bool maxMovesAlong =
        false;      ///< `max` is part of a clock from the same source: its tolerance moves both, and does not count
    Ppm limitSlack; ///< a tolerance up to this is allowed for in the limits
    std::vector<NeedIndex> users; ///< needs whose instance has it as kernel clock
};

/// Every clock's rate, tolerance and limits, and what follows from them. Indices are those of Device::clocks.
struct Rates {
    IndexVector<ClockIndex, ClockState> clocks;
    int range = 0; ///< into Device::ranges
    Voltage supply;
    /// Wait states that the flash needs; empty when even the most are too few.
    std::optional<int> waitStates;
};

/// One pass over the tree, sources first. Never fails: what cannot run has rate 0 and says why.
Rates computeRates(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings);

/// How a running clock stands to its limits. Comparison is exact; a limit that only the tolerance crosses is told
/// apart.
struct LimitBreak {
    enum class Which { Above, Below } which;
    Frequency limit;
    bool toleranceOnly = false; ///< the nominal rate is inside
    std::string because;
};
std::optional<LimitBreak> limitBreak(const ClockState& clock);

/// Whether the bring-up sets a clock, and its limits count: something uses it, or it runs beside what is used. A
/// peripheral's clock that nothing uses, and what only a clock that is off freezes (the input of a PLL that is not
/// used), stay as reset leaves them.
bool isSet(const Device& device, const Rates& rates, ClockIndex clock);

/// How far a running clock is from the nearer of its limits, as a part of that limit; negative when it is broken. Empty
/// without limits.
std::optional<Ratio> headRoom(const ClockState& clock);

/// The capacitor at each of a crystal's two pads: twice what the crystal's load leaves after the stray capacitance, C =
/// 2 (CL - Cs). Empty when the board gives no load, or the stray capacitance is no smaller.
std::optional<Capacitance> loadCapacitor(const ClockState& crystal);

/// The load capacitance that a crystal's oscillator can switch in, nearest to what the crystal asks for; null when it
/// has none or nothing is asked for.
const std::pair<Capacitance, std::uint32_t>* nearestLoad(const ClockNode& node, const Capacitance& wanted);
/// How a crystal of this rate is driven: the weakest drive that is enough; null when the oscillator has no choice.
const std::pair<Frequency, std::uint32_t>* driveFor(const ClockNode& node, const Frequency& rate);

/// A source's rate (0 Hz when it is not fitted) and tolerance over the temperatures that the board is made for, with
/// the given choice among its rates and without trimming.
struct SourceFacts {
    Frequency rate;
    Tolerance tolerance;
};
SourceFacts sourceFacts(const Device& device, const Board& board, const ClockNode& node, std::int64_t rateChoice);

/// What a Follow clock multiplies its input by while the divider that it follows, if any, has this setting.
std::int64_t followFactor(const Device& device, const ClockNode& node, std::int64_t followedSetting);

/// The limits of a clock in an operating range; what another clock demands is not worked out in them.
RateLimit limitIn(const Device& device, const ClockNode& node, int range);

/// From the clock up to its source, itself first.
std::vector<ClockIndex> pathToSource(const Rates& rates, ClockIndex clock);

/// "÷3", "×80", "from PLL A main", "×1": what the clock does to its input.
std::string operationText(const Device& device, const Rates& rates, ClockIndex clock);

} // namespace bindrel
