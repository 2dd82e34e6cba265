// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/simulated_registers.h"

#include "core/base/say.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace bindrel {

std::optional<std::int64_t> meaningOf(const Encoding& encoding, std::uint32_t code)
{
    switch (encoding.kind) {
    case Encoding::Kind::AsIs:
        return code;
    case Encoding::Kind::MinusOne:
        return std::int64_t(code) + 1;
    case Encoding::Kind::PowerOfTwo:
        return code < 63 ? std::optional(std::int64_t(1) << code) : std::nullopt;
    case Encoding::Kind::Bcd: {
        std::int64_t value = 0, place = 1;
        for (std::uint32_t rest = code; rest != 0; rest >>= 4, place *= 10) {
            if (rest % 16 > 9)
                return std::nullopt;
            value += place * (rest % 16);
        }
        return value;
    }
    case Encoding::Kind::Table:
        for (const auto& [value, listed] : encoding.table)
            if (listed == code)
                return value;
        return std::nullopt;
    case Encoding::Kind::Piecewise:
        for (const Encoding::Segment& segment : encoding.segments)
            if (code >= segment.firstCode && code <= segment.lastCode)
                return segment.base + segment.step * (std::int64_t(code) - std::int64_t(segment.firstCode));
        return std::nullopt;
    }
    return std::nullopt;
}

SimulatedRegisters::SimulatedRegisters(const Device& device) : device_(device), locked_(device.instances.size(), false)
{
    for (const InstanceIndex i : device.instances.indices()) {
        cellOf_.emplace_back();
        const Block& block = device.blocks[device.instances[i].block];
        for (const RegisterIndex r : block.registers.indices()) {
            const auto own = device.instances[i].resets.find(int(r));
            const Register& reg = block.registers[r];
            const auto [at, fresh] =
                byAddress_.try_emplace(device.instances[i].base + reg.offset, Spot{int(cells_.size()), -1});
            if (fresh)
                cells_.push_back({{}, own != device.instances[i].resets.end() ? own->second : reg.reset, 0});
            const int cell = at->second.cell;
            for (size_t p = 0; p < reg.parts.size(); ++p)
                byAddress_[device.instances[i].base + reg.parts[p].offset] = {cell, int(p)};
            cells_[size_t(cell)].faces.emplace_back(int(i), int(r));
            cellOf_.back().push_back(cell);
            for (const FieldIndex f : block.registers[r].fields.indices())
                if (const Field& field = block.registers[r].fields[f]; field.followsReg >= 0)
                    following_.push_back({{int(i), int(r), int(f)},
                                          {int(i), field.followsReg, field.followsField},
                                          (field.followsAfter.value * kSecond).ceil(),
                                          0,
                                          0,
                                          0});
        }
    }
    for (Following& f : following_)
        f.code = f.target = code(f.control);
    for (const Unlock& unlock : device.unlocks)
        locked_[size_t(unlock.instance)] = true;
}

void SimulatedRegisters::reset()
{
    const SimulatedRegisters fresh(device_);
    for (size_t i = 0; i < cells_.size(); ++i) {
        Cell& cell = cells_[i];
        std::uint32_t survives = 0;
        for (const auto& face : cell.faces)
            for (const Field& field : shape(face).fields)
                survives |= field.survivesReset ? field.mask() : 0;
        cell.value = (cell.value & survives) | (fresh.cells_[i].value & ~survives);
        cell.once &= survives;
        cell.latch = 0;
    }
    for (Following& f : following_) {
        f.code = device_.fieldOf(f.control).survivesReset ? f.code : code(f.control);
        f.target = code(f.control);
        f.due = 0;
    }
    locked_ = fresh.locked_;
    written_.clear();
}

void SimulatedRegisters::lose(InstanceIndex instance)
{
    const std::vector<int>& cells = cellOf_[size_t(instance)];
    for (size_t reg = 0; reg < cells.size(); ++reg) {
        Cell& cell = cells_[size_t(cells[reg])];
        cell.value = device_.resetOf(instance, reg);
        cell.once = cell.latch = 0;
    }
    for (Following& f : following_)
        if (f.status.instance == instance || f.control.instance == instance) {
            f.code = f.target = code(f.control);
            f.due = 0;
        }
    for (const Unlock& unlock : device_.unlocks)
        if (unlock.instance == instance)
            locked_[size_t(instance)] = true;
}

SimulatedRegisters::Spot SimulatedRegisters::find(std::uint32_t address) const
{
    const auto found = byAddress_.find(address);
    return found == byAddress_.end() ? Spot{} : found->second;
}

const Register& SimulatedRegisters::shape(std::pair<InstanceIndex, RegisterIndex> face) const
{
    return device_.blocks[device_.instances[face.first].block].registers[face.second];
}

std::pair<InstanceIndex, RegisterIndex> SimulatedRegisters::faceOf(int index, std::uint32_t written) const
{
    const Cell& c = cells_[size_t(index)];
    if (c.faces.size() == 1)
        return c.faces.front();
    for (const auto& face : c.faces) {
        const std::vector<FieldCode>& selects = device_.instances[face.first].selects;
        const bool is = std::all_of(selects.begin(), selects.end(), [&](const FieldCode& select) {
            const Field& field = shape({select.ref.instance, select.ref.reg}).fields[select.ref.field];
            const std::uint32_t held = cellOf(select.ref.instance, select.ref.reg) == index
                                           ? written
                                           : cells_[size_t(cellOf(select.ref.instance, select.ref.reg))].value;
            return field.in(held) == select.code;
        });
        if (is)
            return face;
    }
    return c.faces.front();
}

std::uint32_t SimulatedRegisters::code(const FieldRef& ref) const
{
    const int index = cellOf(ref.instance, ref.reg);
    const Field& field = shape({ref.instance, ref.reg}).fields[ref.field];
    return field.in(cells_[size_t(index)].value);
}

std::uint32_t SimulatedRegisters::code(InstanceIndex instance, const Role& role) const
{
    std::uint32_t out = code({instance, role.reg, role.field});
    int below = shape({instance, role.reg}).fields[role.field].width;
    for (const auto& [reg, field] : role.higher) {
        out |= code({instance, reg, field}) << below;
        below += shape({instance, reg}).fields[field].width;
    }
    return out;
}

void SimulatedRegisters::put(const FieldRef& ref, std::uint32_t code)
{
    const int index = cellOf(ref.instance, ref.reg);
    const Field& field = shape({ref.instance, ref.reg}).fields[ref.field];
    std::uint32_t& value = cells_[size_t(index)].value;
    value = (value & ~field.mask()) | field.at(code);
}

std::uint32_t SimulatedRegisters::read(int index)
{
    Cell& c = cells_[size_t(index)];
    std::uint32_t seen = c.value;
    for (const Field& field : shape(faceOf(index)).fields) {
        if (field.access == Field::Access::WriteOnly || field.access == Field::Access::Key)
            seen &= ~field.mask();
        if (field.access == Field::Access::ReadToClear)
            c.value &= ~field.mask();
    }
    return seen;
}

std::uint32_t SimulatedRegisters::readPart(const Spot& spot)
{
    const Register& reg = shape(faceOf(spot.cell));
    Cell& c = cells_[size_t(spot.cell)];
    const RegisterPart& part = reg.parts[size_t(spot.part)];
    const size_t first = reg.readAsWritten ? 0 : reg.parts.size() - 1;
    if (size_t(spot.part) == first)
        c.latch = read(spot.cell);
    return c.latch >> part.lsb & part.mask();
}

std::optional<std::uint32_t> SimulatedRegisters::writePart(const Spot& spot, std::uint32_t value)
{
    const Register& reg = shape(faceOf(spot.cell));
    Cell& c = cells_[size_t(spot.cell)];
    const RegisterPart& part = reg.parts[size_t(spot.part)];
    c.latch = (c.latch & ~(part.mask() << part.lsb)) | (value & part.mask()) << part.lsb;
    return size_t(spot.part) + 1 == reg.parts.size() ? std::optional(c.latch) : std::nullopt;
}

std::string SimulatedRegisters::write(int index, std::uint32_t value, Moment now)
{
    Cell& c = cells_[size_t(index)];
    const auto [owner, number] = faceOf(index, value);
    const Register& reg = shape({owner, number});
    const std::string& instance = device_.instances[owner].name;
    const auto guarded = [&](size_t back) -> const Written* {
        return back < written_.size() ? &written_[written_.size() - 1 - back] : nullptr;
    };
    std::string unguarded;
    for (size_t g = 0; g < reg.guards.size() && unguarded.empty(); ++g) {
        const WriteGuard& guard = reg.guards[g];
        const InstanceIndex by = guard.instance < 0 ? InstanceIndex(owner) : guard.instance;
        const Register& lock = shape({by, guard.reg});
        const Written* was = guarded(reg.guards.size() - 1 - g);
        if (!was || was->cell != cellOf(by, guard.reg) || lock.fields[guard.field].in(was->value) != guard.code)
            unguarded = say("{}.{} ignores a write that does not directly follow 0x{:X} in {}.{}", instance, reg.name,
                            guard.code, device_.instances[by].name, lock.name);
    }
    constexpr size_t kRemembered = 8; // no guard has more keys
    if (written_.size() == kRemembered)
        written_.erase(written_.begin());
    written_.push_back({index, value});
    if (!unguarded.empty())
        return unguarded;
    if (locked_[size_t(owner)]) {
        for (const Unlock& unlock : device_.unlocks)
            if (unlock.instance == owner && unlock.reg == number) {
                if (value != unlock.key)
                    return say("{}.{} accepts only its key 0x{:08X}; 0x{:08X} was written", instance, reg.name,
                               unlock.key, value);
                locked_[size_t(owner)] = false;
                return {};
            }
        return say("{} is locked: the write to {}.{} does nothing before its key", instance, instance, reg.name);
    }
    for (const Field& field : reg.fields)
        if (field.access == Field::Access::Key && field.in(value) != field.key)
            return say("{}.{} ignores a write without 0x{:X} in {}", instance, reg.name, field.key, field.name);
    std::string lost;
    for (const Field& field : reg.fields) {
        const std::uint32_t mask = field.mask();
        switch (field.access) {
        case Field::Access::ReadWrite:
            c.value = (c.value & ~mask) | (value & mask);
            break;
        case Field::Access::Once:
            if (!(c.once & mask))
                c.value = (c.value & ~mask) | (value & mask);
            else if ((c.value & mask) != (value & mask))
                lost = say("{}.{}.{} can be written only once after reset, and has been: {} stays {}", instance,
                           reg.name, field.name, field.in(value), field.in(c.value));
            c.once |= mask;
            break;
        case Field::Access::WriteOneToClear:
            c.value &= ~(value & mask);
            break;
        case Field::Access::WriteZeroToClear:
            c.value &= ~(~value & mask);
            break;
        case Field::Access::WriteOneToSet:
            c.value |= value & mask;
            break;
        case Field::Access::WriteOneToToggle:
            c.value ^= value & mask;
            break;
        case Field::Access::ReadOnly:
        case Field::Access::WriteOnly:
        case Field::Access::ReadToClear:
        case Field::Access::Key:
            break;
        }
    }
    follow(now);
    for (Following& f : following_)
        if (cellOf(f.control.instance, f.control.reg) == index)
            if (const std::uint32_t target = code(f.control); target != f.target) {
                f.target = target;
                f.due = now + f.after;
            }
    return lost;
}

void SimulatedRegisters::follow(Moment now)
{
    for (Following& f : following_) {
        if (f.code != f.target && f.due <= now)
            f.code = f.target;
        put(f.status, f.code);
    }
}

std::optional<Moment> SimulatedRegisters::nextFollow() const
{
    std::optional<Moment> next;
    for (const Following& f : following_)
        if (f.code != f.target && (!next || f.due < *next))
            next = f.due;
    return next;
}

std::optional<Moment> SimulatedRegisters::followTime(const FieldRef& status) const
{
    for (const Following& f : following_)
        if (f.status == status)
            return f.after;
    return std::nullopt;
}

void SimulatedRegisters::stopTracking(const FieldRef& status)
{
    std::erase_if(following_, [&status](const Following& f) { return f.status == status; });
}

} // namespace bindrel
