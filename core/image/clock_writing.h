// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/image/clock_steps.h"
#include "core/quantity/format.h"

#include <algorithm>
#include <string>
#include <vector>

namespace bindrel {

/// The operations that a change of a clock takes, each with what it achieves in words, while the clocks go from one
/// stand to another. In which order the changes are made is not its business.
class ClockWriting {
protected:
    ClockWriting(const Device& device, const Rates& rates, const ClockSnapshot& from, const ClockSnapshot& to)
        : device_(device), rates_(rates), now_(from), to_(to)
    {
    }

    const ClockNode& node(ClockIndex clock) const { return device_.clocks[clock]; }
    const TrialClock& now(ClockIndex clock) const { return now_.trial.clocks[clock]; }
    const TrialClock& then(ClockIndex clock) const { return to_.trial.clocks[clock]; }
    std::string rateText(ClockIndex clock) const { return format(then(clock).rate); }
    bool isMultiplier(ClockIndex clock) const
    {
        return !node(clock).isSource() && node(clock).type != ClockNode::Type::Gate && node(clock).enable.valid();
    }
    bool sameSetting(ClockIndex clock) const { return now(clock).setting == then(clock).setting; }
    bool frozenBy(ClockIndex clock, int multiplier) const
    {
        const std::vector<ClockIndex>& by = node(clock).frozenBy;
        return std::find(by.begin(), by.end(), multiplier) != by.end();
    }

    void waitStatesStep(std::uint32_t states, const std::string& why);
    void sourceOn(ClockIndex i, bool write);
    void readyStep(int i);
    void lockStep(int i);
    /// A source that is to stop, or to run free, is no longer watched, so that no failure is reported, and no longer
    /// trimmed.
    void letGo(ClockIndex i);
    void extraSteps(ClockIndex i);
    void rangeSteps();
    /// The load that the oscillator switches in, nearest to what the crystal wants.
    void loadStep(ClockIndex i);
    /// The rate of an oscillator that has several, with its factory calibration before it.
    void rateSteps(int i);
    void selectStep(int i, std::int64_t input, const std::string& why);
    void switchedStep(int i, std::int64_t input);
    /// Everything that a multiplier freezes and that changes, a register at a time.
    void setFrozen(int multiplier, bool write);
    /// The fields that hold a clock's setting: its control, and the fraction where it has one.
    std::vector<FieldWrite> controlsOf(int i) const;
    /// One write for fields that share a register.
    void addByRegister(std::vector<FieldWrite> fields, std::string why);
    void add(Step step);

    const Device& device_;
    const Rates& rates_;
    ClockSnapshot now_; ///< as the operations so far leave them
    const ClockSnapshot& to_;
    std::vector<ClockIndex> startOnly_; ///< sources that are switched on without waiting for them
    bool gatesClosed_ =
        false; ///< gates are as the chip's reset leaves them: opened before something is written behind them
    std::vector<InstanceIndex> opened_; ///< instances whose gates have been
    std::vector<Step> steps_;
    std::vector<AwaitedClock> awaited_; ///< how all stood at each wait for a clock, without that clock

private:
    void awaitClock(ClockIndex i, std::string why);
};

} // namespace bindrel
