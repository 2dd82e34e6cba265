// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/tuning/pads.h"
#include "core/tuning/setting.h"

#include <map>
#include <set>
#include <string>
#include <vector>

namespace bindrel {

/// A field and the code that it gets, with the decision that caused it.
struct FieldWrite {
    FieldRef ref;
    std::uint32_t code = 0;
    std::string cause;                       ///< in words: "÷3", "Uplink, pull", …
    std::string goal;                        ///< id of the goal that decides it; empty when none does
    std::string role;                        ///< of the need's instance that it is; empty when it is none
    bool byHand = false;                     ///< the plan sets the field by hand
    std::optional<std::uint32_t> asked = {}; ///< byHand: the code that the goals ask for; empty when none does
};

/// One operation of the bring-up on a register.
struct Step {
    enum class Kind {
        Write,  ///< the whole register gets `value`
        Update, ///< the bits of `mask` get those of `value`, the others stay
        Wait,   ///< until the bits of `mask` equal `value`, or the time-out passes
        Copy,   ///< the bits of `mask` get what the field `from` reads: a factory value that only the chip knows
        Read,   ///< the register is read and the value dropped, which clears the flags of `mask`
    };
    /// In the order of the bring-up. Late: what waits for a source that takes long, and what comes from it.
    enum class Phase { Unlock, Pins, Clocks, Need, Late, Start, Stop };
    Kind kind = Kind::Write;
    Phase phase = Phase::Clocks;
    NeedIndex need = -1; ///< Phase::Need, Start and Stop
    InstanceIndex instance = -1;
    RegisterIndex reg = -1;
    std::uint32_t mask = 0;
    std::uint32_t value = 0;
    Duration timeout;
    Frequency coreRate; ///< Wait: the fastest that the first core can run at that moment
    FieldRef from;      ///< Copy
    std::vector<FieldWrite> fields;
    std::string why; ///< what it achieves, with numbers; heads a block of steps
};

/// A register as the bring-up and all start functions leave it.
struct RegisterValue {
    InstanceIndex instance = -1;
    RegisterIndex reg = -1;
    std::uint32_t reset = 0;
    std::uint32_t value = 0;
    std::vector<FieldWrite> fields; ///< that the plan decided, the last write of each
};

/// Into a low-power mode and back.
struct ModeSteps {
    int mode = -1;                ///< into Device::modes
    bool slow = false;            ///< from the slow clocks and back to them
    std::vector<Step> enter;      ///< before the core waits
    std::vector<Step> back;       ///< after it has woken, until all is as before
    std::vector<NeedIndex> again; ///< needs of the first core whose instances lose their power: stopped before, brought
                                  ///< up again afterwards, not started
};

/// What the bring-up does instead when a clock does not start in its time.
struct FallBack {
    ClockIndex clock = -1;   ///< the source or multiplier that does not come
    FieldRef awaited;        ///< its ready flag: the wait that times out
    bool toSlow = false;     ///< to the plan's slow clocks; else what comes from it stays as after reset
    Rates rates;             ///< at which all runs then
    std::vector<Step> steps; ///< from where the bring-up stands at that moment
    std::set<NeedIndex>
        left; ///< needs that are not brought up: their clock is missing, or another than their settings were made for
    std::set<CoreIndex> coresHeld; ///< cores that are not let go, since a need of theirs is left
    bool lateToo = false;          ///< what comes from the slow sources is brought up as planned
};

/// Register values and the ordered operations that lead to them from reset.
struct Image {
    std::vector<Step> steps; ///< unlocking, pads, clocks, late clocks, needs in their order, starts
    /// In which needs are brought up: the plan's, but those that the user's own code drives come last, so that what
    /// several use, a clock gate, is opened by one that is written.
    std::vector<NeedIndex> order;
    std::vector<Step> stops; ///< take back what the needs' starts did, each need's in reverse
    /// Sources that are started early and waited for after everything that does not come from them: a slow crystal
    /// holds up nothing.
    std::vector<ClockIndex> lateSources;
    /// From the plan's clocks to its slow ones and back, while the program runs; empty when it has none.
    std::vector<Step> toSlow, toFull;
    std::optional<Rates> slowRates;
    std::vector<FallBack>
        fallBacks; ///< when the plan wants to go on: one a clock that is awaited and after which something can
    std::vector<ModeSteps> modes; ///< those that the plan enters, in the device's order; with slow clocks each twice
    std::vector<RegisterValue> registers; ///< in the order of addresses
    /// Roles that the arithmetic asked for and the block has no field for: "TIMER1 has no dead_time".
    std::vector<std::string> unplaced;

    /// Every list of operations that the source has functions for.
    std::vector<const std::vector<Step>*> allSteps() const;
    const RegisterValue* find(InstanceIndex instance, RegisterIndex reg) const;
    /// Code of a field after bring-up, also where the plan decides nothing.
    std::uint32_t codeOf(const Device& device, const FieldRef& ref) const;
};

Image makeImage(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                const Rates& rates, const IndexVector<NeedIndex, Setting>& settings, const std::vector<PadSetup>& pads);

/// Which registers of a port hold facts of more than one pad, so that a write must leave the others alone; found once a
/// port.
class SharedRegisters {
public:
    explicit SharedRegisters(const Device& device) : device_(device) {}
    bool has(InstanceIndex port, RegisterIndex reg);

private:
    const Device& device_;
    std::map<InstanceIndex, std::vector<bool>> byPort_; ///< by instance: by register
};

// The parts of the bring-up, each in a file of its own.
void appendClockSteps(Image& image, const Device& device, const Board& board, const Plan& plan,
                      const Bindings& bindings, const Rates& rates, const IndexVector<NeedIndex, Setting>& settings,
                      const std::vector<PadSetup>& pads);
/// Once the bring-up is through, also by a fall back.
Frequency fastestRate(const Image& image, const Rates& rates, ClockIndex clock);
/// Whether a need's clock comes from a source that the bring-up waits for last.
bool comesLate(const Image& image, const Device& device, const Bindings& bindings, const Rates& rates, NeedIndex need);
/// REQUIRES: the clock steps are there.
void appendModeSteps(Image& image, const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                     const Rates& rates, const IndexVector<NeedIndex, Setting>& settings,
                     const std::vector<PadSetup>& pads);
void appendUnlockSteps(Image& image, const Device& device);
/// Lets the cores that own needs reach their instances, and keeps out who must not.
void appendFenceSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings);
/// All pads but those that a configured peripheral will drive: these are handed over after it is set, so that they
/// start at its idle level.
void appendPinSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings,
                    const IndexVector<NeedIndex, Setting>& settings, const std::vector<PadSetup>& pads);
/// A part of a pad's set-up: 0 what does not connect anything yet, 1 what connects, 2 what makes it drive.
struct PadStep {
    int rank = 0;
    Step step;
};
/// What makes one pad what its need wants, rising in rank: an open drain that is set after the output would push for a
/// moment.
std::vector<PadStep> padSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings,
                              const PadSetup& setup, SharedRegisters& shared);
/// Whether a pad is driven by a peripheral whose registers are set first.
bool isHandedOver(const Bindings& bindings, const IndexVector<NeedIndex, Setting>& settings, const PadSetup& setup);
/// Opens or closes an instance's clock gate, by the register that the chip has for that.
/// REQUIRES: it has a gate.
Step gateStep(const Device& device, InstanceIndex instance, bool open, std::string cause, std::string why);
/// Clock gate on and reset released of an instance, as far as it has them; nothing when that is so after reset.
std::vector<Step> wakeSteps(const Device& device, InstanceIndex instance);
void appendNeedSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                     const IndexVector<NeedIndex, Setting>& settings, const std::vector<PadSetup>& pads);

/// Puts what needs set by hand into the operations: every write of such a field carries the code that was set by hand;
/// where none writes it, one does, before what switches the instance on.
/// REQUIRES: the steps of all needs are there.
void applyOverrides(Image& image, const Device& device, const Plan& plan, const Bindings& bindings);

/// A write of whole register, an update of some fields, a wait for a field. Several fields must lie in one register.
Step writeStep(const Device& device, std::vector<FieldWrite> fields, std::string why);
Step updateStep(const Device& device, std::vector<FieldWrite> fields, std::string why);
/// Clears one flag in the way that its access asks for; nothing else of its register changes.
/// REQUIRES: software can clear it.
Step forgetStep(const Device& device, const FieldRef& flag, std::string why);
Step copyStep(const Device& device, const FieldRef& into, const FieldRef& from, std::string why);
Step waitStep(const Device& device, const FieldRef& ref, std::uint32_t code, const Duration& timeout, std::string why);

} // namespace bindrel
