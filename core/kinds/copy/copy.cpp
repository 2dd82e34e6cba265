// SPDX-License-Identifier: GPL-3.0-or-later
// Copy: a DMA channel moves from memory to memory, at once, while the program goes on.
#include "core/kinds/kind.h"

namespace bindrel {

Kind copyKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "copy";
    spec.title = "Copy";
    spec.otherNames = {{"memory copy", {}}, {"dma copy", {}}};
    spec.instanceKind = "dma";
    spec.demands = {"from#", "to#"};
    spec.goals = {{"unit",
                   "Unit",
                   T::Choice,
                   "4 bytes",
                   {"1 byte", "2 bytes", "4 bytes"},
                   "That are moved at once; both ends must lie on such a boundary."},
                  priorityGoal(),
                  aboveGoal(),
                  takesGoal()};
    addDmaGoals(spec);
    // A copy that begins again at its end would never leave memory alone.
    std::erase_if(spec.goals, [](const GoalSpec& goal) { return goal.id == "dma_runs"; });
    spec.signals = [](const Need&) { return std::vector<SignalSpec>(); };
    spec.requests = [](const Need&) { return std::vector<std::string>{"COPY"}; };
    // Each has a channel of its own.
    spec.sharedAs = [](const Need&) { return std::string("controller"); };
    spec.brief = [](const Need& need) { return goalText(need, "unit"); };
    spec.instanceRequests = {{"COPY", "None: the channel moves as soon as it is on, from memory to memory."}};
    kind.tuning.solve = [](const TuningContext&) { return Setting(); };
    kind.tuning.streams = [](const Device&, InstanceIndex, const Need& need) {
        return std::vector<StreamSpec>{{"COPY", "", true, int(goalNumber(need, "unit")), "copy"}};
    };
    kind.source.define = [](Writer&, NeedIndex) {}; // its channel's functions are all there is
    return kind;
}

} // namespace bindrel
