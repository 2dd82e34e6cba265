// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/rehearsal/simulated_clocks.h"
#include "core/rehearsal/simulated_pads.h"

#include <set>

namespace bindrel {

/// What a plan demands of every moment; empty for a chip that is only watched for its own limits.
struct Demand {
    /// By pad: what it must never do to the board. A pad that no need has must not drive.
    struct PadRule {
        enum class Kind { Free, Rests, Input, StartsLow, StartsHigh, OpenDrain } kind = Kind::Rests;
        bool high = false; ///< OpenDrain: it starts released
        std::string who;   ///< title of the need
    };
    std::vector<PadRule> pads;
    /// By pad: what must hold before the pad is given to a peripheral, so that it begins at its idle level.
    struct HandOver {
        std::uint32_t function = 0;  ///< code that gives the pad away
        InstanceIndex instance = -1; ///< that drives it then
        struct Value {
            FieldRef ref;
            const Encoding* encoding = nullptr;
            std::int64_t value = 0;
        };
        std::vector<Value> values;
        std::string who;
    };
    std::map<PadIndex, HandOver> handOvers;
    bool levelsFree = false; ///< the start functions have run: outputs may change
    /// Clocks that must keep their rate meanwhile, hertz: what is the same before and after a change of clocks.
    std::map<ClockIndex, Rational> steady;
};

/// A chip made from its device file and the board alone. It shares nothing with the code that plans or writes
/// registers: it is what the data sheet says, with time that passes and hardware that takes its time. Everything that a
/// board would suffer from becomes a hazard.
class SimulatedChip {
public:
    /// `dead`: clocks that never start.
    SimulatedChip(const Device& device, const Board& board, const Voltage& supply, std::set<ClockIndex> dead = {});

    /// The core that the accesses from now on come from.
    void setActiveCore(CoreIndex core) { acting_ = core; }
    /// A core reads or writes on the bus. `bytes` is the width of the access.
    std::uint32_t read(std::uint32_t address, int bytes);
    void write(std::uint32_t address, std::uint32_t value, int bytes);
    /// Time goes by; hardware does what is due meanwhile.
    void pass(Moment span);
    /// Core cycles go by.
    void cycles(CoreIndex core, std::int64_t count);
    Moment now() const { return now_; }
    /// When hardware will change something by itself; empty when nothing is due.
    std::optional<Moment> nextChange() const;

    /// A clock stops while the program runs: its monitor, if it is on, falls back.
    void fail(ClockIndex clock);
    /// A reset that does not come from the supply: what survives it is as the program left it.
    void warmReset();
    /// The supply falls to what this operating range needs.
    void dropSupplyTo(int range);
    /// The core waits in a low-power mode, and is woken.
    void sleepAndWake(const LowPowerMode& mode, Moment asleep);

    void demand(Demand demand) { demand_ = std::move(demand); }
    Demand& demand() { return demand_; }
    /// Cores that run: the first from reset.
    void coreRuns(CoreIndex core) { running_.insert(core); }

    const Device& device() const { return device_; }
    SimulatedRegisters& registers() { return registers_; }
    const SimulatedRegisters& registers() const { return registers_; }
    const SimulatedClocks& clocks() const { return clocks_; }
    const SimulatedPads& pads() const { return pads_; }

    /// Called with everything that is seen to change, for a time line; null: nobody looks.
    struct Observer {
        virtual ~Observer() = default;
        virtual void hazard(Hazard hazard) = 0;
        virtual void clockChanged(ClockIndex clock, const Rational& rate) = 0;
        virtual void waitStatesChanged(std::uint32_t states) = 0;
        virtual void padChanged(PadIndex pad, const PadLook& look) = 0;
    };
    void observe(Observer* observer);

    /// Whether an instance has power, is clocked and out of reset.
    bool open(InstanceIndex instance) const;
    /// How long what a status bit shows can take, at the longest; empty when the bit is none that hardware makes after
    /// a time.
    std::optional<Moment> timeOf(const FieldRef& status) const;
    void report(Hazard::Kind kind, std::string text, Place place = {});

private:
    struct WatchdogState {
        InstanceIndex instance = -1;
        FieldRef on, prescaler, period, window;
        FieldCode feed;
        bool always = false;
        double elapsed = 0; ///< parts of its period since it was fed
        bool bitten = false;
    };

    void settle();
    /// Switches of power domains, and what they bring about.
    void settleDomains();
    bool powered(DomainIndex domain) const;
    void loseInMode(InstanceIndex instance, const LowPowerMode& mode);
    void judge();
    void judgePads(InstanceIndex instance, RegisterIndex reg);
    void judgeHandOver(PadIndex pad, const Demand::HandOver& given);
    void judgeUnit(InstanceIndex instance, RegisterIndex reg);
    void judgeHeld(InstanceIndex instance, RegisterIndex reg, std::uint32_t before, std::uint32_t value);
    /// A write that takes its time keeps its instance, and what it lets out of a gate or a reset, from being used.
    void beginSettling(InstanceIndex instance, RegisterIndex reg);
    void judgeSettling(InstanceIndex instance, const Register& accessed);
    void judgeFrozen(InstanceIndex instance, RegisterIndex reg, std::uint32_t before);
    /// What lets the dog run: ticks of its clock until it bites; 0 while it does not run.
    double ticksOf(const WatchdogState& dog) const;
    void runDogs(Moment span);
    bool atWork(InstanceIndex instance) const;
    /// Whether a clock's limits count: a peripheral's do when it is open.
    bool inUse(ClockIndex clock) const;
    std::string rateText(const Rational& hertz) const;

    const Device& device_;
    SimulatedRegisters registers_;
    SimulatedClocks clocks_;
    SimulatedPads pads_;
    Moment now_ = 0;
    Demand demand_;
    std::set<CoreIndex> running_{0};
    /// Whether the fences of an instance admit the core that acts.
    bool admitted(InstanceIndex instance) const;
    CoreIndex acting_ = 0;
    std::vector<WatchdogState> dogs_;
    struct Settling {
        Moment until = 0;
        InstanceIndex by = -1; ///< whose register was written
        RegisterIndex reg = -1;
    };
    std::map<InstanceIndex, Settling> settling_;
    struct Power {
        bool on = false;
        Moment readyAt = 0;
    };
    std::vector<Power> domains_; ///< by power domain
    Power regulator_;            ///< on: another has been chosen and may not carry the core yet
    std::uint32_t regulatorCode_ = 0;
    Observer* observer_ = nullptr;
    std::vector<Rational> shown_; ///< rates as they were last told
    std::vector<PadLook> looks_;
    std::uint32_t shownWaits_ = 0;
    std::set<std::pair<Hazard::Kind, int>> broken_;   ///< told already, and still so
    std::vector<std::vector<InstanceIndex>> usersOf_; ///< by clock: instances that it times
    std::vector<FieldRef> on_;                        ///< by instance: the field that switches it on
};

} // namespace bindrel
