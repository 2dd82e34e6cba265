// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tuning/setting.h"

#include <vector>

namespace bindrel {

/// Sets the channels of a need's requests up for what they move: units, directions, steps, whether they go round, what
/// they tell. What a channel cannot do is a row that says so. Channels of a controller whose addresses and counts the
/// device's file does not tell are only led to their requests.
void addStreams(Setting& setting, const TuningContext& context, const std::vector<StreamSpec>& specs);

/// The value of the first unit's code beside the count itself: "minus one" gives -1. Empty: the counts do not rise by
/// one a code.
std::optional<std::int64_t> countOffset(const Device& device, int channel);

} // namespace bindrel
