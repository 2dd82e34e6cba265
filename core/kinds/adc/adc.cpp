// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/kind.h"

#include <algorithm>
#include <cstdlib>

namespace bindrel {

Kind adcKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
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
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the converter on.", {}}, {"regulator", Use::Config, false, "", "Its own regulator.", {}}, {"calibrate", Use::Command, false, "", "Starts the calibration.", {}}, {"calibrated", Use::Status, false, "", "", {}},
                  {"ready", Use::Status, false, "", "It can convert.", {}}, {"start", Use::Command, false, "", "Starts a sequence.", {}}, {"trigger", Use::Config, false, "", "What starts a sequence.", {}}, {"resolution", Use::Config, false, "bits", "", {}}, {"length", Use::Config, false, "inputs", "Of the sequence.", {}},
                  {"sample", Use::Config, false, "kernel cycles", "Sample time.", {}}, {"sample#", Use::Config, false, "kernel cycles", "Sample time of an input.", {}}, {"input", Use::Config, false, "", "The input.", {}}, {"input#", Use::Config, false, "", "An input of the sequence.", {}}, {"oversampling", Use::Config, false, "", "", {}}, {"gain", Use::Config, false, "", "", {}},
                  {"reference", Use::Config, false, "", "", {}}, {"done", Use::Status, false, "", "A value is there.", {}}, {"data", Use::Data, false, "", "The value.", {}}};
    kind.abilities = {{"resolution", "Bits that can be chosen."}, {"sample_cycles", "Sample times that can be chosen, in kernel cycles."}};
    kind.instanceSignals = {{"IN#", "Input."}};
    kind.instanceRequests = {{"RESULT", "A value is there."}};
    return room;
}

} // namespace bindrel
