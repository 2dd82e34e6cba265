// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/register_uses.h"

#include "core/device/block_kind.h"

namespace bindrel {

std::vector<RegisterUse> registerUses(const Block& block)
{
    std::vector<RegisterUse> out(block.registers.size());
    const BlockKind* kind = findBlockKind(block.kind);
    if (!kind)
        return out;
    for (const auto& [name, role] : block.roles) {
        const RoleSpec* spec = kind->role(name);
        if (!spec)
            continue;
        RegisterUse& use = out[size_t(role.reg)];
        if (spec->use != RoleSpec::Use::Config || (block.kind == "port" && isWordOf(name, "level#")))
            use.changing |= block.registers[role.reg].fields[role.field].mask();
        use.takenByReading = use.takenByReading || spec->use == RoleSpec::Use::Data;
    }
    return out;
}

} // namespace bindrel
