// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

#include <algorithm>
#include <cstdlib>

namespace bindrel {

KindSpec segmentsKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "segments";
    kind.title = "Segment display";
    kind.instanceKind = "segments";
    kind.goals = {{"backplanes", "Backplanes", T::Integer, "4", {}, "", 1, 8},
                  {"segments", "Segment lines", T::Integer, "8", {}, "", 1, 40},
                  {"frame", "Frame rate", T::Frequency, "60 Hz", {}, "Of the whole picture."}};
    kind.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out;
        const int backplanes = std::clamp(std::atoi(goalText(need, "backplanes").c_str()), 1, 8);
        const int segments = std::clamp(std::atoi(goalText(need, "segments").c_str()), 1, 40);
        // A backplane is one line of the controller, a segment is any: the firmware's map says which is which.
        for (int i = 0; i < backplanes; ++i)
            out.push_back({"com" + std::to_string(i), "backplane " + std::to_string(i), "COM" + std::to_string(i), -1, D::Analog, false});
        for (int i = 0; i < segments; ++i)
            out.push_back({"seg" + std::to_string(i), "segment " + std::to_string(i), "SEG#", i, D::Analog, false});
        return out;
    };
    kind.brief = [](const Need& need) { return goalText(need, "backplanes") + " x " + goalText(need, "segments"); };
    return kind;
}

} // namespace bindrel
