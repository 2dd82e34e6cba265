// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tuning/accuracy.h"

namespace bindrel {

// What the whole of tuning asks need by need, for searches that know what changes between two questions.

/// The setting of one need; see tune().
Setting tuneNeed(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, NeedIndex need);
/// Its accuracy; see accuracyOf().
Accuracy accuracyOfNeed(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, NeedIndex need);

} // namespace bindrel
