// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/image/clock_moves.h"
#include "core/image/clock_writing.h"

namespace bindrel {

/// In which order the changes are made, so that no limit is broken on the way.
class ClockMoves : ClockWriting {
public:
    ClockMoves(const Device& device, const Rates& rates, const ClockSnapshot& from, const ClockSnapshot& to)
        : ClockWriting(device, rates, from, to), live_(from.live)
    {
    }

    /// Sources that are switched on without waiting for them.
    void startOnly(std::vector<ClockIndex> sources) { startOnly_ = std::move(sources); }
    /// Instances whose gates are still as the chip's reset leaves them: they are opened before something is written
    /// there. `opened`: but these.
    void gatesClosed(std::vector<InstanceIndex> opened)
    {
        gatesClosed_ = true;
        opened_ = std::move(opened);
    }
    /// How the clocks stood at each wait for one.
    std::vector<AwaitedClock> awaited() { return std::move(awaited_); }
    /// Waits for a source that was started before.
    void await(int source) { readyStep(source); }

    std::vector<Step> run();

    /// Kernels that are live before and after and ran outside their limits meanwhile.
    const std::set<ClockIndex>& spoiled() const { return spoiled_; }

private:
    /// In the usual order: what makes room first, what takes it away last.
    enum class What {
        RangeUp,
        MoreWaits,
        SourceRate,
        SourceOn,
        KernelSlower,
        BusSlower,
        MultiplierOff,
        Set,
        MultiplierOn,
        SystemSelect,
        BusFaster,
        KernelSelect,
        KernelFaster,
        GateOn,
        RangeDown,
        FewerWaits,
        Off
    };
    struct Move {
        What what;
        ClockIndex clock = -1; ///< Set: the multiplier whose frozen controls are set
    };

    /// Whether a clock's control is written. What survives a reset may hold anything, whatever the data sheet's table
    /// says of reset.
    bool isWritten(int i) const
    {
        const FieldRef& control = node(i).control;
        return !sameSetting(i) || (gatesClosed_ && control.valid() && to_.live[size_t(i)] && !now_.live[size_t(i)] &&
                                   device_.fieldOf(control).survivesReset);
    }

    void collect();
    void noteSpoiled();

    // ---- a select and the divider behind it in one register: written at once, what hangs on them sees no rate between
    // the two

    static bool isSelect(const Move& move)
    {
        return move.what == What::SystemSelect || move.what == What::KernelSelect;
    }
    static bool isDivider(const Move& move)
    {
        return move.what == What::BusSlower || move.what == What::BusFaster || move.what == What::KernelSlower ||
               move.what == What::KernelFaster;
    }

    bool belongTogether(const Move& select, const Move& divider) const;

    /// A divider that is better set together with its select waits until that can be moved.
    bool waitsForSelect(const Move& move) const
    {
        return std::any_of(open_.begin(), open_.end(),
                           [&](const Move& other) { return belongTogether(other, move) && !ready(other); });
    }

    bool moveTogether();

    bool pending(What what, ClockIndex clock) const
    {
        return std::any_of(open_.begin(), open_.end(),
                           [&](const Move& move) { return move.what == what && move.clock == clock; });
    }

    /// Whether a clock runs at this moment, with all that it comes from.
    bool runs(ClockIndex clock) const { return clock >= 0 && !now(clock).rate.value.isZero(); }

    bool feeds(int from, ClockIndex clock) const;

    /// Whether a multiplier that the clock comes from is still to be stopped and set anew.
    bool stopsSoon(ClockIndex clock) const
    {
        return std::any_of(open_.begin(), open_.end(), [&](const Move& move) {
            return move.what == What::MultiplierOff && feeds(move.clock, clock);
        });
    }

    /// What must not stand still: cores, flash, and every bus that something is reached by.
    std::vector<ClockIndex> vitalClocks() const;

    bool feedsVital(ClockIndex clock) const
    {
        return std::any_of(vital_.begin(), vital_.end(), [&](int vital) { return feeds(clock, vital); });
    }

    /// Whether the hardware permits it now.
    bool ready(const Move& move) const;

    /// Whether another multiplier's setting still waits for this one to be off.
    bool sharedPending(int multiplier) const;

    bool flashFollows() const
    {
        const std::vector<Frequency>& limits = device_.ranges[size_t(now_.trial.range())].waitStateLimits;
        const std::size_t states = std::min<std::size_t>(now_.waitStates, limits.size() - 1);
        return now(device_.flashClock).rate <= limits[states];
    }

    int brokenNow() const;

    bool keepsLimits(const Move& move) { return keepLimits({move}); }
    /// No more limits are broken after them than before.
    bool keepLimits(const std::vector<Move>& moves);

    /// In the range that is to come, the present rate may need more wait states than in the end; or a rate on the way
    /// does.
    bool moreWaitsMeanwhile();

    bool raiseWaits(std::uint32_t states);

    /// The cores run from what must be set anew: from something else, meanwhile.
    bool detour();

    /// A detour that leaves limits broken, as of a clock that may not be faster than the one that is moved: some
    /// divider is set meanwhile so that fewer are, both before and after it. `least`: how many are broken by the
    /// detour; less after it. False when no divider helps.
    bool divideMeanwhile(ClockIndex select, int choice, int& least);

    // ---- what the moves do to the model and, when `write`, which steps they are

    void make(const Move& move, bool write);

    std::vector<bool> live_; ///< from the beginning on
    std::set<ClockIndex> spoiled_;
    std::vector<ClockIndex> vital_ = vitalClocks();
    std::vector<Move> open_;
    std::vector<ClockIndex> extras_; ///< sources that run on, but are to be trimmed or watched
    bool raised_ = false;            ///< wait states, meanwhile
    int detours_ = 0;
};

} // namespace bindrel
