// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tuning/accuracy.h"

namespace bindrel {

// What the whole of tuning asks need by need, for searches that know what changes between two questions.

/// The setting of one need; see tune().
Setting tuneNeed(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates, NeedIndex need);
/// The same without its words: every text that has something to say is a stand-in (see words.h). What searches ask for.
Setting numbersOfNeed(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                      NeedIndex need);
/// Its accuracy; see accuracyOf(). `worded`: its texts are to be read.
Accuracy accuracyOfNeed(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                        NeedIndex need, bool worded = true);

} // namespace bindrel
