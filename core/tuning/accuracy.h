// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/tuning/setting.h"

#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// A goal that says "at most" counts as missed where less than half of what was asked for comes out, though it was not
/// exceeded: the clock is then too slow, or its steps too coarse, for what the person wants.
inline bool isFarBelow(const Frequency& achieved, const Frequency& most)
{
    return achieved.value * 2 < most.value;
}

/// What a need asks of the accuracy of the clock that times it, and what it gets.
struct Accuracy {
    ClockIndex clock = -1;         ///< its kernel clock; -1: nothing can be said
    std::optional<Ppm> allowed;    ///< how far the clock may be off in all, not below zero; empty: nothing is demanded
    std::optional<Frequency> rate; ///< that the clock must have, where a certain one is demanded
    Ppm given;          ///< how far it may be off: its tolerance, and its rate's error where a certain rate is demanded
    std::string asks;   ///< "48 MHz ±0.25 %", "250 kbit/s with 16 quanta per bit: ±0.313 %"
    std::string effect; ///< what the tolerance means to the need: "up to 53 s a month"
    std::string trouble;  ///< why the clock cannot serve, whatever its tolerance; empty when it can
    bool stated = true;   ///< false: the demand is a default that nobody has said
    bool inGoals = false; ///< a goal's own achieved value tells it when it is missed

    bool ok() const { return trouble.empty() && (!allowed || given <= *allowed); }
};

/// Of each need, by index. Sources: USB 2.0 (7.1.11: data rates), ISO 11898-1 (oscillator tolerance); each in its kind.
IndexVector<NeedIndex, Accuracy> accuracyOf(const Device& device, const Plan& plan, const Bindings& bindings,
                                            const Rates& rates);

/// How far a clock that is off by so much runs away in a month of 30.436875 days (2 629 746 s, a twelfth of the mean
/// Gregorian year).
Duration driftPerMonth(const Ppm& off);

/// Sources that are accurate enough for what is demanded, and trimming that would do: "Take it from HF crystal, or trim
/// HF internal by LF crystal." Empty when there is none.
std::string moreAccurate(const Device& device, const Board& board, const Rates& rates, const Accuracy& accuracy);

// What several kinds say alike.
std::string plusMinus(const Ppm& off);     ///< "±40 ppm"
Ppm worstOf(const TuningContext& context); ///< of the kernel clock, either way
/// Nothing is demanded; the goal "period" is as far off as the clock: "4 s may be 3.81 s to 4.21 s".
Accuracy timeAccuracy(const TuningContext& context);
/// Nothing is demanded, and all that is timed is off alike: "frequency and times ±40 ppm".
Accuracy passedOn(const TuningContext& context, const char* what);

} // namespace bindrel
