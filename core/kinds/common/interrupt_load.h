// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tuning/setting.h"

namespace bindrel {

/// What an interrupt costs the core that owns the need when it comes so often: entry, flag, a short function and exit
/// are taken for 100 cycles, or for 40 and the time that the goal "takes" states. Not ok from half of the core's time
/// on.
/// How long its handler runs each time: what the person states of the function, or a stated assumption, and what is
/// around it.
Duration handlerTime(const TuningContext& context);

Achieved interruptLoad(const TuningContext& context, const std::string& goal, const Frequency& rate);

} // namespace bindrel
