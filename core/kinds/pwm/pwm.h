// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/kind.h"

#include <array>
#include <optional>

namespace bindrel {

/// The goals of a need as values. REQUIRES: they were checked.
struct PwmGoals {
    Frequency frequency;
    bool centre = false;
    int channels = 1;
    bool pairs = false;
    std::array<Ratio, 4> duty;
    std::array<std::optional<Duration>, 4> pulse; ///< stated instead of the duty
    std::array<std::optional<Voltage>, 4> level;  ///< after a filter, of the supply; stated instead of the duty
    bool activeLow = false;
    bool opposed = false; ///< pulses of every second output stand half a period from those of the others
    Duration dead;
    Duration deadLow; ///< before the low side is on
    struct Servo {
        std::int64_t degrees = 0; ///< 0: none
        Duration narrow, wide;    ///< pulses at both ends of the travel
    } servo;
    std::optional<Ratio> triggerAt;       ///< place of the period at which converters are started
    std::optional<Duration> triggerAfter; ///< the same as a time
    enum class Fault { None, ActiveLow, ActiveHigh } fault = Fault::None;
    Duration faultFilter;
    std::optional<bool> idleHigh; ///< empty: not active
    bool restsHigh() const { return idleHigh.value_or(activeLow); }
    std::int64_t steps = 256; ///< fewest different duties

    static PwmGoals of(const Need& need);
};

Setting solvePwm(const TuningContext& context);
/// The rate of its periods, as achieved.
std::optional<Frequency> pwmBeats(const TuningContext& context);
void declarePwm(Writer& header, NeedIndex need);
void definePwm(Writer& source, NeedIndex need);

} // namespace bindrel
