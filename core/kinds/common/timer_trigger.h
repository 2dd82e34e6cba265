// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tuning/setting.h"

#include <optional>
#include <string>

namespace bindrel {

/// A timer of another need that starts a converter: the code of the converter's role "trigger", whose values have the
/// names of timers.
struct TimerTrigger {
    std::uint32_t code = 0;
    std::string need;  ///< id
    std::string title; ///< of the need
    Frequency rate;    ///< of its periods
};

/// The need called `by`, or when that is empty one whose periods come at `rate`; empty, with what is in the way, when
/// there is none.
std::optional<TimerTrigger> timerTrigger(const TuningContext& context, const std::string& by, const Frequency& rate,
                                         std::string& trouble);

/// The row that tells of it, not ok when the rate is another.
Achieved triggerRow(const std::optional<TimerTrigger>& trigger, const Frequency& rate, const std::string& trouble);

} // namespace bindrel
