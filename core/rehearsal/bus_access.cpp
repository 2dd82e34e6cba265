// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/bus_access.h"

namespace bindrel {

std::vector<BusAccess> accessesOf(const Device& device, InstanceIndex instance, RegisterIndex reg, std::uint32_t value)
{
    const Register& shape = device.blockOf(instance).registers[reg];
    const std::uint32_t base = device.instances[instance].base;
    std::vector<BusAccess> out;
    const auto add = [&out](std::uint32_t address, std::uint32_t bits, std::uint32_t bytes) {
        out.push_back({address, bits & (bytes == 4 ? ~0u : (1u << bytes * 8) - 1), int(bytes)});
    };
    for (const WriteGuard& guard : shape.guards) {
        const FieldRef key{guard.instance < 0 ? instance : guard.instance, guard.reg, guard.field};
        add(device.addressOf(key.instance, key.reg), device.fieldOf(key).at(guard.code),
            device.registerOf(key).bytes());
    }
    for (const RegisterPart& part : shape.parts)
        add(base + part.offset, value >> part.lsb, part.bytes());
    if (shape.parts.empty())
        add(base + shape.offset, value, shape.bytes());
    return out;
}

} // namespace bindrel
