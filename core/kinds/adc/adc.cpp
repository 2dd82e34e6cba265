// SPDX-License-Identifier: GPL-3.0-or-later
// ADC: what is asked for, the inputs, the block.
#include "core/kinds/adc/adc.h"

#include "core/base/say.h"

#include <algorithm>

namespace bindrel {

AdcGoals AdcGoals::of(const Need& need)
{
    AdcGoals out;
    out.inputs = std::clamp(int(goalNumber(need, "inputs")), 1, 8);
    out.rate = goalRate(need, "rate");
    out.bits = int(goalNumber(need, "resolution"));
    out.ohms = goalNumber(need, "source");
    out.byTimer = goalIs(need, "trigger", "timer");
    out.continuous = goalIs(need, "trigger", "continuous");
    out.average = std::max<std::int64_t>(1, goalNumber(need, "average"));
    out.watch = goalIs(need, "watch", "yes");
    out.watchLow = goalNumber(need, "watch_low");
    out.watchHigh = goalNumber(need, "watch_high");
    out.by = goalName(need, "by");
    out.dma = goalIs(need, "dma", "results");
    out.interrupt = goalIs(need, "interrupt", "yes");
    out.millivolts = goalNumber(need, "reference");
    return out;
}

Kind adcKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "adc";
    spec.title = "ADC";
    spec.otherNames = {{"analog input", {}}, {"analog inputs", {}}, {"converter", {}}};
    spec.instanceKind = "adc";
    spec.goals = {
        {"inputs", "Inputs", T::Integer, "1", {}, "Converted one after the other.", 1, 8},
        {"rate", "Sequences per second", T::Frequency, "1 kHz", {}, "Rate at which all inputs are converted."},
        {"resolution", "Resolution", T::Integer, "12", {}, "Minimum number of bits.", 6, 24},
        {"source",
         "Source impedance",
         T::Integer,
         "1000",
         {},
         "Source resistance of each input; determines the sample time.",
         0,
         10'000'000},
        {"trigger",
         "Started by",
         T::Choice,
         "software",
         {"software", "timer", "continuous"},
         "continuous: each sequence starts when the previous one ends."},
        {"by",
         "Timer of",
         T::Text,
         "",
         {},
         "Id of the need whose timer starts it; empty: one that has the same rate.",
         0,
         0,
         true},
        {"reference",
         "Reference",
         T::Integer,
         "3000",
         {},
         "Millivolts that the largest value stands for.",
         100,
         20'000,
         true},
        {"average",
         "Average of",
         T::Integer,
         "1",
         {},
         "Minimum number of conversions averaged to one value.",
         1,
         4096,
         true},
        {"watch",
         "Watch",
         T::Choice,
         "no",
         {"no", "yes"},
         "Interrupts when a value leaves the range between two levels.",
         0,
         0,
         true},
        {"watch_low", "Watch from", T::Integer, "0", {}, "Millivolts.", 0, 20'000, true},
        {"watch_high", "Watch to", T::Integer, "3000", {}, "Millivolts.", 0, 20'000, true},
        {"interrupt", "Interrupt", T::Choice, "no", {"no", "yes"}, "At each value.", 0, 0, true},
        priorityGoal(),
        aboveGoal(),
        takesGoal(),
        {"dma", "DMA", T::Choice, "none", {"none", "results"}, "", 0, 0, true},
    };
    addDmaGoals(spec);
    spec.sourceResistanceGoal = "source";
    spec.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out;
        const int count = std::clamp(int(goalNumber(need, "inputs")), 1, 8);
        for (int i = 0; i < count; ++i)
            out.push_back({"in" + std::to_string(i + 1), "input " + std::to_string(i + 1), "IN#", i, D::Analog, false});
        return out;
    };
    spec.relevant = [](const Need& need, std::string_view goal) {
        return (goal != "by" || goalIs(need, "trigger", "timer")) &&
               ((goal != "watch_low" && goal != "watch_high") || goalIs(need, "watch", "yes"));
    };
    spec.requests = [](const Need& need) {
        return goalIs(need, "dma", "results") ? std::vector<std::string>{"RESULT"} : std::vector<std::string>();
    };
    // One converter serves several needs in turn, each of which sets it for itself. One that a timer or DMA drives is
    // busy for good.
    spec.sharedAs = [](const Need& need) {
        return goalIs(need, "dma", "results") || !goalIs(need, "trigger", "software") ||
                       goalIs(need, "interrupt", "yes") || goalIs(need, "watch", "yes")
                   ? std::string()
                   : std::string("converter");
    };
    spec.brief = [](const Need& need) {
        return say("{}, {} bit", shortGoal(need, "rate"), goalText(need, "resolution"));
    };
    using Use = RoleSpec::Use;
    spec.roles = {
        {"on", Use::Config, false, "", "Switches the converter on.", {}},
        {"regulator", Use::Config, false, "", "1: its own regulator runs; set first.", {}},
        {"calibrate", Use::Config, false, "", "1: starts the calibration, before the converter is on.", {}},
        {"calibrated", Use::Status, false, "", "The calibration is done.", {}},
        {"ready", Use::Status, false, "", "It is on and can convert.", {}},
        {"start",
         Use::Command,
         false,
         "",
         "Starts a sequence; without it the converter converts all the time while it is on.",
         {}},
        {"trigger",
         Use::Config,
         false,
         "code of the trigger",
         "What starts a sequence; 0: software. A value that has the name of a timer: the end of that timer's period.",
         {}},
        {"resolution", Use::Config, false, "bits", "", {}},
        {"length", Use::Config, false, "slots", "Of the sequence that are in use.", {}},
        {"slot#",
         Use::Config,
         false,
         "number of an input",
         "The input that is converted as the #th of a sequence, from 1.",
         {}},
        {"input", Use::Config, false, "number of an input", "The input, where there is one at a time.", {}},
        {"input#",
         Use::Config,
         false,
         "",
         "1: the input of this number takes part; they are converted in the order of their numbers.",
         {}},
        {"sample", Use::Config, false, "clock cycles", "Sample time of all inputs.", {}},
        {"sample#", Use::Config, false, "clock cycles", "Sample time of the input of this number.", {}},
        {"oversampling",
         Use::Config,
         false,
         "kernel cycles a value",
         "Of a converter whose values are averages of a stream.",
         {}},
        {"gain", Use::Config, false, "code of the gain", "", {}},
        {"continuous", Use::Config, false, "", "A sequence begins when the one before is over.", {}},
        {"average", Use::Config, false, "conversions a value", "Their mean is the value.", {}},
        {"watch_on", Use::Config, false, "", "Values are held against two levels.", {}},
        {"watch_low", Use::Config, false, "steps", "The lower: values below it are outside.", {}},
        {"watch_high", Use::Config, false, "steps", "The upper: values above it are outside.", {}},
        {"watched", Use::Status, false, "", "A value was outside.", {}},
        {"watch_interrupt", Use::Config, false, "", "Enables its interrupt. Without it, it is always enabled.", {}},
        {"reference", Use::Config, false, "code of the reference", "", {}},
        {"dma_results", Use::Config, false, "", "Lets the converter ask DMA to fetch.", {}},
        {"done_interrupt", Use::Config, false, "", "Lets each value interrupt. Without it, it always does.", {}},
        {"done", Use::Status, true, "", "A value is there; reading the data takes it away.", {}},
        {"data", Use::Data, true, "", "The value, from 0; all bits set is just below the reference.", {}}};
    spec.abilities = {
        {"resolution", "Bits that can be chosen; without it as many as the data has."},
        {"sample_cycles", "Sample times that can be chosen, in kernel cycles."},
        {"conversion_cycles", "Kernel cycles of a conversion beside the sample time, at the highest resolution."},
        {"sample_femtofarads", "Capacitor that an input charges."},
        {"sample_ohms", "Resistance of the switch in front of it."},
        {"settling", "Values after a change of the input until one counts; 1 when nothing is said."}};
    spec.instanceSignals = {{"IN#", "Input.", "analog"}};
    spec.instanceRequests = {{"RESULT", "A value is there."}};
    spec.instanceEvents = {{"done", "A value is there."}, {"watch", "A value was outside."}, {"event", "Anything."}};
    kind.tuning.solve = solveAdc;
    kind.tuning.startedByTimers = true;
    kind.tuning.streams = [](const Device& device, InstanceIndex instance, const Need& need) {
        return std::vector<StreamSpec>{{"RESULT", "data", true,
                                        adcResolution(device, instance, goalsOf<AdcGoals>(need).bits) > 16 ? 4 : 2,
                                        "results"}};
    };
    kind.source = {declareAdc,
                   defineAdc,
                   {"inputs", "bits", "reference_millivolts", "convert_us", "convert", "start_one", "value",
                    "millivolts", "done", "watched"}};
    return kind;
}

} // namespace bindrel
