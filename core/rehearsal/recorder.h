// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/rehearsal/rehearsal.h"
#include "core/rehearsal/simulated_chip.h"

namespace bindrel {

/// Writes down what a chip is seen to do, with the operation that was under way.
class Recorder : public SimulatedChip::Observer {
public:
    Recorder(SimulatedChip& chip, Rehearsal& out) : chip_(chip), out_(out) { chip.observe(this); }
    ~Recorder() override { chip_.observe(nullptr); }

    void hazard(Hazard hazard) override
    {
        hazard.operation = under_;
        // One that comes back again and again is told ten times at most.
        int same = 0;
        for (const Hazard& known : out_.hazards)
            same += known.kind == hazard.kind && known.text == hazard.text;
        if (same < 10)
            out_.hazards.push_back(std::move(hazard));
    }
    void clockChanged(ClockIndex clock, const Rational& rate) override
    {
        out_.sightings.push_back({ObservedChange::What::Clock, chip_.now(), under_, clock, rate, 0, {}});
    }
    void waitStatesChanged(std::uint32_t states) override
    {
        out_.sightings.push_back({ObservedChange::What::WaitStates, chip_.now(), under_, -1, 0, states, {}});
    }
    void padChanged(PadIndex pad, const PadLook& look) override
    {
        out_.sightings.push_back({ObservedChange::What::Pad, chip_.now(), under_, pad, 0, 0, look});
    }

    void begin(Operation operation)
    {
        operation.from = chip_.now();
        out_.operations.push_back(std::move(operation));
        under_ = int(out_.operations.size()) - 1;
    }
    void end()
    {
        if (under_ >= 0)
            out_.operations.back().to = chip_.now();
    }
    void rest() { under_ = -1; }

private:
    SimulatedChip& chip_;
    Rehearsal& out_;
    int under_ = -1;
};

/// The share of each cause in the time until the bring-up returned.
void splitTime(Rehearsal& rehearsal, const Facts& facts);

} // namespace bindrel
