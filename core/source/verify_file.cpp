// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_verify.h and .c: compares the chip's registers with the plan, on the target.
#include "core/source/register_access.h"
#include "core/source/register_uses.h"
#include "core/source/writer.h"

#include <algorithm>
#include <map>

namespace bindrel {

namespace {

/// The core whose program looks at an instance's registers: that of the need that owns it, else the first.
std::map<InstanceIndex, CoreIndex> owners(const Facts& f)
{
    std::map<InstanceIndex, CoreIndex> out;
    for (const NeedIndex n : f.plan.needs.indices())
        if (const InstanceIndex instance = f.bindings.needs[n].instance; instance >= 0)
            out.emplace(instance, coreOf(f, n));
    return out;
}

/// The bits of a register that hold what was written to them; 0 where reading it has an effect.
std::uint32_t comparedBits(const Register& reg, const RegisterUse& use)
{
    std::uint32_t out = 0;
    for (const Field& field : reg.fields) {
        if (field.access == Field::Access::ReadToClear)
            return 0;
        out |= field.keepsWrites() ? field.mask() : 0;
    }
    return out & ~use.changing;
}

/// Bits that only needs write which the user's own code drives.
std::map<std::pair<InstanceIndex, RegisterIndex>, std::uint32_t> leftToOthers(const Facts& f)
{
    std::map<std::pair<InstanceIndex, RegisterIndex>, std::uint32_t> out, own;
    for (const Step& step : f.image.steps) {
        if (step.kind == Step::Kind::Wait || step.kind == Step::Kind::Read)
            continue;
        const bool left = step.need >= 0 && f.plan.leavesOut(f.plan.needs[step.need]);
        (left ? out : own)[{step.instance, step.reg}] |= step.kind == Step::Kind::Write ? UINT32_MAX : step.mask;
    }
    for (auto& [where, mask] : out)
        if (const auto kept = own.find(where); kept != own.end())
            mask &= ~kept->second;
    return out;
}

struct Comparison {
    const RegisterValue* value = nullptr;
    std::uint32_t mask = 0;
};

std::vector<Comparison> comparisons(const Facts& f, const Names& names)
{
    const std::map<InstanceIndex, CoreIndex> owner = owners(f);
    const std::map<std::pair<InstanceIndex, RegisterIndex>, std::uint32_t> foreign = leftToOthers(f);
    std::map<BlockIndex, std::vector<RegisterUse>> uses;
    std::vector<Comparison> out;
    for (const RegisterValue& value : f.image.registers) {
        const auto own = owner.find(value.instance);
        if ((own == owner.end() ? CoreIndex(0) : own->second) != int(names.core))
            continue;
        const BlockIndex block = f.device.instances[value.instance].block;
        const auto [known, fresh] = uses.try_emplace(block);
        if (fresh)
            known->second = registerUses(f.device.blocks[block]);
        const auto others = foreign.find({value.instance, value.reg});
        if (const std::uint32_t mask =
                comparedBits(f.device.blocks[block].registers[value.reg], known->second[size_t(value.reg)]) &
                ~(others == foreign.end() ? 0u : others->second))
            out.push_back({&value, mask});
    }
    return out;
}

} // namespace

std::vector<SourceFile> verifyFiles(const Facts& f, const Names& names)
{
    const std::vector<Comparison> all = comparisons(f, names);
    if (all.empty() || f.plan.leftOut.contains(OutputPart::Verify))
        return {};
    const Word& p = names.prefix;
    const char* purpose = "Compares registers with the plan, on the target.";
    Writer header(f, names, names.path(WordLiteral("verify"), ".h"), purpose);
    const Word guard = names.macro("VERIFY_H");
    header.linef("#ifndef {}", guard);
    header.linef("#define {}", guard);
    header.line();
    header.comment("The first register that does not hold what the plan says, as \"INSTANCE.REGISTER\"; a null pointer "
                   "if all do. Call it when all needs have been started and before they are used: what your program "
                   "sets later differs from the plan. Only reads, and no register whose reading has an effect.");
    header.linef("const char *{}_verify(void);", p);
    header.line();
    header.linef("#endif /* {} */", guard);

    Writer source(f, names, names.path(WordLiteral("verify"), ".c"), purpose);
    source.line(names.include(WordLiteral("verify")));
    source.line(names.include(WordLiteral("regs")));
    source.line();
    source.line("#include <stddef.h>");
    source.line();
    source.linef("const char *{}_verify(void)", p);
    source.line("{");
    for (const auto& [value, mask] : all) {
        const Instance& instance = f.device.instances[value->instance];
        const Register& reg = f.device.blockOf(value->instance).registers[value->reg];
        source.because({Place::Kind::Register, instance.name + "." + reg.name, {}}, "planned value");
        const std::uint32_t whole = reg.width >= 32 ? UINT32_MAX : (1u << reg.width) - 1;
        const Code read = registerValue(f, names, value->instance, value->reg);
        source.linef("    if ({} != 0x{:X}u) {{", mask == whole ? read : code("({} & 0x{:X}u)", read, mask),
                     value->value & mask);
        source.linef("        return {};", cString(instance.name + "." + reg.name));
        source.line("    }");
    }
    source.noCause();
    source.line("    return NULL;");
    source.line("}");
    return {header.take(), source.take()};
}

} // namespace bindrel
