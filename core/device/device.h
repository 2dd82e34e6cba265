// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/base/say.h"
#include "core/device/block.h"
#include "core/device/clock_node.h"
#include "core/device/low_power_mode.h"
#include "core/device/power.h"
#include "core/device/stored_word.h"

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

/// What a chip is, as data: docs/formats/device.md describes the file that it is read from.
/// A Device is immutable after loading. Things refer to each other by index into the device's vectors; every index that
/// the loader hands out is valid, and -1 means "none".
namespace bindrel {

struct InstanceSignal {
    enum class Direction { In, Out, Both, Analog };
    std::string name; ///< "TX"
    Direction direction = Direction::Both;
};

/// A channel of the DMA controller that can serve a request.
struct DmaLink {
    int channel = 0;
    std::uint32_t code = 0; ///< of the channel's request router; 0 where requests are wired to channels
};

/// Who may reach an instance's registers, as a field elsewhere decides: ownership by cores, security by worlds.
struct Fence {
    FieldRef field;
    std::map<std::uint32_t, std::vector<std::string>> admits; ///< code -> ids of cores and names of worlds

    bool admit(std::uint32_t code, std::string_view core, std::string_view world) const;
};

struct Instance {
    std::string name; ///< "UART3"
    BlockIndex block = -1;
    std::uint32_t base = 0;
    ClockIndex bus = -1;    ///< clock node of its bus interface
    ClockIndex kernel = -1; ///< clock node that its work is timed by; the bus when it has none of its own
    FieldCode gate;         ///< clock gate, when it has one: shows whether it is open
    FieldCode gateSet;      ///< written to open it, where that is another register than `gate`
    FieldCode gateClear;    ///< the same to close it
    FieldCode reset;        ///< lets it out of reset, when it is held there after the chip's reset
    /// What makes the unit behind it this instance (its mode). Instances of one unit exclude each other.
    std::vector<FieldCode> selects;
    DomainIndex domain = -1; ///< power domain that it lies in; -1: it has power whenever the chip has
    /// What it takes while its gate is open: always, and for each megahertz of the clock that times it; zero when the
    /// data sheet says nothing.
    Current draws, drawsPerMegahertz;
    std::vector<Fence> fences; ///< each of them must admit who accesses it
    std::string unit;          ///< "SER2"; empty when the instance stands for itself
    std::vector<InstanceSignal> signals;
    /// DMA requests: event ("RX") -> channels that can serve it, each with the code of the request router.
    std::map<std::string, std::vector<DmaLink>, std::less<>> dma;
    std::map<std::string, int, std::less<>> interrupts;                      ///< name of the event -> vector number
    std::map<std::string, std::vector<std::int64_t>, std::less<>> abilities; ///< override the block's
    std::map<RegisterIndex, std::uint32_t> resets; ///< register -> reset value that differs from the block's
};

/// A way in which a pad can carry a signal. What must be set for it is the same for all mechanisms: fields that must
/// hold codes. Two routes can be used together when no field would have to hold two codes and their groups agree.
struct Route {
    enum class Mechanism {
        Selector,   ///< a field per pad picks one of n numbered functions
        GroupRemap, ///< one field moves several signals of an instance together
        Lanes,      ///< the pad leads to a lane, another field gives lanes their roles
        Matrix,     ///< any pad of a set to any signal of a set
        Fixed,      ///< wired
    };
    PadIndex pad = -1;
    InstanceIndex instance = -1;
    int signal = -1; ///< in the instance's signals
    Mechanism mechanism = Mechanism::Selector;
    int code = -1;                  ///< of the pad's own function field; -1 when nothing is selected at the pad
    std::vector<FieldCode> selects; ///< all that must be set, the pad's own function field among them
    int group = -1; ///< into Device::groups: all signals of one instance must come from the same; -1: goes with any

    bool wired() const { return mechanism == Mechanism::Fixed && selects.empty(); }
};

struct Pad {
    enum class Pull { Up, Down };
    std::string name;        ///< "PD3"
    InstanceIndex port = -1; ///< instance of the port that controls it; -1 for a pad without one
    int bit = 0;
    int line = -1;     ///< external-interrupt line that it can drive; -1 for none
    FieldRef function; ///< picks what the pad carries; invalid when there is nothing to pick at the pad
    std::vector<FieldRef> functionHigher; ///< fields of the code's higher bits, where it is sliced over several
    int portCode = 0;                     ///< of `function`: gives the pad to its port
    std::string bank;                     ///< supply that feeds it
    bool fiveVolt = false;
    bool weak = false;     ///< limited to 3 mA and slow edges
    bool openDrain = true; ///< can be an open drain
    std::vector<Pull> pulls{Pull::Up, Pull::Down};
    std::vector<Current> drives; ///< strengths from weakest to strongest; empty when the data sheet gives none
    Capacitance load; ///< that it is taken to drive where nobody says more, for its current; zero: no current is given
    Frequency maxToggle;            ///< of an output at full drive
    Frequency slowToggle;           ///< with its edges slowed down; zero: the edges cannot be chosen
    std::vector<RouteIndex> routes; ///< into Device::routes
    std::string resetClaim;         ///< "SWD.SWDIO" when the chip uses it at reset, else empty

    /// Whether a field picks what the pad carries, or a part of it does.
    bool isPickedBy(const FieldRef& ref) const;
};

struct PackagePin {
    std::string number; ///< "17", or "C4" on a grid
    enum class Kind { Pad, Supply, Ground, Dedicated } kind = Kind::Pad;
    PadIndex pad = -1;
    std::string name; ///< of the pad, supply or function
};

struct Package {
    enum class Kind { QuadFlat, NoLead, DualRow, BallGrid } kind = Kind::QuadFlat;
    std::string name;
    IndexVector<PinIndex, PackagePin> pins; ///< in the order of their numbers
};

/// What limits depend on: the supply and the regulator setting.
struct OperatingRange {
    std::string id;   ///< "R1"
    std::string name; ///< "range 1"
    Voltage supplyMin;
    Voltage supplyMax;
    std::uint32_t code = 0; ///< of the regulator field
    Ratio draws{Rational(
        1)}; ///< part of all currents per megahertz that flows in this range: a lower core voltage moves less charge
    std::vector<Frequency> waitStateLimits; ///< [n]: fastest flash clock with n wait states
};

/// Signals that share something inside the chip, of which one can be in use at a time (an analog channel that several
/// units can convert).
struct Exclusive {
    std::string name;                                   ///< "analog channel 4"
    std::vector<std::pair<InstanceIndex, int>> signals; ///< instance, signal
};

struct Core {
    enum class Architecture { ArmM, RiscV };
    std::string id;   ///< "LEAD"; the name for a chip with one core
    std::string name; ///< "Cortex-M4F"
    Architecture architecture = Architecture::ArmM;
    std::string toolPrefix;                 ///< "arm-none-eabi-"
    std::vector<std::string> compilerFlags; ///< of the cross-compiler for this core
    int vectorCount = 0;                    ///< interrupts beyond the core's own
    int priorityBits = 0;
    bool fpu = false;
    ClockIndex clock = -1;
    std::string world; ///< in which it runs, on a chip that keeps some apart: "guarded"
    std::uint32_t flashBase = 0, flashBytes = 0, ramBase = 0, ramBytes = 0;
    InstanceIndex interruptController = -1; ///< instance, where it is not part of the core's architecture
    FieldCode release;                      ///< lets the core start, when it is held after the chip's reset

    /// Whether the core's own registers can be reached by words only: Armv6-M (Arm DDI 0419, B3.1), as its compiler
    /// options tell.
    bool wordsOnly() const;
};

/// The DMA controller, as far as requests and channels go.
struct Dma {
    InstanceIndex instance = -1; ///< -1: the chip has none
    InstanceIndex router = -1;   ///< holds the channels' request codes, where that is an instance of its own
    int channels = 0;
};

/// A write that opens locked registers before any other write to its instance.
struct Unlock {
    InstanceIndex instance = -1;
    RegisterIndex reg = -1;
    std::uint32_t key = 0;
};

/// Where the values of a device come from, when it was put together from several files.
struct DeviceOrigins;

struct Device {
    std::string name;
    std::string family;
    std::string about;
    IndexVector<CoreIndex, Core> cores; ///< at least one; the first starts at reset and does the bring-up
    Voltage supplyMin, supplyMax;
    TemperatureRange temperature{-40, 85};

    IndexVector<BlockIndex, Block> blocks;
    IndexVector<InstanceIndex, Instance> instances;
    IndexVector<PadIndex, Pad> pads;
    IndexVector<RouteIndex, Route> routes;
    std::vector<std::string> groups; ///< names of signal groups
    std::vector<FieldRef>
        muxFields; ///< every field that a route or the mode of a unit sets beyond the pad's own, sorted
    std::vector<FieldCode> emptySets; ///< remap codes whose pads this package does not have
    std::vector<Exclusive> exclusives;
    std::vector<std::string> absent;   ///< what the family has and this device lacks
    std::vector<std::string> unbonded; ///< pads of the die that its package does not bring out, as the file lists them
    Dma dma;
    Package package;
    std::map<std::string, Voltage, std::less<>>
        banks; ///< supplies of pads whose voltage is given; the others have the chip's
    std::vector<OperatingRange> ranges;
    FieldRef rangeControl;
    FieldRef rangeStatus; ///< shows the code of the range that the regulator has reached
    FieldCode rangeReady; ///< the regulator has settled
    int resetRange = 0;
    IndexVector<ClockIndex, ClockNode> clocks;
    std::vector<ClockCombination> neverTogether;
    ClockIndex flashClock = -1; ///< node that wait states follow
    FieldRef waitStates;
    Ppm limitSlack; ///< rate limits hold for clocks whose source is at least this accurate
    std::vector<Unlock> unlocks;
    std::vector<std::string>
        worlds; ///< that no core of the plan's runs in, but fences can admit: other programs on the chip
    IndexVector<DomainIndex, PowerDomain> domains;
    std::vector<Regulator> regulators; ///< to choose from; empty: there is no choice
    FieldRef regulatorControl;
    FieldCode regulatorReady; ///< made by hardware once the chosen one carries the core
    Duration regulatorStartup;
    std::vector<StoredWord> stored;  ///< settings in non-volatile memory
    std::vector<LowPowerMode> modes; ///< from light to deep, as the file lists them
    InstanceIndex lineInstance = -1; ///< instance that routes pads to external-interrupt lines, -1 when there is none
    bool linesInPorts = false;       ///< each port watches its own pads; no lines are shared
    std::vector<std::string> undescribed; ///< what its files do not say ("clocks", "memory"): not known, never guessed
    std::shared_ptr<const DeviceOrigins> origins; ///< null for a device of one file and its family
    std::string file;                             ///< that it was read from; empty when it was read from text
    std::string revision;                         ///< of the file's content: sixteen hexadecimal digits

    /// Whether its files do not say this ("clocks").
    bool lacks(std::string_view what) const;
    /// Whether rates can be computed: its clocks are described.
    bool hasClocks() const { return !lacks("clocks") && !lacks("core clock"); }
    /// Whether a program can be written for it. Without wait states or operating ranges it can; their limits are then
    /// not checked.
    bool canBeWritten() const;

    const Core& core() const { return cores.front(); }
    ClockIndex cpuClock() const { return cores.front().clock; }
    CoreIndex findCore(std::string_view id) const;
    /// The core of that name; the first when none has it, as for a need that names none.
    CoreIndex ownerCore(std::string_view id) const;
    int muxField(const FieldRef& ref) const; ///< index in muxFields, -1 when it is none

    // Look-ups by name; -1 when there is none of that name.
    InstanceIndex findInstance(std::string_view name) const;
    PadIndex findPad(std::string_view name) const;
    ClockIndex findClock(std::string_view id) const;
    int findRange(std::string_view id) const;
    int findMode(std::string_view id) const;                          ///< low-power; -1 when there is none
    std::optional<FieldRef> findField(std::string_view dotted) const; ///< "UART3.CTL.ON"

    const Block& blockOf(InstanceIndex instance) const { return blocks[instances[instance].block]; }
    const Register& registerOf(const FieldRef& ref) const { return blockOf(ref.instance).registers[ref.reg]; }
    const Field& fieldOf(const FieldRef& ref) const { return registerOf(ref).fields[ref.field]; }
    std::uint32_t addressOf(InstanceIndex instance, RegisterIndex reg) const;
    /// What a register of an instance holds after the chip's reset.
    std::uint32_t resetOf(InstanceIndex instance, RegisterIndex reg) const;
    /// The code that a field holds then.
    std::uint32_t resetCode(const FieldRef& ref) const;
    std::string nameOf(const FieldRef& ref) const;
    /// The pin of the package that a pad is on; empty when it is on none.
    std::string pinOf(PadIndex pad) const;
    /// A role of an instance as a field; invalid when the block has no such role.
    FieldRef roleField(InstanceIndex instance, std::string_view role) const;
    /// A code of a role in its field, or in each of its slices from the lowest.
    std::vector<FieldCode> codesOf(InstanceIndex instance, const Role& role, std::uint32_t code) const;
    /// What gives a pad a function; empty where nothing is picked at the pad.
    std::vector<FieldCode> functionCodes(const Pad& pad, std::uint32_t code) const;
    /// The code of a pad's function after the chip's reset; 0 where nothing is picked at the pad.
    std::uint32_t resetFunction(const Pad& pad) const;
    /// The largest code of a pad's function.
    std::uint32_t maxFunction(const Pad& pad) const;
    /// The field that picks the request that a DMA channel serves; invalid where requests are wired to channels.
    FieldRef requestField(int channel) const;
    std::vector<std::int64_t> abilities(InstanceIndex instance, std::string_view name) const;
    std::int64_t ability(InstanceIndex instance, std::string_view name, std::int64_t fallback) const;
    /// The interrupt of an instance that tells of an event: the one of that name, else the one that tells of all
    /// ("event"), else its only one.
    std::optional<int> interruptOf(InstanceIndex instance, std::string_view event) const;
    /// The interrupt, with its name, that an external-interrupt line causes: "line7", else the range "line5_9" that it
    /// is in, else the one of all lines. `watcher` is lineInstance, or the port where these watch their own pads.
    std::optional<std::pair<std::string, int>> lineInterrupt(InstanceIndex watcher, int line) const;
    std::string signalName(const Route& route) const; ///< "UART3.TX"
};

} // namespace bindrel
