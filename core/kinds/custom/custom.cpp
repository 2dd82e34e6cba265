// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/kinds/kind.h"
#include "core/plan/plain_fields.h"

namespace bindrel {

/// Any instance, of a block that no arithmetic knows: its pads, its gate, its clock, and plain values of its fields.
Kind customKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "custom";
    spec.title = "Custom";
    spec.instanceKind = "*";
    spec.instanceGoal = "instance";
    spec.statesFields = true;
    spec.goals = {
        {"instance", "Instance", T::Name, "", {}, "The one that serves it, by its name."},
        {"signals", "Signals", T::Text, "", {}, "Names of its signals that are wanted, with blanks between them."},
        {"fields",
         "Fields",
         T::Text,
         "",
         {},
         "Values to set, as CTL.MODE=2 CTL.ON=1, in this order; or =NAME, a value as its field names it."}};
    spec.signals = [](const Need& need) {
        std::vector<SignalSpec> out;
        for (const std::string& word : goalsOf<PlainGoals>(need).wires)
            out.push_back({lowered(word), word, word, -1, SignalSpec::Direction::Both, false});
        return out;
    };
    spec.brief = [](const Need& need) { return goalText(need, "instance"); };
    return kind;
}

} // namespace bindrel
