// SPDX-License-Identifier: GPL-3.0-or-later
// A row is two bytes and its values, the lowest byte first. The two say what is done (3 bits), how the values stand: in
// one, two or four bytes or as the number of a bit (2), how wide the register is (2), and where it lies from the last
// base, in registers of its width (9).
#include "core/source/table_style.h"

#include "core/source/board_files.h"
#include "core/source/field_access.h"
#include "core/source/step_text.h"

#include <algorithm>
#include <bit>
#include <set>

namespace bindrel {

namespace {

constexpr std::size_t kLeastRows = 3; ///< fewer are shorter as statements
constexpr std::uint32_t kFarthest = 0x1FF;

const Register& registerOf(const Facts& f, const Step& step)
{
    return f.device.blockOf(step.instance).registers[step.reg];
}

/// One access of a register near its base; what takes more, or is known on the chip only, is a statement.
bool canBeRow(const Facts& f, const Step& step)
{
    const Register& reg = registerOf(f, step);
    return reg.plain() && step.kind != Step::Kind::Copy && reg.offset / (std::uint32_t(reg.width) / 8) <= kFarthest;
}

using Steps = std::vector<const Step*>;

/// A list as it is written: runs of steps that become one table each, and of those that do not.
struct Run {
    bool table = false;
    Steps steps;
};

std::vector<Run> runsOf(const Facts& f, const Steps& list)
{
    std::vector<Run> out;
    for (const Step* step : list) {
        const bool row = canBeRow(f, *step);
        if (out.empty() || out.back().table != row)
            out.push_back({row, {}});
        out.back().steps.push_back(step);
    }
    std::vector<Run> joined;
    for (Run& run : out) {
        run.table = run.table && run.steps.size() >= kLeastRows;
        if (!joined.empty() && !joined.back().table && !run.table)
            joined.back().steps.insert(joined.back().steps.end(), run.steps.begin(), run.steps.end());
        else
            joined.push_back(std::move(run));
    }
    return joined;
}

Word baseIndex(const Facts& f, const Names& names, InstanceIndex instance)
{
    return names.macro("TABLE_") + Word::spelled(f.device.instances[instance].name);
}

/// "NAME(first, second)," broken after a comma or an operator where it gets long.
void writeRow(Writer& w, const Step& step, const Code& name, const std::vector<std::vector<Code>>& arguments,
              int indent)
{
    const Code margin = Code::trusted(std::string(std::size_t(indent), ' '));
    Code row = code("{}{}(", margin, name);
    bool onRow = false;
    for (std::size_t a = 0; a < arguments.size(); ++a)
        for (std::size_t t = 0; t < arguments[a].size(); ++t) {
            const bool ends = t + 1 == arguments[a].size();
            const Code term = !ends                      ? code("{} |", arguments[a][t])
                              : a + 1 < arguments.size() ? code("{},", arguments[a][t])
                                                         : code("{}),", arguments[a][t]);
            if (onRow && row.text().size() + 1 + term.text().size() > 90) {
                w.lineOf(step, row);
                row = code("{}   ", margin);
            }
            row = onRow ? code("{} {}", row, term) : code("{}{}", row, term);
            onRow = true;
        }
    w.lineOf(step, row);
}

std::vector<Code> orZero(std::vector<Code> terms)
{
    if (terms.empty())
        terms.push_back(code("0u"));
    return terms;
}

void writeStepRow(Writer& w, const Step& step, int indent)
{
    const Register& reg = registerOf(w.facts, step);
    const std::vector<Code> where{code("{}", Word::of(w.facts.device.blockOf(step.instance).name))},
        which{code("{}", Word::spelled(reg.name))};
    const std::vector<Code> values = orZero(valueTerms(w, step));
    std::vector<Code> masks = maskTerms(w, step);
    std::uint32_t ones = 0;
    for (const FieldWrite& write : step.fields)
        ones |= w.facts.device.fieldOf(write.ref).mask();
    // The number of a bit is one byte, wherever the bit is.
    const auto sizeOf = [](std::uint32_t largest, bool byBit) {
        return largest <= 0xFF                         ? WordLiteral("_8")
               : byBit && std::has_single_bit(largest) ? WordLiteral("_BIT")
               : largest <= 0xFFFF                     ? WordLiteral("_16")
                                                       : WordLiteral("_32");
    };
    const auto row = [&](const char* name, std::uint32_t largest, bool byBit,
                         std::vector<std::vector<Code>> arguments) {
        arguments.insert(arguments.begin(), {where, which});
        writeRow(w, step, code("{}{}{}", w.names.macro("ROW_"), Word::spelled(name), sizeOf(largest, byBit)), arguments,
                 indent);
    };
    switch (step.kind) {
    case Step::Kind::Write:
        row("WRITE", step.value, true, {values});
        break;
    case Step::Kind::Update: {
        // A flag that a one clears must not be written back as it was read.
        const std::vector<Code> flags = clearedByOnes(w.facts, w.names, step.instance, step.reg, step.mask);
        if (!flags.empty()) {
            masks.insert(masks.end(), flags.begin(), flags.end());
            row("CHANGE", UINT32_MAX, false, {masks, values});
        } else if (step.value == ones) {
            row("SET", ones, true, {masks});
        } else if (step.value == 0) {
            row("CLEAR", ones, true, {masks});
        } else {
            row("CHANGE", ones, false, {masks, values});
        }
        break;
    }
    case Step::Kind::Wait:
        row("WAIT", ones, false,
            {masks,
             values,
             {code("{}", timeoutName(w.facts, w.names, step.fields.front().ref))},
             {passesText(w, step)}});
        break;
    case Step::Kind::Read:
        writeRow(w, step, code("{}", w.names.macro("ROW_READ")), {where, which}, indent);
        break;
    case Step::Kind::Copy:
        break; // never a row
    }
}

void writeTable(Writer& w, const Steps& list, int indent)
{
    const Code margin = Code::trusted(std::string(std::size_t(indent), ' '));
    w.linef("{}static const uint8_t rows[] = {{", margin);
    InstanceIndex base = -1;
    for (const Step* step : list) {
        w.because(placeOf(w, *step), step->why);
        const std::string heading = headingOf(w, *step);
        if (!heading.empty() && step->kind != Step::Kind::Wait && step != list.front())
            w.line();
        if (!heading.empty())
            w.comment(heading, indent + 4);
        for (const FieldWrite& write : step->fields)
            if (write.byHand && !step->why.ends_with("is set by hand."))
                w.comment(byHandText(w.facts, write), indent + 4);
        if (step->instance != base) {
            base = step->instance;
            w.linef("{}    {}({}),", margin, w.names.macro("ROW_AT"), baseIndex(w.facts, w.names, base));
        }
        writeStepRow(w, *step, indent + 4);
    }
    w.noCause();
    w.linef("{}    {}", margin, w.names.macro("ROW_END"));
    w.linef("{}}};", margin);
    if (std::none_of(list.begin(), list.end(), [](const Step* step) { return step->kind == Step::Kind::Wait; })) {
        w.linef("{}(void){}(rows);", margin, w.names.name("table_run"));
        return;
    }
    w.linef("{}const enum {}_status ran = {}(rows);", margin, w.names.prefix, w.names.name("table_run"));
    w.linef("{}if (ran != {}) {{", margin, w.names.macro("OK"));
    w.linef("{}    return ran;", margin);
    w.linef("{}}}", margin);
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
        for (const Run& run : runsOf(f, list))
            for (const Step* step : run.table ? run.steps : Steps()) {
                out.bases.insert(step->instance);
                out.widths.insert(registerOf(f, *step).width);
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
        w.linef("    {},", baseIndex(f, names, instance));
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

std::vector<const Step*> stepsOf(const Facts& f, Step::Phase phase, NeedIndex need)
{
    Steps out;
    for (const Step& step : phase == Step::Phase::Stop ? f.image.stops : f.image.steps)
        if (step.phase == phase && (need < 0 || step.need == need))
            out.push_back(&step);
    return out;
}

std::vector<std::vector<const Step*>> clockLists(const Facts& f)
{
    std::vector<Steps> out{stepsOf(f, Step::Phase::Clocks), stepsOf(f, Step::Phase::Late)};
    const auto add = [&out](const std::vector<Step>& steps) {
        Steps& list = out.emplace_back();
        for (const Step& step : steps)
            list.push_back(&step);
    };
    for (const FallBack& fallBack : f.image.fallBacks)
        add(fallBack.steps);
    add(f.image.toSlow);
    add(f.image.toFull);
    for (const ModeSteps& mode : f.image.modes) {
        add(mode.enter);
        add(mode.back);
    }
    return out;
}

void writeTables(Writer& w, const Steps& list, int indent)
{
    const std::vector<Run> runs = runsOf(w.facts, list);
    const Code margin = Code::trusted(std::string(std::size_t(indent), ' '));
    for (const Run& run : runs) {
        if (!run.table) {
            w.statements(run.steps, indent);
            continue;
        }
        w.linef("{}{{", margin);
        writeTable(w, run.steps, indent + 4);
        w.linef("{}}}", margin);
    }
}

void includeTable(Writer& w, const std::vector<Steps>& lists)
{
    if (w.names.layout.style == ProjectLayout::Style::Table &&
        std::any_of(lists.begin(), lists.end(), [&w](const Steps& list) {
            const std::vector<Run> runs = runsOf(w.facts, list);
            return std::any_of(runs.begin(), runs.end(), [](const Run& run) { return run.table; });
        }))
        w.line(w.names.include(WordLiteral("table")));
}

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
