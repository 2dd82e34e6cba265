// SPDX-License-Identifier: GPL-3.0-or-later
// How the steps of a bring-up stand in C: one statement each.
#include "core/base/text.h"
#include "core/source/field_access.h"
#include "core/source/step_text.h"
#include "core/source/table_style.h"
#include "core/source/writer.h"

#include <algorithm>

namespace bindrel {

namespace {

/// "SLUICE_PLLA_VCO_FACTOR", "SLUICE_TICK_TICKS - 1u": the constant that a code comes from, where a header has it.
Code constantText(const Facts& facts, const Names& names, const Step& step, const FieldWrite& write)
{
    const auto tied = [&](const Encoding& encoding, const Word& constant, std::int64_t value) {
        if (encoding.encode(value) != write.code)
            return Code();
        return encoding.kind == Encoding::Kind::AsIs       ? code("{}", constant)
               : encoding.kind == Encoding::Kind::MinusOne ? code("{} - 1u", constant)
                                                           : Code();
    };
    if (step.need >= 0 && !write.role.empty()) {
        const Need& need = facts.plan.needs[step.need];
        const std::optional<std::int64_t> value = facts.settings[step.need].role(write.role);
        for (const auto& [role, ending] : sourceOf(need.kind).constants)
            if (role == write.role && value)
                return tied(facts.device.blockOf(write.ref.instance).role(write.role)->encoding,
                            names.NEED(size_t(step.need)) + "_" + Word::of(std::string(ending)).upper(), *value);
        return {};
    }
    for (ClockIndex i = 0; step.need < 0 && i < int(facts.device.clocks.size()); ++i)
        if (facts.device.clocks[i].control == write.ref && hasFactorMacro(facts, i))
            return tied(facts.device.clocks[i].encoding, factorMacro(facts, names, i), facts.rates.clocks[i].setting);
    return {};
}

/// "SLUICE_UART_CTL_ON" for a single set bit, "SLUICE_UART_CTL_BITS_AT(1u)" else; nothing for a field that is zero.
Code valueText(const Facts& facts, const Names& names, const Step& step, const FieldWrite& write)
{
    const Field& field = facts.device.fieldOf(write.ref);
    if (write.code == 0)
        return {};
    const Word macro = fieldMacro(facts, names, write.ref);
    if (field.width == 1)
        return code("{}", macro);
    if (const Code constant = constantText(facts, names, step, write); !constant.empty())
        return code("{}_AT({})", macro, constant);
    for (const auto& [value, name] : codeNames(facts.device.blockOf(write.ref.instance), field))
        if (value == write.code)
            return code("{}_AT({}_{})", macro, macro, name);
    return write.code > 0xFFFF ? code("{}_AT(0x{:08X}u)", macro, write.code) : code("{}_AT({}u)", macro, write.code);
}

/// The name of a code where it has one.
std::string codeText(const Field& field, std::uint32_t code)
{
    for (const EnumValue& value : field.values)
        if (value.code == code)
            return value.name;
    return std::to_string(code);
}

} // namespace

Code orText(const std::vector<Code>& terms)
{
    return terms.empty() ? code("0u") : joinedCode(terms, " | ");
}

/// "CTL.MODE is set by hand to 3; the goals ask for 1."
std::string byHandText(const Facts& facts, const FieldWrite& write)
{
    const Field& field = facts.device.fieldOf(write.ref);
    return fmt::format("{}.{} is set by hand to {}{}.", facts.device.registerOf(write.ref).name, field.name,
                       codeText(field, write.code),
                       write.asked && *write.asked != write.code
                           ? "; the goals ask for " + codeText(field, *write.asked)
                           : std::string());
}

Place placeOf(const Writer& w, const Step& step)
{
    if (step.need >= 0)
        return {Place::Kind::Need, w.facts.plan.needs[step.need].id, {}};
    if (step.phase == Step::Phase::Clocks || step.phase == Step::Phase::Late)
        for (const FieldWrite& write : step.fields)
            for (const ClockNode& node : w.facts.device.clocks)
                if (node.control == write.ref || node.fraction == write.ref || node.enable.ref == write.ref ||
                    node.ready.ref == write.ref || node.status == write.ref)
                    return {Place::Kind::Clock, node.id, {}};
    if (step.phase == Step::Phase::Pins)
        for (const PadSetup& setup : w.facts.pads) {
            const Pad& pad = w.facts.device.pads[setup.pad];
            if (pad.isPickedBy(step.fields.front().ref))
                return {Place::Kind::Pad, pad.name, w.facts.plan.needs[setup.need].id};
        }
    return {Place::Kind::Register,
            w.facts.device.instances[step.instance].name + "." +
                w.facts.device.blockOf(step.instance).registers[step.reg].name,
            {}};
}

std::vector<Code> valueTerms(const Writer& w, const Step& step)
{
    std::vector<Code> out;
    std::uint32_t named = 0;
    for (const FieldWrite& write : step.fields) {
        if (Code text = valueText(w.facts, w.names, step, write); !text.empty())
            out.push_back(std::move(text));
        named |= w.facts.device.fieldOf(write.ref).mask();
    }
    // Fields that the plan leaves at reset, where that is not zero.
    if (const std::uint32_t rest = step.value & ~named; step.kind == Step::Kind::Write && rest != 0)
        out.push_back(code("0x{:08X}u", rest));
    return out;
}

std::vector<Code> maskTerms(const Writer& w, const Step& step)
{
    std::vector<Code> out;
    for (const FieldWrite& write : step.fields)
        out.push_back(code("{}", fieldMacro(w.facts, w.names, write.ref)));
    return out;
}

Code passesText(const Writer& w, const Step& step)
{
    const Rational us = step.timeout.value * 1'000'000;
    return code("{}({}u, {}u)", w.names.macro("PASSES"), us.defined() ? us.ceil() : 0,
                step.coreRate.defined() ? step.coreRate.value.ceil() : 0);
}

std::string headingOf(const Writer& w, const Step& step)
{
    std::string text = step.why;
    // What each field is for is said once, above the assignment.
    if (step.phase == Step::Phase::Need && step.kind == Step::Kind::Write && !text.empty() && !text.ends_with('.')) {
        std::vector<std::string> parts;
        for (const FieldWrite& write : step.fields)
            parts.push_back(w.facts.device.fieldOf(write.ref).name + " " +
                            codeText(w.facts.device.fieldOf(write.ref), write.code));
        text += ": " + joined(parts, ", ") + ".";
    }
    return text;
}

namespace {

/// "before a | b | c behind" broken after an operator where it gets long. A narrow register takes a cast.
void assign(Writer& w, const Code& margin, const std::pair<Code, Code>& around, const std::vector<Code>& terms,
            const Register& reg)
{
    const bool narrow = reg.plain() && reg.width < 32 && !terms.empty();
    Code row = narrow ? code("{}{}({})(", margin, around.first, typeOf(reg)) : code("{}{}", margin, around.first);
    std::size_t onRow = 0;
    for (size_t i = 0; i < terms.size(); ++i) {
        const bool last = i + 1 == terms.size();
        const Code term = last ? code("{}{}{}", terms[i], narrow ? Code::trusted(")") : Code(), around.second)
                               : code("{} |", terms[i]);
        if (onRow > 0 && row.text().size() + 1 + term.text().size() > 90) {
            w.line(row);
            row = code("{}   ", margin);
            onRow = 0;
        }
        row = onRow == 0 && i == 0 ? code("{}{}", row, term) : code("{} {}", row, term);
        ++onRow;
    }
    w.line(terms.empty() ? code("{}0u{}", row, around.second) : row);
}

} // namespace

void Writer::step(const Step& s, int indent)
{
    for (const FieldWrite& write : s.fields)
        if (write.byHand && !s.why.ends_with("is set by hand."))
            comment(byHandText(facts, write), indent);
    step_ = &s;
    const Code margin = Code::trusted(std::string(size_t(indent), ' '));
    const Register& shape = facts.device.blockOf(s.instance).registers[s.reg];
    const Code reg = registerValue(facts, names, s.instance, s.reg);
    const std::pair<Code, Code> put = aroundPut(facts, names, s.instance, s.reg);
    std::vector<Code> values = valueTerms(*this, s);
    const std::vector<Code> masks = maskTerms(*this, s);
    switch (s.kind) {
    case Step::Kind::Write:
        assign(*this, margin, put, values, shape);
        break;
    case Step::Kind::Update: {
        // A flag that a one clears must not be written back as it was read.
        std::vector<Code> off = masks;
        for (Code& flag : clearedByOnes(facts, names, s.instance, s.reg, s.mask))
            off.push_back(std::move(flag));
        const bool plain = off.size() == masks.size() && shape.width == 32 && shape.plain();
        std::uint32_t ones = 0;
        for (const FieldWrite& write : s.fields)
            ones |= facts.device.fieldOf(write.ref).mask();
        if (s.value == ones && plain) {
            assign(*this, margin, {code("{} |= ", reg), Code::trusted(";")}, masks, shape);
        } else if (s.value == 0 && plain) {
            linef("{}{} &= ~({});", margin, reg, orText(masks));
        } else {
            values.insert(values.begin(), code("({} & ~({}))", reg, orText(off)));
            assign(*this, margin, put, values, shape);
        }
        break;
    }
    case Step::Kind::Read:
        linef("{}(void){}; {}", margin, reg,
              cComment("reading clears " + facts.device.fieldOf(s.fields.front().ref).name));
        break;
    case Step::Kind::Copy: {
        // Bits of the factory value that the field has room for.
        const Field& from = facts.device.fieldOf(s.from);
        const Field& into = facts.device.fieldOf(s.fields.front().ref);
        linef("{}{}{}(({} & ~{})", margin, put.first,
              shape.width == 32 || !shape.plain() ? Code() : code("({})", typeOf(shape)), reg, masks.front());
        const Code value = registerValue(facts, names, s.from.instance, s.from.reg);
        const Code taken = from.pieces.empty()
                               ? code("(({} & {}) >> {}u)", value, fieldMacro(facts, names, s.from), from.lsb)
                               : code("{}_OF({})", fieldMacro(facts, names, s.from), value);
        if (into.pieces.empty())
            linef("{}    | ({} << {}u & {})){}", margin, taken, into.lsb, masks.front(), put.second);
        else
            linef("{}    | {}_AT({})){}", margin, fieldMacro(facts, names, s.fields.front().ref), taken, put.second);
        break;
    }
    case Step::Kind::Wait:
        linef("{}if (!{}) {{", margin,
              waitCall(facts, names, s.fields.front().ref, values.empty() ? code("0u") : values.front(),
                       passesText(*this, s)));
        linef("{}    return {};", margin, timeoutName(facts, names, s.fields.front().ref));
        linef("{}}}", margin);
        break;
    }
    step_ = nullptr;
}

void Writer::statements(const std::vector<const Step*>& list, int indent)
{
    bool first = true;
    for (const Step* s : list) {
        because(placeOf(*this, *s), s->why);
        const std::string heading = headingOf(*this, *s);
        if (!heading.empty() && s->kind != Step::Kind::Wait && !first)
            line();
        if (!heading.empty())
            comment(heading, indent);
        step(*s, indent);
        first = false;
    }
    noCause();
}

void Writer::steps(const std::vector<const Step*>& list, int indent)
{
    if (names.layout.style == ProjectLayout::Style::Table)
        writeTables(*this, list, indent);
    else
        statements(list, indent);
}

} // namespace bindrel
