// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/kind.h"

#include <algorithm>
#include <cstdlib>

namespace bindrel {

KindSpec adcKind()
{
    using T = GoalSpec::Type;
    KindSpec kind;
    kind.id = "adc";
    kind.title = "ADC";
    kind.instanceKind = "adc";
    kind.goals = {
        {"inputs", "Inputs", T::Integer, "1", {}, "Converted one after the other.", 1, 8},
        {"rate", "Sequences a second", T::Frequency, "1 kHz", {}, "How often all inputs are converted."},
        {"resolution", "Resolution", T::Integer, "12", {}, "Bits.", 6, 24},
        {"source", "Source impedance", T::Integer, "1000", {}, "Ohms in front of each input; the sample time follows from it.", 0, 10'000'000},
        {"trigger", "Started by", T::Choice, "software", {"software", "timer"}, ""},
        {"dma", "DMA", T::Choice, "none", {"none", "results"}, "", 0, 0, true},
    };
    kind.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out;
        const int count = std::clamp(std::atoi(goalText(need, "inputs").c_str()), 1, 8);
        for (int i = 0; i < count; ++i)
            out.push_back({"in" + std::to_string(i + 1), "input " + std::to_string(i + 1), "IN#", i, D::Analog, false});
        return out;
    };
    kind.requests = [](const Need& need) {
        return goalText(need, "dma") == "results" ? std::vector<std::string>{"RESULT"} : std::vector<std::string>();
    };
    // One converter serves several needs in turn; its sequence is made of all their inputs.
    kind.sharedAs = [](const Need& need) { return goalText(need, "dma") == "results" ? std::string() : std::string("converter"); };
    kind.brief = [](const Need& need) { return goalText(need, "rate") + ", " + goalText(need, "resolution") + " bit"; };
    return kind;
}

} // namespace bindrel
