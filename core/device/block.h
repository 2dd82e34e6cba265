// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index.h"
#include "core/base/index_vector.h"
#include "core/device/encoding.h"
#include "core/quantity/quantity.h"

#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

struct EnumValue {
    std::string name;
    std::uint32_t code = 0;
};

struct Field {
    /// What reading and writing does.
    enum class Access {
        ReadWrite,
        ReadOnly,
        WriteOnly,
        WriteOneToClear,
        WriteZeroToClear,
        WriteOneToSet,    ///< a zero leaves it
        WriteOneToToggle, ///< a zero leaves it
        ReadToClear,      ///< cleared by reading the register
        Once,             ///< can be written once after reset, later writes are ignored
        Key,              ///< every write of the register must carry `key` here, or it is ignored
    };
    std::string name;
    int lsb = 0;
    int width = 1;
    Access access = Access::ReadWrite;
    std::uint32_t key = 0;
    std::vector<EnumValue> values;
    std::string about;
    bool survivesReset = false; ///< only the loss of its supply resets it: the calendar's island
    /// A status that takes the code of a control field of the same block, `followsAfter` later; -1: it does not.
    RegisterIndex followsReg;
    FieldIndex followsField;
    Duration followsAfter;

    /// Of a field whose bits do not lie side by side: lowest bit and number of bits of each piece in the register, that
    /// of the code's lowest bits first. Empty: it is one piece.
    std::vector<std::pair<int, int>> pieces;

    std::uint32_t maxCode() const { return width >= 32 ? UINT32_MAX : (1u << width) - 1; }
    std::uint32_t mask() const { return at(maxCode()); }
    /// A code in its place in the register; what does not fit is cut off.
    std::uint32_t at(std::uint32_t code) const
    {
        if (pieces.empty())
            return (code & maxCode()) << lsb;
        std::uint32_t word = 0;
        int taken = 0;
        for (const auto& [low, bits] : pieces) {
            word |= (code >> taken & ((1u << bits) - 1)) << low;
            taken += bits;
        }
        return word;
    }
    /// The code that a register's value holds.
    std::uint32_t in(std::uint32_t word) const
    {
        if (pieces.empty())
            return word >> lsb & maxCode();
        std::uint32_t code = 0;
        int taken = 0;
        for (const auto& [low, bits] : pieces) {
            code |= (word >> low & ((1u << bits) - 1)) << taken;
            taken += bits;
        }
        return code;
    }
    /// Its highest bit in the register.
    int top() const;
    /// "7", "7:4", "9,3:0": as the data sheet would write its bits.
    std::string bitsText() const;
    /// Whether the register remembers what was written here.
    /// Whether writing back what was read would do something.
    bool actsOnOnes() const
    {
        return access == Access::WriteOneToClear || access == Access::WriteOneToSet ||
               access == Access::WriteOneToToggle;
    }
    bool keepsWrites() const { return access == Access::ReadWrite || access == Access::Once; }
};

/// Where some of a register's bits stand, when they lie at several addresses: its high and its low byte.
struct RegisterPart {
    std::string name;         ///< "COUNTH", as the data sheet calls it
    std::uint32_t offset = 0; ///< bytes from the instance's base
    int lsb = 0;              ///< of the register's bits, the lowest that is here
    int width = 8;            ///< bits: 8 or 16; it is read and written as a whole

    std::uint32_t bytes() const { return std::uint32_t(width) / 8; }
    std::uint32_t mask() const { return (1u << width) - 1; } ///< of its own bits
};

/// A value that must be written to another register right before each write, one of a sequence: no other write comes
/// between, reading may.
struct WriteGuard {
    InstanceIndex instance = -1; ///< -1: the key register stands in the same block
    RegisterIndex reg;
    FieldIndex field;
    std::uint32_t code = 0;

    bool valid() const { return reg >= 0; }
};

struct Register {
    std::string name;
    std::uint32_t offset = 0; ///< bytes from the instance's base; of the lowest of its parts
    std::uint32_t reset = 0;  ///< of the block's instances, where they do not say otherwise: Device::resetOf()
    int width = 32;           ///< bits: 8, 16 or 32; of several parts, what they have together
    IndexVector<FieldIndex, Field> fields;
    std::string about;
    /// In the order in which they are written: the chip takes the value over with the last. Empty: it is read and
    /// written as a whole.
    std::vector<RegisterPart> parts;
    /// Parts are read in the order in which they are written, not the other way round. The first that is read holds the
    /// others for it.
    bool readAsWritten = false;
    std::vector<WriteGuard> guards; ///< in the order in which they are written
    /// After a write nothing of the instance, nor of what its gates and resets release, may be accessed for so long.
    Duration settles;

    std::uint32_t bytes() const { return std::uint32_t(width) / 8; }
    /// Whether a C assignment is all that a write takes.
    bool plain() const { return parts.empty() && guards.empty() && settles.value.isZero(); }
    /// Every address that it has: offset and bytes.
    std::vector<std::pair<std::uint32_t, std::uint32_t>> places() const;
};

/// A field of a block that holds a role of the arithmetic.
struct Role {
    RegisterIndex reg = -1;
    FieldIndex field = -1;
    Encoding encoding;
    /// Fields that hold the code's higher bits, from lower to higher, where it is sliced over several.
    std::vector<std::pair<RegisterIndex, FieldIndex>> higher = {};
};

/// Roles of a serial instance's lanes: a field picks one of the allowed combinations.
struct LaneRoles {
    struct Combination {
        std::uint32_t code = 0;
        std::map<std::string, int, std::less<>> lanes; ///< signal -> lane
    };
    RegisterIndex reg;
    FieldIndex field; ///< -1: there is one combination and nothing to select
    std::vector<Combination> combinations;
};

/// Registers described once, instantiated at addresses.
struct Block {
    std::string name;
    std::string
        kind; ///< whose arithmetic applies: "uart", "i2c", "timer", "gpio", …; empty for a block of no known kind
    std::string about;
    Current draws, drawsPerMegahertz; ///< of each instance; see there
    IndexVector<RegisterIndex, Register> registers;
    std::map<std::string, Role, std::less<>> roles;
    std::map<std::string, std::vector<std::int64_t>, std::less<>> abilities; ///< "oversampling": [16, 8]
    LaneRoles laneRoles; ///< no combinations: the block's signals are not on lanes

    const Role* role(std::string_view name) const;
    /// The largest code of a role, over all its slices.
    std::uint32_t maxCode(const Role& role) const;
    /// The first number of an ability, or the fallback.
    std::int64_t ability(std::string_view name, std::int64_t fallback) const;
};

/// One field of one instance.
struct FieldRef {
    InstanceIndex instance = -1;
    RegisterIndex reg = -1;
    FieldIndex field = -1;

    bool valid() const { return instance >= 0; }
    auto operator<=>(const FieldRef&) const = default;
};

/// A field and the code that it holds, or must hold: "CLK.OSC.HFXON=1".
struct FieldCode {
    FieldRef ref;
    std::uint32_t code = 1;

    bool valid() const { return ref.valid(); }
    auto operator<=>(const FieldCode&) const = default;
};

} // namespace bindrel
