// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"
#include "core/plan/plan.h"

#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// A field by its name and what it is to be, as typed: "CTL.MODE=2", "CTL.WAY=into_memory", "CTL.ON=0x1". What it means
/// is the block's matter.
struct PlainField {
    std::string field; ///< "CTL.MODE"
    std::string value; ///< "2"; empty: nothing was said
};

/// What a custom need states: signals of its instance and fields, in their order.
struct PlainGoals {
    std::vector<std::string> wires; ///< signals, each once, as typed
    std::vector<PlainField> fields;

    static PlainGoals of(const Need& need);
};

/// Whether these can be a field's name ("CTL.MODE") and a text for it; what they mean is the block's matter.
Outcome checkPlainField(std::string_view field, std::string_view text);

/// None for a need of another kind.
std::vector<PlainField> plainFieldsOf(const Need& need);

} // namespace bindrel
