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
    Duration dead;
    enum class Fault { None, ActiveLow, ActiveHigh } fault = Fault::None;
    Duration faultFilter;
    bool idleHigh = false;
    std::int64_t steps = 256; ///< fewest different duties

    static PwmGoals of(const Need& need);
};

Setting solvePwm(const TuningContext& context);
void declarePwm(Writer& header, size_t need);
void definePwm(Writer& source, size_t need);

} // namespace bindrel
