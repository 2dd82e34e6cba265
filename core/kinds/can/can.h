// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/kinds/can/can_filters.h"
#include "core/kinds/can/can_timing.h"
#include "core/kinds/kind.h"

#include <array>

namespace bindrel {

/// What is read beyond single values.
struct CanGoals {
    Expected<std::vector<CanRange>> identifiers; ///< that are received; none: all

    static CanGoals of(const Need& need) { return {parseCanFilters(goalName(need, "filters"))}; }
};

/// The most that the block's fields hold, and what is set by hand in them.
CanFields canFields(const TuningContext& context);
/// The bit timing for the need's goals (ISO 11898-1); empty when there is none. What is set by hand is heeded where
/// there is a timing with it.
std::optional<CanTiming> canTiming(const TuningContext& context);
/// The best timings for the goals with nothing set by hand, in the order of preference.
std::vector<CanTiming> canTimingsFor(const TuningContext& context, std::size_t most);
std::vector<FlexibleTiming> flexibleTimingsFor(const TuningContext& context, std::size_t most);
/// The same whatever jump width the need states.
std::optional<CanTiming> canTimingOfAnyJump(const TuningContext& context);
CanFields canDataFields(const TuningContext& context);
/// Whether frames with flexible data rate are wanted.
bool wantsFlexible(const Need& need);
/// Both bits; empty when there is no such pair, or the controller has none.
std::optional<FlexibleTiming> flexibleTiming(const TuningContext& context);
/// What a controller needs for them.
bool hasFlexible(const Block& block);
/// Bytes that frames can carry: 8, or 64 where the block has words for them and they are wanted.
int canBytes(const Device& device, InstanceIndex instance, const Need& need);
/// What lets the C send and take frames; of a block that lacks one the message memory is the program's.
inline constexpr std::array<const char*, 12> kCanFrameRoles{
    "send_empty",   "send_id",    "send_length",    "send_low",    "send_high",    "send",
    "receive_full", "receive_id", "receive_length", "receive_low", "receive_high", "receive_next"};
/// The filters of a controller, and what they are set to for a need's identifiers.
struct CanFilterPlan {
    int first = 0, available = 0; ///< numbers of its roles
    CanFilters filters;           ///< in use; none: all frames pass
    std::string trouble;          ///< why the identifiers cannot be had
};
CanFilterPlan canFilterPlan(const Device& device, InstanceIndex instance, const Need& need);
Accuracy canAccuracy(const TuningContext& context);
Setting solveCan(const TuningContext& context);
void declareCan(Writer& header, NeedIndex need);
void defineCan(Writer& source, NeedIndex need);

} // namespace bindrel
