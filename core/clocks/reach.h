// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/rates.h"
#include "core/plan/edit.h"

#include <functional>
#include <set>
#include <string>
#include <vector>

namespace bindrel {

/// What is wanted of one clock.
struct ReachTarget {
    enum class Kind {
        Rate,    ///< `rate`, at most `permitted` off
        AtMost,  ///< `rate` or slower
        AtLeast, ///< `rate` or faster
        Fastest, ///< as fast as the limits allow; `rate`, when it is not 0 Hz, is not to be exceeded
        Slowest, ///< as slow as the limits allow, but not below `rate`
    };
    ClockIndex clock = -1;
    Kind kind = Kind::Rate;
    Frequency rate;
    Ppm permitted;              ///< Rate: zero for exactly that rate
    bool withTolerance = false; ///< Rate: `permitted` covers the source's tolerance too
    friend bool operator==(const ReachTarget&, const ReachTarget&) = default;
};

struct ReachRequest {
    std::vector<ReachTarget> targets;
    std::set<std::string> holds; ///< ids of clocks that must stay as they are, besides what the plan holds
    std::vector<int> ranges;     ///< operating ranges that may be chosen, the preferred first; empty: the plan's own
    std::size_t most = 12;       ///< ways wanted
    /// Also ways that differ only inside a multiplier: the same selects, and the same rate on every clock that is no
    /// multiplier.
    bool all = false;
    bool loseGoals = false; ///< needs may lose their goals
    /// Needs whose goals would be missed at these rates, by index, rising; empty function: none ever.
    std::function<std::vector<NeedIndex>(const Rates& rates)> missedGoals;
    std::function<bool()> stopped;             ///< asked now and then: true ends the search with what it has
    std::function<void(long looked)> progress; ///< settings looked at so far, now and then
};

struct RateChanged {
    ClockIndex clock = -1;
    Frequency before, after;
};

/// One way to all targets.
struct ClockSolution {
    Edit edit;                            ///< decisions about clocks, and the operating range where it changes
    std::vector<Frequency> achieved;      ///< of each target
    std::vector<Ppm> errors;              ///< of each target of kind Rate; zero for the others
    Ppm worstError;                       ///< the largest, without sign
    std::vector<RateChanged> others;      ///< clocks in use, no targets, that get another rate
    std::vector<ClockIndex> wakes, stops; ///< sources and multipliers that start or stop
    std::vector<NeedIndex> lost;          ///< needs that lose a goal
    Current current;                      ///< roughly, of all running clocks
    Current currentBefore;
    Frequency fastestMultiplier; ///< 0 Hz when none runs
    int range = 0;
    int alike = 0; ///< more ways that were seen and differ only inside a multiplier, each ranked after this one
};

/// Why a target cannot be had.
struct ReachMiss {
    std::size_t target = 0;
    /// Nearest rates that can be had, the other targets kept where that is possible; with the ways to them.
    std::vector<ClockSolution> nearest;
    bool othersKept = true;
};

struct ReachResult {
    std::vector<ClockSolution> ways; ///< best first
    bool complete = true;            ///< not stopped: no way that ranks before the last one listed is missing
    long looked = 0;
    /// When there is no way:
    std::vector<std::string> inTheWay; ///< limits, holds and goals that cut off the settings that would do it
    std::vector<ReachMiss> misses;
};

/// All ways to the targets, best first. Ways differ in the decisions on the targets' paths to their sources; each is
/// completed elsewhere by the decisions that let the fewest other clocks change their rate. No way breaks a limit that
/// is not broken already at the same rate, or loses a goal unless asked to; none is slower in a clock that is to be as
/// fast as allowed (or faster in one that is to be as slow) than the way that ranks first. Ranking is lexicographic:
/// worst error; the rates of the Fastest and Slowest targets, in their order; other clocks in use that change (a change
/// of operating range counts as one); estimated current; fastest multiplier; decisions. Of a fraction's settings with
/// all else the same, those are looked at that bring a target nearest. A clock in use may be listed as changed that
/// could have kept its rate if one that nothing else touches were set anew for it. REQUIRES: targets name clocks of the
/// device.
ReachResult reach(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                  const ReachRequest& request);

/// "SYS=48MHz", "USBK=48 MHz ±0.25%", "CPU>=100M", "BUS1<=40M", "CPU=max", "G0=min", "CPU=max<=100MHz": a clock by its
/// id or name.
Expected<ReachTarget> readReachTarget(const Device& device, std::string_view text);
/// The same from what is typed on the clock itself: "48 MHz ±0.25 %", ">= 100 MHz", "max".
Expected<ReachTarget> readReachWish(ClockIndex clock, std::string_view text);
/// "48 MHz within 0.25 %", "at most 80 MHz", "as fast as allowed".
std::string wishText(const ReachTarget& target);

/// What it does besides: "CPU 160 MHz → 144 MHz", "PLL B VCO starts", "Uplink loses its goal", "about +0.9 mA".
std::vector<std::string> consequencesOf(const Device& device, const Plan& plan, const ClockSolution& way);

/// How a way stands to what it gives: "PLL A VCO ×72, PLL A aux ÷6".
std::string wayText(const Device& device, const ClockSolution& way);

} // namespace bindrel
