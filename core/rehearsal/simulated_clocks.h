// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/board.h"
#include "core/rehearsal/simulated_registers.h"

#include <set>

namespace bindrel {

/// Clocks of the simulated chip, as its registers and the passing of time make them. Nominal rates; start-up takes the
/// data sheet's longest time.
class SimulatedClocks {
public:
    struct Clock {
        bool on = false;
        bool ready = false; ///< runs by itself; a divider is ready as soon as its input is
        bool fed = false;   ///< what it comes from runs
        Moment readyAt = 0;
        Rational rate = 0; ///< hertz; 0 while it does not run
        ClockIndex input = -1;
        std::int64_t setting = 0; ///< in 1/unit
    };

    /// `supply`: what the chip gets, which a plan may say otherwise than its board. `dead`: clocks that never start.
    SimulatedClocks(SimulatedRegisters& registers, const Board& board, const Voltage& supply,
                    std::set<ClockIndex> dead);

    const Clock& clock(int index) const { return clocks_[index]; }
    /// How a clock's control stands: a factor in 1/unit, or the place among inputs or rates; -1 where its code means
    /// nothing.
    std::int64_t standing(ClockIndex index) const;
    int count() const { return int(clocks_.size()); }
    int range() const { return range_; }
    /// Whether a register decides something about clocks, so that settle() is due after a write to it.
    bool concerns(InstanceIndex instance, RegisterIndex reg) const;
    /// Works everything out anew for a moment, and puts the status bits.
    void settle(Moment now);
    /// When something will change by itself; empty when nothing will.
    std::optional<Moment> nextChange(Moment now) const;

    /// The chip has been reset, and its registers with it. What stays on has not stopped.
    void reset(Moment now);
    /// The supply falls so far that the core is only good for another operating range, whatever the regulator is set
    /// to.
    void dropSupplyTo(int range) { sagged_ = range; }
    /// A clock dies at this moment: for good when `forGood`.
    void stop(ClockIndex clock, bool forGood);
    /// The hardware moves a select by itself: after waking, or when a monitored clock fails.
    void force(ClockIndex select, int input);

    struct Bounds {
        std::optional<Rational> min, max;
        std::optional<Rational> relative; ///< part of another clock's rate, at this moment; of several the least
        ClockIndex relativeTo = -1;
        std::string because;
    };
    Bounds boundsOf(ClockIndex clock) const;
    std::uint32_t waitStates() const;
    /// What the flash can be read at with the present wait states, hertz.
    Rational flashMost() const;
    /// How long what a status bit shows can take, at the longest; empty when the bit is nothing of the clocks'.
    std::optional<Moment> timeOf(const FieldRef& status) const;
    /// The widest that the clock may be too fast by, in parts (its source's tolerance).
    double fastest(ClockIndex clock) const;
    /// Whether all that freezes a clock's controls is off.
    bool idle(ClockIndex clock) const;

private:
    void compute(ClockIndex index, Moment now);
    bool isOn(const ClockNode& node) const;

    SimulatedRegisters& registers_;
    const Device& device_;
    const Board& board_;
    Voltage supply_;
    std::set<ClockIndex> dead_;
    std::vector<Clock> clocks_;
    std::vector<char> done_;
    std::set<std::pair<InstanceIndex, RegisterIndex>> relevant_;
    int range_ = 0, wantedRange_ = 0;
    int sagged_ = -1;
    Moment rangeAt_ = 0;
};

} // namespace bindrel
