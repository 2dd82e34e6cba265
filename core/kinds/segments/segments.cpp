// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/kind.h"

#include <algorithm>
#include <cstdlib>

namespace bindrel {

Kind segmentsKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
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
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the display on.", {}}, {"backplanes", Use::Config, false, "backplanes in use", "", {}}, {"contrast", Use::Config, false, "", "", {}}, {"line", Use::Data, false, "", "First of the registers with a bit for each segment.", {}}, {"line#", Use::Data, false, "", "One of them.", {}}};
    kind.abilities = {{"backplanes", "Choices of backplanes."}, {"segments", "Number of segments."}};
    kind.instanceSignals = {{"COM#", "Backplane."}, {"SEG#", "Segment."}};
    return room;
}

} // namespace bindrel
