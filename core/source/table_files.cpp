// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_table.h and .c: what a row is in C, and the function that goes through a table.
#include "core/source/board_files.h"
#include "core/source/register_access.h"
#include "core/source/table_style.h"

#include <set>

namespace bindrel {

namespace {

using Steps = std::vector<const Step*>;

const Register& registerOfStep(const Facts& f, const Step& step)
{
    return f.device.blockOf(step.instance).registers[step.reg];
}

/// Every list that a function of one core's program goes through.
std::vector<Steps> listsOf(const Facts& f, const Names& names)
{
    std::vector<Steps> out;
    if (names.core == 0) {
        out = clockLists(f);
        out.push_back(stepsOf(f, Step::Phase::Unlock));
        out.push_back(stepsOf(f, Step::Phase::Pins));
    }
    for (const NeedIndex n : f.plan.needs.indices())
        if (isWritten(f, names, n))
            out.push_back(stepsOf(f, Step::Phase::Need, n));
    return out;
}

/// What the tables of a program need of the function that goes through them.
struct Demand {
    std::set<InstanceIndex> bases;
    std::set<int> widths;
    bool waits = false, reads = false;
};

Demand demandOf(const Facts& f, const Names& names)
{
    Demand out;
    for (const Steps& list : listsOf(f, names))
        for (const TableRun& run : tableRuns(f, list))
            for (const Step* step : run.table ? run.steps : Steps()) {
                out.bases.insert(step->instance);
                out.widths.insert(registerOfStep(f, *step).width);
                out.waits = out.waits || step->kind == Step::Kind::Wait;
                out.reads = out.reads || step->kind == Step::Kind::Read;
            }
    return out;
}

SourceFile tableHeader(const Facts& f, const Names& names, const Demand& demand)
{
    Writer w(f, names, names.path(WordLiteral("table"), ".h"), "Rows of register values, and what goes through them.");
    const Word guard = names.macro("TABLE_H");
    w.linef("#ifndef {}", guard);
    w.linef("#define {}", guard);
    w.line();
    w.line(names.include(WordLiteral("board")));
    w.line(names.include(WordLiteral("regs")));
    w.line();
    w.line("#include <stddef.h>");
    w.line();
    w.comment("Instances whose registers the rows reach.");
    w.linef("enum {}_table_base {{", names.prefix);
    for (const InstanceIndex instance : demand.bases)
        w.linef("    {},", tableBase(f, names, instance));
    w.line("};");
    w.line();
    const Word row = names.macro("ROW");
    w.comment(
        "A row: what is done, how its values stand, how wide the register is, and where it lies from its base; then "
        "the values, the lowest byte first. Values in one, two or four bytes, or as the number of a bit.");
    w.linef("#define {}_SIZE(block, reg) sizeof(((struct {}_##block *)0)->reg)", row, names.prefix);
    w.linef("#define {}_PLACE(block, reg) (offsetof(struct {}_##block, reg) / {}_SIZE(block, reg))", row, names.prefix,
            row);
    w.linef("#define {0}(what, block, reg) \\", row);
    w.linef("    ((what) | ({0}_SIZE(block, reg) / 2u << 1) | ({0}_PLACE(block, reg) >> 8)), \\", row);
    w.linef("    ({}_PLACE(block, reg) & 0xFFu)", row);
    w.linef("#define {}_V8(value) (value)", row);
    w.linef("#define {}_V16(value) ((value) & 0xFFu), ((value) >> 8)", row);
    w.linef("#define {}_V32(value) \\", row);
    w.line("    ((value) & 0xFFu), (((value) >> 8) & 0xFFu), (((value) >> 16) & 0xFFu), ((value) >> 24)");
    w.linef("#define {}_VBIT(value) \\", row);
    w.line("    ((((value) & 0xAAAAAAAAu) != 0u ? 1u : 0u) | (((value) & 0xCCCCCCCCu) != 0u ? 2u : 0u) | \\");
    w.line("     (((value) & 0xF0F0F0F0u) != 0u ? 4u : 0u) | (((value) & 0xFF00FF00u) != 0u ? 8u : 0u) | \\");
    w.line("     (((value) & 0xFFFF0000u) != 0u ? 16u : 0u))");
    w.line();
    w.linef("#define {}_END 0u", row);
    w.linef("#define {}_AT(base) (0x20u | ((base) >> 8)), ((base) & 0xFFu)", row);
    for (const auto& [name, what] : {std::pair{WordLiteral("WRITE"), 0x40u}, std::pair{WordLiteral("SET"), 0x60u},
                                     std::pair{WordLiteral("CLEAR"), 0x80u}})
        for (const auto& [size, how] : {std::pair{WordLiteral("8"), 0x00u}, std::pair{WordLiteral("16"), 0x08u},
                                        std::pair{WordLiteral("32"), 0x10u}, std::pair{WordLiteral("BIT"), 0x18u}})
            w.linef("#define {0}_{1}_{2}(block, reg, value) {0}(0x{3:X}u, block, reg), {0}_V{2}(value)", row, name,
                    size, what | how);
    for (const auto& [size, how] : {std::pair{WordLiteral("8"), 0x00u}, std::pair{WordLiteral("16"), 0x08u},
                                    std::pair{WordLiteral("32"), 0x10u}}) {
        w.linef("#define {0}_CHANGE_{1}(block, reg, mask, value) \\", row, size);
        w.linef("    {0}(0x{2:X}u, block, reg), {0}_V{1}(mask), {0}_V{1}(value)", row, size, 0xA0u | how);
        if (!demand.waits)
            continue;
        w.linef("#define {0}_WAIT_{1}(block, reg, mask, value, status, passes) \\", row, size);
        w.linef("    {0}(0x{2:X}u, block, reg), {0}_V{1}(mask), {0}_V{1}(value), {0}_V16(status), {0}_V32(passes)", row,
                size, 0xC0u | how);
    }
    if (demand.reads)
        w.linef("#define {0}_READ(block, reg) {0}(0xE0u, block, reg)", row);
    w.line();
    w.comment(demand.waits ? "Does what the rows say, in their order, up to the first timeout, which it returns."
                           : "Does what the rows say, in their order.");
    w.linef("enum {0}_status {0}_table_run(const uint8_t *row);", names.prefix);
    w.line();
    w.linef("#endif /* {} */", guard);
    return w.take();
}

/// The access of one width: `put` and `get` of a register at `address`.
void writeAccess(Writer& w, const Demand& demand)
{
    if (demand.widths.size() < 2)
        return;
    w.line("static uint32_t get(uint32_t address, uint32_t width)");
    w.line("{");
    for (const int width : demand.widths)
        if (width != *demand.widths.rbegin()) {
            w.linef("    if (width == {}u) {{", width / 16);
            w.linef("        return *(volatile {} *)(uintptr_t)address;", typeOf(width));
            w.line("    }");
        }
    w.linef("    return *(volatile {} *)(uintptr_t)address;", typeOf(*demand.widths.rbegin()));
    w.line("}");
    w.line();
    w.line("static void put(uint32_t address, uint32_t width, uint32_t value)");
    w.line("{");
    bool first = true;
    for (const int width : demand.widths) {
        const bool last = width == *demand.widths.rbegin();
        if (last)
            w.line("    } else {");
        else
            w.linef("    {}if (width == {}u) {{", first ? Code() : Code::trusted("} else "), width / 16);
        if (width == 32)
            w.line("        *(volatile uint32_t *)(uintptr_t)address = value;");
        else
            w.linef("        *(volatile {0} *)(uintptr_t)address = ({0})value;", typeOf(width));
        first = false;
    }
    w.line("    }");
    w.line("}");
    w.line();
}

void writeWait(Writer& w, const Demand& demand)
{
    const Word& p = w.names.prefix;
    w.line("        if (what == 0xC0u) {");
    w.line("            const uint32_t status = take(&row, 2u);");
    w.line("            const uint32_t passes = take(&row, 4u);");
    const auto call = [&](int width) {
        return code("{}((const volatile {} *)(uintptr_t)address, bits, value, passes)", waitName(w.names, width),
                    typeOf(width));
    };
    if (demand.widths.size() == 1) {
        w.linef("            if (!{}) {{", call(*demand.widths.begin()));
    } else {
        w.line("            bool ready;");
        bool first = true;
        for (const int width : demand.widths) {
            if (width == *demand.widths.rbegin())
                w.line("            } else {");
            else
                w.linef("            {}if (width == {}u) {{", first ? Code() : Code::trusted("} else "), width / 16);
            w.linef("                ready = {};", call(width));
            first = false;
        }
        w.line("            }");
        w.line("            if (!ready) {");
    }
    w.linef("                return (enum {}_status)status;", p);
    w.line("            }");
    w.line("            continue;");
    w.line("        }");
}

SourceFile tableSource(const Facts& f, const Names& names, const Demand& demand)
{
    Writer w(f, names, names.path(WordLiteral("table"), ".c"), "Goes through rows of register values.");
    const Word& p = names.prefix;
    const bool single = demand.widths.size() == 1;
    const int only = *demand.widths.begin();
    w.line(names.include(WordLiteral("table")));
    w.line();
    writeAccess(w, demand);
    w.comment("Takes a value of so many bytes out of a row.");
    w.line("static uint32_t take(const uint8_t **row, uint32_t bytes)");
    w.line("{");
    w.line("    uint32_t value = 0u;");
    w.line("    for (uint32_t i = 0u; i < bytes; i++) {");
    w.line("        value |= (uint32_t)*(*row)++ << 8u * i;");
    w.line("    }");
    w.line("    return value;");
    w.line("}");
    w.line();
    w.linef("enum {0}_status {0}_table_run(const uint8_t *row)", p);
    w.line("{");
    w.line("    static const uint32_t bases[] = {");
    for (const InstanceIndex instance : demand.bases)
        w.linef("        0x{:08X}u, {}", f.device.instances[instance].base,
                cComment(f.device.instances[instance].name));
    w.line("    };");
    w.line("    uint32_t base = 0u;");
    w.line("    while (*row != 0u) {");
    w.line("        const uint32_t head = *row++;");
    w.line("        const uint32_t what = head & 0xE0u;");
    w.line("        const uint32_t place = (head & 1u) << 8 | *row++;");
    w.line("        if (what == 0x20u) {");
    w.line("            base = bases[place];");
    w.line("            continue;");
    w.line("        }");
    if (single) {
        w.linef("        const uint32_t address = base + place * {}u;", only / 8);
    } else {
        w.line("        const uint32_t width = (head >> 1) & 3u;");
        w.line("        const uint32_t address = base + (place << width);");
    }
    const Code get =
        single ? code("*(volatile {} *)(uintptr_t)address", typeOf(only)) : Code::trusted("get(address, width)");
    if (demand.reads) {
        w.line("        if (what == 0xE0u) {");
        w.linef("            (void){};", get);
        w.line("            continue;");
        w.line("        }");
    }
    w.line("        const uint32_t how = (head >> 3) & 3u;");
    w.line("        uint32_t bits = take(&row, how == 3u ? 1u : 1u << how);");
    w.line("        if (how == 3u) {");
    w.line("            bits = 1u << bits;");
    w.line("        }");
    w.line("        uint32_t value = what >= 0xA0u ? take(&row, 1u << how) : bits;");
    if (demand.waits)
        writeWait(w, demand);
    w.line("        if (what == 0x80u) {");
    w.line("            value = 0u;");
    w.line("        }");
    w.line("        if (what != 0x40u) {");
    w.linef("            value |= {} & ~bits;", get);
    w.line("        }");
    if (!single)
        w.line("        put(address, width, value);");
    else if (only == 32)
        w.line("        *(volatile uint32_t *)(uintptr_t)address = value;");
    else
        w.linef("        *(volatile {0} *)(uintptr_t)address = ({0})value;", typeOf(only));
    w.line("    }");
    w.linef("    return {};", names.macro("OK"));
    w.line("}");
    return w.take();
}

} // namespace

std::vector<SourceFile> tableFiles(const Facts& f, const Names& names)
{
    if (f.plan.project.style != ProjectLayout::Style::Table)
        return {};
    const Demand demand = demandOf(f, names);
    if (demand.bases.empty())
        return {};
    return {tableHeader(f, names, demand), tableSource(f, names, demand)};
}

} // namespace bindrel
