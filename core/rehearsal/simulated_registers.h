// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/device/device.h"
#include "core/rehearsal/hazard.h"

#include <functional>
#include <optional>
#include <unordered_map>
#include <vector>

namespace bindrel {

/// The value that a code stands for in an encoding, worked out from the encoding's facts alone; empty when it stands
/// for none.
std::optional<std::int64_t> meaningOf(const Encoding& encoding, std::uint32_t code);

/// All registers of a chip, with what reading and writing does to each field. Knows nothing of clocks and pads: who
/// does is asked for status bits, and told of what was written.
class SimulatedRegisters {
public:
    struct Cell {
        /// The register as each instance at this address lays it out: the faces of one unit share their bits.
        std::vector<std::pair<InstanceIndex, RegisterIndex>> faces;
        std::uint32_t value = 0;
        std::uint32_t once = 0; ///< bits of write-once fields that have been written
        std::uint32_t latch =
            0; ///< of a register of parts: what has been written before its last part, or is held for reading
    };
    /// A status that takes the code of another field, some time later.
    struct Following {
        FieldRef status, control;
        Moment after = 0;
        std::uint32_t code = 0, target = 0;
        Moment due = 0;
    };

    explicit SimulatedRegisters(const Device& device);

    /// What stands at an address: a whole register, or one of its parts.
    struct Spot {
        int cell = -1; ///< -1: nothing does
        int part = -1; ///< of the register's parts; -1: it has none
    };
    Spot find(std::uint32_t address) const;
    int cellOf(InstanceIndex instance, RegisterIndex reg) const { return cellOf_[size_t(instance)][size_t(reg)]; }
    const Cell& cell(int index) const { return cells_[size_t(index)]; }
    /// Instance and register as which a cell is used at this moment: the face that its unit has, with what is about to
    /// be written.
    std::pair<InstanceIndex, RegisterIndex> faceOf(int index, std::uint32_t written) const;
    std::pair<InstanceIndex, RegisterIndex> faceOf(int index) const
    {
        return faceOf(index, cells_[size_t(index)].value);
    }
    const Register& shape(std::pair<InstanceIndex, RegisterIndex> face) const;

    /// What a field holds inside the chip.
    std::uint32_t code(const FieldRef& ref) const;
    /// Of a role of an instance, put together from its slices.
    std::uint32_t code(InstanceIndex instance, const Role& role) const;
    bool holds(const FieldCode& field) const { return code(field.ref) == field.code; }
    /// The hardware itself changes a field.
    void put(const FieldRef& ref, std::uint32_t code);

    /// What the bus reads; side effects of reading happen. REQUIRES: status bits have been put.
    std::uint32_t read(int index);
    /// The same of a part: the one that is read first takes the whole value and holds the others still.
    std::uint32_t readPart(const Spot& spot);
    /// Takes a write. Gives what of it is lost, in words; empty when all of it counts. `key` is what opens a locked
    /// instance.
    std::string write(int index, std::uint32_t value, Moment now);
    /// Takes what is written to a part: the last gives the value that the register gets, all others are held until
    /// then.
    std::optional<std::uint32_t> writePart(const Spot& spot, std::uint32_t value);

    /// Brings the following status bits up to a moment.
    void follow(Moment now);
    /// When the next of them will change; empty when none will.
    std::optional<Moment> nextFollow() const;
    /// How long a status bit can take to follow; empty when it is none.
    std::optional<Moment> followTime(const FieldRef& status) const;
    /// Somebody else makes this status bit.
    void stopTracking(const FieldRef& status);

    /// A reset that does not come from the supply: fields that survive it keep what they hold.
    void reset();

    /// An instance has been without power: its registers are as after reset.
    void lose(InstanceIndex instance);

    /// All that registers hold, to be put back later.
    const std::vector<Cell>& cells() const { return cells_; }
    void restore(std::vector<Cell> cells) { cells_ = std::move(cells); }

    bool locked(InstanceIndex instance) const { return locked_[size_t(instance)]; }
    const Device& device() const { return device_; }

private:
    const Device& device_;
    std::vector<Cell> cells_;
    std::vector<std::vector<int>> cellOf_; ///< by instance and register
    std::unordered_map<std::uint32_t, Spot> byAddress_;
    /// The registers that were written last, and what they got: what guards look at.
    struct Written {
        int cell = -1;
        std::uint32_t value = 0;
    };
    std::vector<Written> written_;
    std::vector<Following> following_;
    std::vector<bool> locked_;
};

} // namespace bindrel
