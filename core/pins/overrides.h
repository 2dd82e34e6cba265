// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/pins/bindings.h"

#include <string>
#include <vector>

namespace bindrel {

/// A field that a need sets by hand, on the instance that serves it.
struct Override {
    NeedIndex need = -1;
    std::string name; ///< "CTL.MODE", as the plan says it
    FieldRef ref;     ///< invalid when it cannot be set
    std::uint32_t code = 0;
    std::string trouble; ///< why it cannot be set and what to do; empty when it can
};

/// What the plan calls a field of the instance that serves a need: "CTL.MODE".
std::string overrideName(const Device& device, const FieldRef& ref);

/// All that the plan's needs set by hand, in its order. What two needs on one instance set differently is trouble of
/// the later one.
std::vector<Override> overridesOf(const Device& device, const Plan& plan, const Bindings& bindings);

/// The same for one need and one field: why `text` cannot be put there; the field and its code when it can.
Override overrideOf(const Device& device, const Plan& plan, const Bindings& bindings, NeedIndex need,
                    const std::string& name, const std::string& text);

/// Whether any need of the plan sets a field by hand.
bool hasOverrides(const Plan& plan);

} // namespace bindrel
