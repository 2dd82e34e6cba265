// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_clock_hz.h and .c: what every clock's rate is, from the registers as they are, on the target.
#include "core/quantity/format.h"
#include "core/source/clock_rates.h"
#include "core/source/field_access.h"
#include "core/source/writer.h"

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

bool hasClockRates(const Facts& f, const Names& names)
{
    // The first core's program sets the clocks; another's may not reach their registers.
    return names.core == 0 && f.device.hasClocks() && !f.plan.leftOut.contains(OutputPart::ClockRates);
}

/// "1234u", or "1234ull" where 32 bits are too few.
Code literal(std::int64_t value)
{
    return value <= std::int64_t(UINT32_MAX) ? code("{}u", value) : code("{}ull", value);
}

/// A word for each clock, no two alike.
std::vector<Word> wordsOfClocks(const Device& device)
{
    std::vector<Word> out;
    std::set<Word> taken;
    for (const ClockNode& node : device.clocks) {
        Word word = Word::of(node.id);
        for (int n = 2; !taken.insert(word).second; ++n)
            word = Word::of(node.id) + "_" + n;
        out.push_back(word);
    }
    return out;
}

Word functionOf(const Names& names, const Word& clock)
{
    return names.name("clock_hz") + "_" + clock;
}

/// Writes one function for each clock. Rates are fractions on the way: rounding comes last.
class RateFunctions {
public:
    explicit RateFunctions(Writer& w) : w_(w), device_(w.facts.device), words_(wordsOfClocks(device_)) {}

    const Word& word(ClockIndex clock) const { return words_[size_t(clock)]; }

    void define(ClockIndex clock)
    {
        const ClockNode& node = device_.clocks[clock];
        w_.because({Place::Kind::Clock, node.id, {}}, "rate from the registers");
        const bool followed = std::any_of(device_.clocks.begin(), device_.clocks.end(),
                                          [clock](const ClockNode& other) { return other.follows == clock; });
        if (!node.factors.empty() || followed)
            defineFactor(clock);
        w_.line();
        w_.linef("static struct ratio ratio_{}(void)", word(clock));
        w_.line("{");
        for (const FieldCode& needed : {node.enable, node.ready})
            if (needed.valid() && readable(needed.ref)) {
                stopUnless(needed);
            }
        defineBody(clock);
        w_.line("}");
    }

private:
    bool readable(const FieldRef& ref) const
    {
        return ref.valid() && device_.fieldOf(ref).access != Field::Access::WriteOnly &&
               device_.fieldOf(ref).access != Field::Access::Key;
    }

    void stopUnless(const FieldCode& field)
    {
        w_.linef("    if ({} != {}u) {{", readField(w_, field.ref), field.code);
        w_.line("        return stopped;");
        w_.line("    }");
    }

    Code ratioOf(ClockIndex clock) const { return code("ratio_{}()", word(clock)); }

    static Code constant(const Rational& rate)
    {
        return code("(struct ratio){{{}, {}}}", literal(rate.num()), literal(rate.den()));
    }

    /// A divider's or multiplier's setting in 1/unit; 0 where its code means nothing.
    void defineFactor(ClockIndex clock)
    {
        const ClockNode& node = device_.clocks[clock];
        const bool told = readable(node.control) && (!node.fraction.valid() || readable(node.fraction));
        const Word name = WordLiteral("factor_") + word(clock);
        w_.line();
        if (node.unit != 1 && !node.fraction.valid())
            w_.comment(fmt::format("In units of 1/{}.", node.unit));
        if (!told)
            defineFunction(name, [&] { w_.linef("    return {};", literal(w_.facts.rates.clocks[clock].setting)); });
        else if (!node.fraction.valid())
            defineFunction(name, [&] { returnDecoded(node); });
        else {
            defineFunction(WordLiteral("whole_") + word(clock), [&] { returnDecoded(node); });
            w_.line();
            w_.comment(fmt::format("In units of 1/{}.", node.unit));
            defineFunction(name, [&] {
                w_.linef("    return whole_{}() * {} + {};", word(clock), literal(node.unit),
                         readField(w_, node.fraction));
            });
        }
    }

    template <typename Body> void defineFunction(const Word& name, const Body& body)
    {
        w_.linef("static uint64_t {}(void)", name);
        w_.line("{");
        body();
        w_.line("}");
    }

    /// What the control of a clock says, by its encoding.
    void returnDecoded(const ClockNode& node)
    {
        const Code bits = bareField(w_, node.control);
        switch (node.encoding.kind) {
        case Encoding::Kind::AsIs:
            w_.linef("    return {};", bits);
            break;
        case Encoding::Kind::MinusOne:
            w_.linef("    return (uint64_t){} + 1u;", readField(w_, node.control));
            break;
        case Encoding::Kind::PowerOfTwo:
            w_.linef("    const uint32_t bits = {};", bits);
            w_.line("    return bits < 62u ? (uint64_t)1 << bits : 0;");
            break;
        case Encoding::Kind::Bcd:
            w_.linef("    uint32_t bits = {};", bits);
            w_.line("    uint64_t value = 0;");
            w_.line("    for (uint64_t place = 1; bits != 0; bits >>= 4, place *= 10u) {");
            w_.line("        if ((bits & 15u) > 9u) {");
            w_.line("            return 0;");
            w_.line("        }");
            w_.line("        value += place * (bits & 15u);");
            w_.line("    }");
            w_.line("    return value;");
            break;
        case Encoding::Kind::Table:
            w_.linef("    switch ({}) {{", bits);
            for (const auto& [value, listed] : firstOfEachCode(node.encoding.table)) {
                w_.linef("    case {}u:", listed);
                w_.linef("        return {};", literal(value));
            }
            w_.line("    default:");
            w_.line("        return 0;");
            w_.line("    }");
            break;
        case Encoding::Kind::Piecewise:
            w_.linef("    const uint32_t bits = {};", bits);
            for (const Encoding::Segment& s : node.encoding.segments)
                returnIn(s);
            w_.line("    return 0;");
            break;
        }
    }

    /// The value of a code that lies in a segment.
    void returnIn(const Encoding::Segment& s)
    {
        if (s.firstCode == 0)
            w_.linef("    if (bits <= {}u) {{", s.lastCode);
        else
            w_.linef("    if (bits >= {}u && bits <= {}u) {{", s.firstCode, s.lastCode);
        const Code above = s.firstCode == 0 ? code("(uint64_t)bits") : code("(uint64_t)(bits - {}u)", s.firstCode);
        const Code steps = s.step == 1 ? above : code("{} * {}", above, literal(s.step));
        w_.linef("        return {};", s.base < 0    ? code("{} - {}", steps, literal(-s.base))
                                       : s.base == 0 ? steps
                                                     : code("{} + {}", literal(s.base), steps));
        w_.line("    }");
    }

    static std::vector<std::pair<std::int64_t, std::uint32_t>>
    firstOfEachCode(const std::vector<std::pair<std::int64_t, std::uint32_t>>& table)
    {
        std::vector<std::pair<std::int64_t, std::uint32_t>> out;
        std::set<std::uint32_t> seen;
        for (const auto& row : table)
            if (seen.insert(row.second).second)
                out.push_back(row);
        return out;
    }

    void defineBody(ClockIndex clock)
    {
        const ClockNode& node = device_.clocks[clock];
        switch (node.type) {
        case ClockNode::Type::Oscillator:
            return defineOscillator(node);
        case ClockNode::Type::Crystal:
        case ClockNode::Type::External:
            return defineFitted(node);
        case ClockNode::Type::Select:
            return defineSelect(clock);
        case ClockNode::Type::Divide:
            w_.linef("    return times({}, {}, factor_{}());", ratioOf(node.inputs.front().node), literal(node.unit),
                     word(clock));
            return;
        case ClockNode::Type::Multiply:
            w_.linef("    return times({}, factor_{}(), {});", ratioOf(node.inputs.front().node), word(clock),
                     literal(node.unit));
            return;
        case ClockNode::Type::Follow: {
            const Code input = ratioOf(node.inputs.front().node);
            if (node.follows < 0)
                w_.linef("    return times({}, {}, 1u);", input, literal(node.factorElse));
            else
                w_.linef("    return times({}, factor_{}() == {} ? {} : {}, 1u);", input, word(node.follows),
                         literal(device_.clocks[node.follows].unit), literal(node.factorWhenOne),
                         literal(node.factorElse));
            return;
        }
        case ClockNode::Type::Gate:
            w_.linef("    return {};", ratioOf(node.inputs.front().node));
            return;
        }
    }

    void defineOscillator(const ClockNode& node)
    {
        if (node.rates.empty()) {
            w_.linef("    return {};", constant(node.rate.value));
            return;
        }
        if (!readable(node.control)) {
            w_.linef("    return {};", constant(node.rates[size_t(node.resetValue)].rate.value));
            return;
        }
        w_.linef("    switch ({}) {{", bareField(w_, node.control));
        std::set<std::uint32_t> seen;
        for (const ClockNode::RateChoice& choice : node.rates) {
            if (!seen.insert(choice.code).second)
                continue;
            w_.linef("    case {}u:", choice.code);
            w_.linef("        return {};", constant(choice.rate.value));
        }
        endSwitch();
    }

    void defineFitted(const ClockNode& node)
    {
        const auto fitted = w_.facts.board.crystals.find(node.id);
        if (fitted == w_.facts.board.crystals.end()) {
            w_.comment("The plan knows of no crystal and no clock here.", 4);
            w_.line("    return stopped;");
            return;
        }
        if (fitted->second.external && node.bypass.valid() && readable(node.bypass.ref)) {
            stopUnless(node.bypass);
        }
        w_.linef("    return {};", constant(fitted->second.rate.value));
    }

    void defineSelect(ClockIndex clock)
    {
        const ClockNode& node = device_.clocks[clock];
        // What is in use, where the chip tells, else what is asked for.
        const FieldRef shown = readable(node.status) ? node.status : node.control;
        const auto ratioFrom = [this](const ClockInput& input) {
            return input.node < 0 ? code("stopped") : ratioOf(input.node);
        };
        if (!readable(shown)) {
            w_.linef("    return {};", ratioFrom(node.inputs[size_t(w_.facts.rates.clocks[clock].setting)]));
            return;
        }
        w_.linef("    switch ({}) {{", bareField(w_, shown));
        std::set<std::uint32_t> seen;
        for (const ClockInput& input : node.inputs) {
            if (!seen.insert(input.code).second)
                continue;
            w_.linef("    case {}u:", input.code);
            w_.linef("        return {};", ratioFrom(input));
        }
        endSwitch();
    }

    void endSwitch()
    {
        w_.line("    default:");
        w_.line("        return stopped;");
        w_.line("    }");
    }

    Writer& w_;
    const Device& device_;
    std::vector<Word> words_;
};

void writeTimes(Writer& w)
{
    w.line("static void reduce(uint64_t *above, uint64_t *below)");
    w.line("{");
    w.line("    uint64_t divisor = *above;");
    w.line("    uint64_t rest = *below;");
    w.line("    while (rest != 0) {");
    w.line("        const uint64_t next = divisor % rest;");
    w.line("        divisor = rest;");
    w.line("        rest = next;");
    w.line("    }");
    w.line("    *above /= divisor;");
    w.line("    *below /= divisor;");
    w.line("}");
    w.line();
    w.comment("Whether a product has no more than 64 bits.");
    w.line("static bool fits(uint64_t a, uint64_t b)");
    w.line("{");
    w.line("    return b == 0u || a <= UINT64_MAX / b;");
    w.line("}");
    w.line();
    w.comment(
        "The rate times a fraction. Products of 32 bits fit; larger terms are reduced first, and halved where even "
        "that is not enough.");
    w.line("static struct ratio times(struct ratio rate, uint64_t above, uint64_t below)");
    w.line("{");
    w.line("    if (rate.above == 0 || above == 0 || below == 0) {");
    w.line("        return stopped;");
    w.line("    }");
    w.line("    if ((rate.above | rate.below | above | below) >> 32 != 0) {");
    w.line("        reduce(&rate.above, &rate.below);");
    w.line("        reduce(&above, &below);");
    w.line("        reduce(&rate.above, &below);");
    w.line("        reduce(&above, &rate.below);");
    w.line("        while (!fits(rate.above, above) || !fits(rate.below, below)) {");
    w.line("            rate.above /= 2u;");
    w.line("            rate.below /= 2u;");
    w.line("        }");
    w.line("    }");
    w.line("    rate.above *= above;");
    w.line("    rate.below *= below;");
    w.line("    return rate;");
    w.line("}");
    w.line();
}

/// `body`: the functions that use it; a compiler would complain of what none of them does.
void writeArithmetic(Writer& w, const std::string& body)
{
    w.comment("A rate in hertz as a fraction, so that nothing is rounded on the way; 0 of a clock that does not run.");
    w.line("struct ratio {");
    w.line("    uint64_t above;");
    w.line("    uint64_t below;");
    w.line("};");
    w.line();
    const bool multiplies = body.find("return times(") != std::string::npos;
    if (multiplies || body.find("return stopped;") != std::string::npos) {
        w.line("static const struct ratio stopped = {0, 1};");
        w.line();
    }
    if (multiplies)
        writeTimes(w);
    w.line("static uint32_t hertz(struct ratio rate)");
    w.line("{");
    w.line("    const uint64_t whole = rate.below == 0 ? UINT32_MAX : rate.above / rate.below;");
    w.line("    return whole < UINT32_MAX ? (uint32_t)whole : UINT32_MAX;");
    w.line("}");
}

} // namespace

void addClockRateInstances(const Facts& f, const Names& names, std::set<int>& instances)
{
    if (!hasClockRates(f, names))
        return;
    for (const ClockNode& node : f.device.clocks)
        for (const FieldRef& ref :
             {node.control, node.fraction, node.status, node.enable.ref, node.ready.ref, node.bypass.ref})
            if (ref.valid())
                instances.insert(ref.instance);
}

std::vector<Word> clockRateFunctions(const Facts& f, const Names& names)
{
    std::vector<Word> out;
    if (hasClockRates(f, names))
        for (const Word& clock : wordsOfClocks(f.device))
            out.push_back(functionOf(names, clock));
    return out;
}

std::vector<SourceFile> clockRateFiles(const Facts& f, const Names& names)
{
    if (!hasClockRates(f, names))
        return {};
    const char* purpose = "Rates of all clocks, from the registers as they are.";
    Writer header(f, names, names.path(WordLiteral("clock_hz"), ".h"), purpose);
    const Word guard = names.macro("CLOCK_HZ_H");
    header.linef("#ifndef {}", guard);
    header.linef("#define {}", guard);
    header.line();
    header.line("#include <stdint.h>");
    header.line();
    header.comment("Each function gives the rate of one clock in hertz, rounded down, as the chip's registers "
                   "say at the moment of the call; 0 if it does not run. Rates of crystals, of clocks that are fed in "
                   "and of oscillators are nominal. Only reads; may be called at any time, also from an interrupt.");
    Writer source(f, names, names.path(WordLiteral("clock_hz"), ".c"), purpose);
    source.line(names.include(WordLiteral("clock_hz")));
    source.line(names.include(WordLiteral("regs")));
    source.line();
    source.line("#include <stdbool.h>");
    source.line();
    const auto define = [&f](Writer& w) {
        RateFunctions functions(w);
        for (size_t i = 0; i < f.device.clocks.size(); ++i)
            functions.define(int(i));
    };
    Writer body(f, names, {}, purpose);
    define(body);
    writeArithmetic(source, body.take().text());
    define(source);
    const std::vector<Word> clocks = wordsOfClocks(f.device);
    for (const ClockIndex i : f.device.clocks.indices()) {
        const ClockNode& node = f.device.clocks[i];
        const Word function = functionOf(names, clocks[i]);
        header.because({Place::Kind::Clock, node.id, {}}, "rate from the registers");
        header.linef("uint32_t {}(void); {}", function,
                     cComment(fmt::format("{}; planned: {}", node.name,
                                          f.rates.clocks[i].running ? format(f.rates.clocks[i].rate) : "off")));
        source.because({Place::Kind::Clock, node.id, {}}, "rate from the registers");
        source.line();
        source.linef("uint32_t {}(void)", function);
        source.line("{");
        source.linef("    return hertz(ratio_{}());", clocks[i]);
        source.line("}");
    }
    header.noCause();
    source.noCause();
    header.line();
    header.linef("#endif /* {} */", guard);
    return {header.take(), source.take()};
}

} // namespace bindrel
