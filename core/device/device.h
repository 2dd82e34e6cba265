// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/encoding.h"
#include "core/quantity/quantity.h"

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

/// What a chip is, as data: docs/formats/device.md describes the file that it is read from.
/// A Device is immutable after loading. Things refer to each other by index into the device's vectors; every index that
/// the loader hands out is valid, and -1 means "none".
namespace bindrel {

struct EnumValue {
    std::string name;
    std::uint32_t code = 0;
};

struct Field {
    enum class Access { ReadWrite, ReadOnly, WriteOneToClear, WriteOnly };
    std::string name;
    int lsb = 0;
    int width = 1;
    Access access = Access::ReadWrite;
    std::vector<EnumValue> values;
    std::string about;

    std::uint32_t maxCode() const { return width >= 32 ? UINT32_MAX : (1u << width) - 1; }
    std::uint32_t mask() const { return maxCode() << lsb; }
};

struct Register {
    std::string name;
    std::uint32_t offset = 0; ///< bytes from the instance's base
    std::uint32_t reset = 0;
    std::vector<Field> fields;
    std::string about;
};

/// A field of a block that holds a role of the arithmetic.
struct Role {
    int reg = -1;
    int field = -1;
    Encoding encoding;
};

/// Registers described once, instantiated at addresses.
struct Block {
    std::string name;
    std::string kind; ///< whose arithmetic applies: "uart", "i2c", "timer", "gpio", …; empty for a block of no known kind
    std::string about;
    std::vector<Register> registers;
    std::map<std::string, Role, std::less<>> roles;
    std::map<std::string, std::vector<std::int64_t>, std::less<>> abilities; ///< "oversampling": [16, 8]

    const Role* role(std::string_view name) const;
    /// The first number of an ability, or the fallback.
    std::int64_t ability(std::string_view name, std::int64_t fallback) const;
};

/// One field of one instance.
struct FieldRef {
    int instance = -1;
    int reg = -1;
    int field = -1;

    bool valid() const { return instance >= 0; }
    auto operator<=>(const FieldRef&) const = default;
};

struct InstanceSignal {
    enum class Direction { In, Out, Both, Analog };
    std::string name; ///< "TX"
    Direction direction = Direction::Both;
};

struct Instance {
    std::string name; ///< "UART3"
    int block = -1;
    std::uint32_t base = 0;
    int bus = -1;    ///< clock node of its bus interface
    int kernel = -1; ///< clock node that its work is timed by; the bus when it has none of its own
    FieldRef gate;   ///< clock gate, when it has one
    std::vector<InstanceSignal> signals;
    std::map<std::string, int, std::less<>> interrupts; ///< name of the event -> vector number
    std::map<std::string, std::vector<std::int64_t>, std::less<>> abilities; ///< override the block's
};

/// A way in which a pad can carry a signal.
struct Route {
    int pad = -1;
    int instance = -1;
    int signal = -1;  ///< in the instance's signals
    int code = -1;    ///< selector code; -1: fixed wiring, nothing is to be selected
};

struct Pad {
    std::string name; ///< "PD3"
    int port = -1;    ///< instance of the port that controls it; -1 for a pad without one
    int bit = 0;
    std::string bank; ///< supply that feeds it
    bool fiveVolt = false;
    bool weak = false;                ///< limited to 3 mA and slow edges
    Frequency maxToggle;              ///< of an output at full drive
    std::vector<int> routes;          ///< into Device::routes
    std::string resetClaim;           ///< "SWD.SWDIO" when the chip uses it at reset, else empty
};

struct PackagePin {
    std::string number;               ///< "17", or "C4" on a grid
    enum class Kind { Pad, Supply, Ground, Dedicated } kind = Kind::Pad;
    int pad = -1;
    std::string name; ///< of the pad, supply or function
};

struct Package {
    enum class Kind { QuadFlat, NoLead, DualRow, BallGrid } kind = Kind::QuadFlat;
    std::string name;
    std::vector<PackagePin> pins; ///< in the order of their numbers
};

/// What limits depend on: the supply and the regulator setting.
struct OperatingRange {
    std::string id;   ///< "R1"
    std::string name; ///< "range 1"
    Voltage supplyMin;
    Voltage supplyMax;
    std::uint32_t code = 0;                ///< of the regulator field
    std::vector<Frequency> waitStateLimits; ///< [n]: fastest flash clock with n wait states
};

struct ClockInput {
    int node = -1; ///< -1: "none", the select is off
    std::uint32_t code = 0;
};

struct RateLimit {
    std::optional<Frequency> min;
    std::optional<Frequency> max;
    /// Not faster than this part of another clock ("peripheral <= half of bus").
    int relativeTo = -1;
    Rational relativeMax = 1;
    std::string because; ///< what the data sheet gives as the reason
};

struct ClockNode {
    enum class Type { Oscillator, Crystal, Select, Divide, Multiply, Follow };
    std::string id;   ///< "PLLA.VCO"
    std::string name; ///< "PLL A VCO"
    std::string tier; ///< "source", "multiplier", "system", "kernel": where the ladder shows it
    Type type = Type::Divide;

    // Oscillator and Crystal
    Frequency rate;                    ///< fixed rate; for a Crystal the board says it
    Tolerance tolerance;
    Duration startup;
    Frequency crystalMin, crystalMax;  ///< what may be fitted

    std::vector<ClockInput> inputs;    ///< one for Divide, Multiply and Follow
    FieldRef control;                  ///< select code, divider or multiplier
    FieldRef status;                   ///< Select: shows the code in use
    Encoding encoding;
    std::vector<std::int64_t> factors; ///< what Divide or Multiply can do, rising
    std::int64_t resetValue = 0;       ///< factor, or index into inputs, decoded from the register's reset value

    /// Follow: the input times `factorWhenOne` while the divider `follows` is 1, else times `factorElse`.
    int follows = -1;
    std::int64_t factorWhenOne = 1;
    std::int64_t factorElse = 1;

    FieldRef enable; ///< oscillator or PLL on/off
    FieldRef ready;  ///< set by hardware when it runs
    bool onAtReset = false;
    int frozenBy = -1; ///< the control may be changed only while this node is off

    RateLimit limit;                                              ///< in every range
    std::map<std::string, RateLimit, std::less<>> limitByRange;   ///< by range id; replaces `limit` where given
};

/// A write that opens locked registers before any other write to its instance.
struct Unlock {
    int instance = -1;
    int reg = -1;
    std::uint32_t key = 0;
};

struct Device {
    std::string name;
    std::string family;
    std::string about;
    std::string coreName;                    ///< "Cortex-M4F"
    std::vector<std::string> compilerFlags;  ///< of the cross-compiler for this core
    std::string toolPrefix;                  ///< "arm-none-eabi-"
    int vectorCount = 0;                     ///< interrupts beyond the core's own
    std::uint32_t flashBase = 0, flashBytes = 0, ramBase = 0, ramBytes = 0;
    Voltage supplyMin, supplyMax;

    std::vector<Block> blocks;
    std::vector<Instance> instances;
    std::vector<Pad> pads;
    std::vector<Route> routes;
    int portCode = 0; ///< of the selector: gives a pad to its port
    Package package;
    std::vector<OperatingRange> ranges;
    FieldRef rangeControl, rangeReady;
    int resetRange = 0;
    std::vector<ClockNode> clocks;
    int flashClock = -1; ///< node that wait states follow
    int cpuClock = -1;
    FieldRef waitStates;
    Ppm limitSlack; ///< rate limits hold for clocks whose source is at least this accurate
    std::vector<Unlock> unlocks;
    int lineInstance = -1; ///< instance that routes pads to external-interrupt lines, -1 when there is none

    // Look-ups by name; -1 when there is none of that name.
    int findInstance(std::string_view name) const;
    int findPad(std::string_view name) const;
    int findClock(std::string_view id) const;
    int findRange(std::string_view id) const;
    std::optional<FieldRef> findField(std::string_view dotted) const; ///< "UART3.CTL.ON"

    const Block& blockOf(int instance) const { return blocks[size_t(instances[size_t(instance)].block)]; }
    const Register& registerOf(const FieldRef& ref) const { return blockOf(ref.instance).registers[size_t(ref.reg)]; }
    const Field& fieldOf(const FieldRef& ref) const { return registerOf(ref).fields[size_t(ref.field)]; }
    std::uint32_t addressOf(int instance, int reg) const;
    std::string nameOf(const FieldRef& ref) const;
    /// The pin of the package that a pad is on; empty when it is on none.
    std::string pinOf(int pad) const;
    /// A role of an instance as a field; invalid when the block has no such role.
    FieldRef roleField(int instance, std::string_view role) const;
    std::vector<std::int64_t> abilities(int instance, std::string_view name) const;
    std::int64_t ability(int instance, std::string_view name, std::int64_t fallback) const;
    std::string signalName(const Route& route) const; ///< "UART3.TX"
};

} // namespace bindrel
