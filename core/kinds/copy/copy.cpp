// SPDX-License-Identifier: GPL-3.0-or-later
// Copy: a DMA channel moves from memory to memory, at once, while the program goes on.
#include "core/kinds/kind.h"

namespace bindrel {

Kind copyKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "copy";
    kind.title = "Copy";
    kind.otherNames = {{"memory copy", {}}, {"dma copy", {}}};
    kind.instanceKind = "dma";
    kind.demands = {"from#", "to#"};
    kind.goals = {{"unit",
                   "Unit",
                   T::Choice,
                   "4 bytes",
                   {"1 byte", "2 bytes", "4 bytes"},
                   "That are moved at once; both ends must lie on such a boundary."},
                  priorityGoal(),
                  aboveGoal(),
                  takesGoal()};
    addDmaGoals(kind);
    // A copy that begins again at its end would never leave memory alone.
    std::erase_if(kind.goals, [](const GoalSpec& goal) { return goal.id == "dma_runs"; });
    kind.signals = [](const Need&) { return std::vector<SignalSpec>(); };
    kind.requests = [](const Need&) { return std::vector<std::string>{"COPY"}; };
    // Each has a channel of its own.
    kind.sharedAs = [](const Need&) { return std::string("controller"); };
    kind.brief = [](const Need& need) { return goalText(need, "unit"); };
    kind.instanceRequests = {{"COPY", "None: the channel moves as soon as it is on, from memory to memory."}};
    room.tuning.solve = [](const TuningContext&) { return Setting(); };
    room.tuning.streams = [](const Device&, InstanceIndex, const Need& need) {
        return std::vector<StreamSpec>{{"COPY", "", true, int(goalNumber(need, "unit")), "copy"}};
    };
    room.source.define = [](Writer&, NeedIndex) {}; // its channel's functions are all there is
    return room;
}

} // namespace bindrel
