// SPDX-License-Identifier: GPL-3.0-or-later
// A row is two bytes and its values, the lowest byte first. The two say what is done (3 bits), how the values stand: in
// one, two or four bytes or as the number of a bit (2), how wide the register is (2), and where it lies from the last
// base, in registers of its width (9).
#include "core/source/table_style.h"

#include "core/source/field_access.h"
#include "core/source/step_text.h"

#include <algorithm>
#include <bit>

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
            w.linef("{}    {}({}),", margin, w.names.macro("ROW_AT"), tableBase(w.facts, w.names, base));
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

} // namespace

std::vector<TableRun> tableRuns(const Facts& f, const Steps& list)
{
    std::vector<TableRun> out;
    for (const Step* step : list) {
        const bool row = canBeRow(f, *step);
        if (out.empty() || out.back().table != row)
            out.push_back({row, {}});
        out.back().steps.push_back(step);
    }
    std::vector<TableRun> joined;
    for (TableRun& run : out) {
        run.table = run.table && run.steps.size() >= kLeastRows;
        if (!joined.empty() && !joined.back().table && !run.table)
            joined.back().steps.insert(joined.back().steps.end(), run.steps.begin(), run.steps.end());
        else
            joined.push_back(std::move(run));
    }
    return joined;
}

Word tableBase(const Facts& f, const Names& names, InstanceIndex instance)
{
    return names.macro("TABLE_") + Word::spelled(f.device.instances[instance].name);
}

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
    const std::vector<TableRun> runs = tableRuns(w.facts, list);
    const Code margin = Code::trusted(std::string(std::size_t(indent), ' '));
    for (const TableRun& run : runs) {
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
            const std::vector<TableRun> runs = tableRuns(w.facts, list);
            return std::any_of(runs.begin(), runs.end(), [](const TableRun& run) { return run.table; });
        }))
        w.line(w.names.include(WordLiteral("table")));
}

} // namespace bindrel
