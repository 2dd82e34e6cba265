// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tuning/setting.h"

namespace bindrel {

/// What an interrupt costs the core that owns the need when it comes so often: entry, flag, a short function and exit
/// are taken for 100 cycles, or for 40 and the time that the goal "takes" states. Not ok from half of the core's time
/// on.
Achieved interruptLoad(const TuningContext& context, const std::string& goal, const Frequency& rate);

} // namespace bindrel
