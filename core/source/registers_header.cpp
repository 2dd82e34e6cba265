// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_regs.h: the registers of every block that the bring-up or a need's functions touch.
#include "core/base/text.h"
#include "core/source/clock_rates.h"
#include "core/source/register_access.h"
#include "core/source/safe_text.h"
#include "core/source/writer.h"

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

/// Bits that do not lie side by side are put together and taken apart by functions, so that a register is read once.
void scattered(Writer& w, const Word& macro, const Field& field)
{
    std::vector<Code> put, taken;
    int from = 0;
    for (const auto& [low, bits] : field.pieces) {
        const std::uint32_t mask = (1u << bits) - 1;
        put.push_back(code("(code >> {}u & 0x{:X}u) << {}u", from, mask, low));
        taken.push_back(code("(word >> {}u & 0x{:X}u) << {}u", low, mask, from));
        from += bits;
    }
    w.linef("static inline uint32_t {}_AT(uint32_t code)", macro);
    w.line("{");
    w.linef("    return {};", joinedCode(put, " | "));
    w.line("}");
    w.linef("static inline uint32_t {}_OF(uint32_t word)", macro);
    w.line("{");
    w.linef("    return {};", joinedCode(taken, " | "));
    w.line("}");
}

std::vector<int> usedInstances(const Facts& f, const Names& names)
{
    std::set<int> used;
    for (const std::vector<Step>* list : f.image.allSteps())
        for (const Step& step : *list)
            used.insert({step.instance, step.kind == Step::Kind::Copy ? step.from.instance : step.instance});
    if (f.device.cores[names.core].architecture == Core::Architecture::RiscV)
        used.insert(f.device.cores[names.core].interruptController);
    if (names.core == 0)
        for (const FieldCode& watchdog : runningWatchdogs(f.device))
            used.insert(watchdog.ref.instance);
    for (const Core& core : f.device.cores)
        if (core.release.valid())
            used.insert(core.release.ref.instance);
    addClockRateInstances(f, names, used);
    for (const InstanceIndex instance : std::vector<int>(used.begin(), used.end()))
        for (const int guard : guardsOf(f.device.blockOf(instance)))
            used.insert(guard);
    return {used.begin(), used.end()};
}

bool hasParts(const Block& block)
{
    return std::any_of(block.registers.begin(), block.registers.end(),
                       [](const Register& reg) { return !reg.parts.empty(); });
}

void writeBlock(Writer& w, const Block& block)
{
    const Word name = Word::of(block.name);
    struct Member {
        std::uint32_t offset;
        int width;
        Word name;
        std::string about;
    };
    std::vector<Member> members;
    std::vector<const Register*> order;
    for (const Register& reg : block.registers) {
        order.push_back(&reg);
        if (reg.parts.empty())
            members.push_back({reg.offset, reg.width, Word::spelled(reg.name), reg.about});
        for (const RegisterPart& part : reg.parts)
            members.push_back({part.offset, part.width, Word::spelled(part.name),
                               fmt::format("{}, bits {} to {}", reg.name, part.lsb, part.lsb + part.width - 1)});
    }
    std::sort(order.begin(), order.end(), [](const Register* a, const Register* b) { return a->offset < b->offset; });
    std::sort(members.begin(), members.end(), [](const Member& a, const Member& b) { return a.offset < b.offset; });
    if (!block.about.empty())
        w.comment(block.about);
    w.linef("struct {} {{", w.names.name(name));
    std::uint32_t next = 0;
    int gap = 0;
    for (const Member& member : members) {
        const bool words = member.offset % 4 == 0 && next % 4 == 0;
        if (member.offset > next)
            w.linef("    {} gap{}[{}];", words ? WordLiteral("uint32_t") : WordLiteral("uint8_t"), gap++,
                    (member.offset - next) / (words ? 4 : 1));
        w.linef("{:<34}{}", code("    volatile {} {};", typeOf(member.width), member.name),
                cComment(fmt::format("0x{:02X}{}{}", member.offset, member.about.empty() ? "" : " ", member.about)));
        next = member.offset + std::uint32_t(member.width) / 8;
    }
    w.line("};");
    w.line();
    const Word begin = w.names.macro(name.upper());
    for (const Register* reg : order)
        for (const Field& field : reg->fields) {
            const Word macro = begin + "_" + Word::spelled(reg->name) + "_" + Word::spelled(field.name);
            if (field.about.empty())
                w.linef("#define {:<36} 0x{:08X}u", macro, field.mask());
            else
                w.linef("#define {:<36} 0x{:08X}u {}", macro, field.mask(), cComment(field.about));
            if (!field.pieces.empty())
                scattered(w, macro, field);
            else if (field.width > 1)
                w.linef("#define {:<36} ((uint32_t)(x) << {})", code("{}_AT(x)", macro), field.lsb);
            for (const auto& [value, ending] : codeNames(block, field))
                w.linef("#define {:<36} {}u", macro + "_" + ending, value);
        }
    w.line();
}

/// Between numbers and fields that hold four bits per decimal digit.
void writeDecimalConversion(Writer& w)
{
    w.linef("static inline uint32_t {}(uint32_t bcd)", w.names.name("from_bcd"));
    w.line("{");
    w.line("    uint32_t value = 0u;");
    w.line("    for (uint32_t shift = 32u; shift > 0u; shift -= 4u) {");
    w.line("        value = value * 10u + (bcd >> (shift - 4u) & 0xFu);");
    w.line("    }");
    w.line("    return value;");
    w.line("}");
    w.line();
    w.linef("static inline uint32_t {}(uint32_t value)", w.names.name("to_bcd"));
    w.line("{");
    w.line("    uint32_t bcd = 0u;");
    w.line("    for (uint32_t shift = 0u; shift < 32u; shift += 4u) {");
    w.line("        bcd |= value % 10u << shift;");
    w.line("        value /= 10u;");
    w.line("    }");
    w.line("    return bcd;");
    w.line("}");
    w.line();
}

} // namespace

SourceFile registersHeader(const Facts& f, const Names& names)
{
    Writer w(f, names, names.path(WordLiteral("regs"), ".h"),
             "Registers of the blocks that this plan uses: a struct and named bits for each.");
    const Word guard = names.macro("REGS_H");
    w.linef("#ifndef {0}", guard);
    w.linef("#define {0}", guard);
    w.line();
    const std::vector<int> instances = usedInstances(f, names);
    const bool parts = std::any_of(instances.begin(), instances.end(),
                                   [&f](InstanceIndex instance) { return hasParts(f.device.blockOf(instance)); });
    if (parts)
        w.line("#include <stdbool.h>");
    w.line("#include <stdint.h>");
    w.line();
    if (parts && names.core == 0 && !runningWatchdogs(f.device).empty()) {
        w.linef("void {}_feed_early(void);", names.prefix);
        w.line();
    }
    if (std::any_of(instances.begin(), instances.end(), [&f](InstanceIndex instance) {
            const IndexVector<RegisterIndex, Register>& registers = f.device.blockOf(instance).registers;
            return std::any_of(registers.begin(), registers.end(),
                               [](const Register& reg) { return !reg.guards.empty(); });
        })) {
        w.linef("uint32_t {}_interrupts_hold(void);", names.prefix);
        w.linef("void {}_interrupts_release(uint32_t before);", names.prefix);
        w.line();
    }
    std::set<int> blocks;
    for (const InstanceIndex instance : instances)
        if (blocks.insert(f.device.instances[instance].block).second)
            writeBlock(w, f.device.blockOf(instance));
    w.comment("Base addresses.");
    for (const InstanceIndex instance : instances)
        w.linef("#define {:<20} ((struct {} *)0x{:08X}u)", instanceMacro(f, names, instance),
                names.name(Word::of(f.device.blockOf(instance).name)), f.device.instances[instance].base);
    w.line();
    const bool decimal = std::any_of(blocks.begin(), blocks.end(), [&f](BlockIndex block) {
        const auto& roles = f.device.blocks[block].roles;
        return std::any_of(roles.begin(), roles.end(),
                           [](const auto& role) { return role.second.encoding.kind == Encoding::Kind::Bcd; });
    });
    if (decimal)
        writeDecimalConversion(w);
    for (const BlockIndex block : blocks)
        writeAccessors(w, f.device.blocks[block], block);
    w.linef("#endif /* {} */", guard);
    return w.take();
}

} // namespace bindrel
