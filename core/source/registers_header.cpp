// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_regs.h: the registers of every block that the bring-up or a need's functions touch.
#include "core/base/text.h"
#include "core/source/c_text.h"
#include "core/source/writer.h"

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

std::vector<int> usedInstances(const Facts& f)
{
    std::set<int> used;
    for (const std::vector<Step>* list : f.image.allSteps())
        for (const Step& step : *list)
            used.insert({step.instance, step.kind == Step::Kind::Copy ? step.from.instance : step.instance});
    if (f.device.core().architecture == Core::Architecture::RiscV)
        used.insert(f.device.interruptController);
    for (const Core& core : f.device.cores)
        if (core.release.valid())
            used.insert(core.release.ref.instance);
    return {used.begin(), used.end()};
}

void writeBlock(Writer& w, const Block& block)
{
    const std::string name = identifierOf(block.name);
    std::vector<const Register*> order;
    for (const Register& reg : block.registers)
        order.push_back(&reg);
    std::sort(order.begin(), order.end(), [](const Register* a, const Register* b) { return a->offset < b->offset; });
    if (!block.about.empty())
        w.comment(block.about);
    w.linef("struct {} {{", w.names.name(name));
    std::uint32_t next = 0;
    int gap = 0;
    for (const Register* reg : order) {
        if (reg->offset > next)
            w.linef("    uint32_t gap{}[{}];", gap++, (reg->offset - next) / 4);
        const std::string text = fmt::format("    volatile uint32_t {};", reg->name);
        w.linef("{:<34}/* 0x{:02X}{}{} */", text, reg->offset, reg->about.empty() ? "" : " ", commentText(reg->about));
        next = reg->offset + 4;
    }
    w.line("};");
    w.line();
    // Some thousands of lines, a good part of all that is written: put together by hand.
    const std::string begin = "#define " + w.names.macro(uppered(name)) + "_";
    constexpr size_t kColumn = 8 + 36;
    const auto defined = [&begin](const Register& reg, const Field& field, std::string_view more) {
        std::string text;
        text.reserve(96);
        text.append(begin).append(reg.name).append("_").append(field.name).append(more);
        text.append(text.size() < kColumn ? kColumn - text.size() + 1 : 1, ' ');
        return text;
    };
    for (const Register* reg : order)
        for (const Field& field : reg->fields) {
            std::string text = defined(*reg, field, {});
            fmt::format_to(std::back_inserter(text), "0x{:08X}u", field.mask());
            if (!field.about.empty())
                text.append(" /* ").append(commentText(field.about)).append(" */");
            w.line(std::move(text));
            if (field.width > 1)
                w.line(defined(*reg, field, "_AT(x)").append("((uint32_t)(x) << ").append(std::to_string(field.lsb)).append(")"));
        }
    w.line();
}

} // namespace

SourceFile registersHeader(const Facts& f, const Names& names)
{
    Writer w(f, names, names.name("regs.h"), "Registers of the blocks that this plan uses: a struct and named bits for each.");
    const std::string guard = names.macro("REGS_H");
    w.linef("#ifndef {0}", guard);
    w.linef("#define {0}", guard);
    w.line();
    w.line("#include <stdint.h>");
    w.line();
    std::set<int> blocks;
    const std::vector<int> instances = usedInstances(f);
    for (const int instance : instances)
        if (blocks.insert(f.device.instances[size_t(instance)].block).second)
            writeBlock(w, f.device.blockOf(instance));
    w.comment("Where they are.");
    for (const int instance : instances)
        w.linef("#define {:<20} ((struct {} *)0x{:08X}u)", instanceMacro(f, names, instance), names.name(identifierOf(f.device.blockOf(instance).name)),
                f.device.instances[size_t(instance)].base);
    w.line();
    w.linef("#endif /* {} */", guard);
    return w.take();
}

} // namespace bindrel
