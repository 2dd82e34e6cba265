// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/clocks/rates.h"

#include <functional>
#include <vector>

namespace bindrel {

/// Needs, by index, that miss a goal at these rates, cannot be computed, have no clock or none that is accurate enough.
std::vector<NeedIndex> needsThatMiss(const Device& device, const Plan& plan, const Bindings& bindings,
                                     const Rates& rates);

/// For searches that ask again and again: the same, a need asked once for each rate of its own. The arguments must
/// outlive the answer.
std::function<std::vector<NeedIndex>(const Rates&)> askedOnce(const Device& device, const Plan& plan,
                                                              const Bindings& bindings);

/// For searches: needs that miss at other rates what they have at these. The arguments must outlive the answer.
std::function<std::vector<NeedIndex>(const Rates&)> newlyMissed(const Device& device, const Plan& plan,
                                                                const Bindings& bindings, const Rates& now);

} // namespace bindrel
