// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/register_access.h"

#include "core/base/text.h"
#include "core/clocks/rates.h"
#include "core/image/image.h"
#include "core/quantity/format.h"

#include <algorithm>

namespace bindrel {

namespace {

const Register& shapeOf(const Facts& facts, InstanceIndex instance, RegisterIndex reg)
{
    return facts.device.blockOf(instance).registers[reg];
}

Word accessor(const Facts& facts, const Names& names, const char* verb, InstanceIndex instance, RegisterIndex reg)
{
    return names.name(Word::of(verb)) + "_" + Word::of(facts.device.blockOf(instance).name) + "_" +
           Word::spelled(shapeOf(facts, instance, reg).name);
}

/// "(uint32_t)at->COUNTH << 8u".
Code bitsOf(const RegisterPart& part)
{
    return part.lsb == 0 ? code("at->{}", Word::spelled(part.name))
                         : code("(uint32_t)at->{} << {}u", Word::spelled(part.name), part.lsb);
}

/// Iterations of four cycles that last so long at the fastest rate that the core may ever have.
std::int64_t settlingPasses(const Facts& f, CoreIndex core, const Duration& settles)
{
    const ClockIndex clock = f.device.cores[core].clock;
    Frequency fastest = fastestRate(f.image, f.rates, clock);
    for (size_t range = 0; range < f.device.ranges.size(); ++range)
        if (const auto most = limitIn(f.device, f.device.clocks[clock], int(range)).max)
            fastest = std::max(fastest, *most);
    for (const Step& step : f.image.steps)
        if (step.coreRate.defined())
            fastest = std::max(fastest, step.coreRate);
    return std::max<std::int64_t>(1, (settles.value * fastest.value / 4).ceil());
}

} // namespace

WordLiteral typeOf(int width)
{
    return width <= 8 ? WordLiteral("uint8_t") : width <= 16 ? WordLiteral("uint16_t") : WordLiteral("uint32_t");
}

WordLiteral typeOf(const Register& reg)
{
    return typeOf(reg.width);
}

Code narrowed(const Register& reg, const Code& value)
{
    return !reg.plain() || reg.width == 32 ? value : code("({})({})", typeOf(reg), value);
}

Code registerValue(const Facts& facts, const Names& names, InstanceIndex instance, RegisterIndex reg)
{
    const Register& shape = shapeOf(facts, instance, reg);
    if (!shape.parts.empty())
        return code("{}({})", accessor(facts, names, "get", instance, reg), instanceMacro(facts, names, instance));
    return code("{}->{}", instanceMacro(facts, names, instance), Word::spelled(shape.name));
}

std::pair<Code, Code> aroundPut(const Facts& facts, const Names& names, InstanceIndex instance, RegisterIndex reg)
{
    if (!shapeOf(facts, instance, reg).plain())
        return {code("{}({}, ", accessor(facts, names, "put", instance, reg), instanceMacro(facts, names, instance)),
                Code::trusted(");")};
    return {code("{} = ", registerValue(facts, names, instance, reg)), Code::trusted(";")};
}

Code registerPut(const Facts& facts, const Names& names, InstanceIndex instance, RegisterIndex reg, const Code& value)
{
    const auto [before, behind] = aroundPut(facts, names, instance, reg);
    return code("{}{}{}", before, value, behind);
}

Word waitName(const Names& names, int width)
{
    return width == 8 ? names.name("wait8") : width == 16 ? names.name("wait16") : names.name("wait");
}

Code waitCall(const Facts& facts, const Names& names, const FieldRef& ref, const Code& value, const Code& passes)
{
    const Register& shape = facts.device.registerOf(ref);
    const Word mask = fieldMacro(facts, names, ref);
    if (shape.parts.empty())
        return code("{}(&{}, {}, {}, {})", waitName(names, shape.width),
                    registerValue(facts, names, ref.instance, ref.reg), mask, value, passes);
    return code("{}({}, {}, {}, {})", accessor(facts, names, "await", ref.instance, ref.reg),
                instanceMacro(facts, names, ref.instance), mask, value, passes);
}

void writeAccessors(Writer& w, const Block& block, int index)
{
    const Device& device = w.facts.device;
    int of = -1;
    for (InstanceIndex i = 0; i < int(device.instances.size()) && of < 0; ++i)
        if (device.instances[i].block == index)
            of = int(i);
    const Word structure = w.names.name(Word::of(block.name));
    const bool feeds = w.names.core == 0 && !runningWatchdogs(device).empty();
    for (RegisterIndex r = 0; of >= 0 && r < int(block.registers.size()); ++r) {
        const Register& reg = block.registers[r];
        if (reg.plain())
            continue;
        if (!reg.parts.empty()) {
            // The one that is read first holds the others still.
            std::vector<const RegisterPart*> order;
            for (const RegisterPart& part : reg.parts)
                order.insert(reg.readAsWritten ? order.end() : order.begin(), &part);
            w.comment(
                fmt::format("{} is split into {} parts: reading {} latches the others, writing {} applies them all.",
                            reg.name, reg.parts.size(), order.front()->name, reg.parts.back().name));
            w.linef("static inline uint32_t {}(const struct {} *at)", accessor(w.facts, w.names, "get", of, int(r)),
                    structure);
            w.line("{");
            w.linef("    uint32_t value = {};", bitsOf(*order.front()));
            for (size_t i = 1; i < order.size(); ++i)
                w.linef("    value |= {};", bitsOf(*order[i]));
            w.line("    return value;");
            w.line("}");
            w.line();
            w.linef("static inline bool {}(const struct {} *at, uint32_t mask, uint32_t value, uint32_t passes)",
                    accessor(w.facts, w.names, "await", of, int(r)), structure);
            w.line("{");
            w.line("    for (; passes > 0u; passes--) {");
            if (feeds)
                w.linef("        {}_feed_early();", w.names.prefix);
            w.linef("        if (({}(at) & mask) == value) {{", accessor(w.facts, w.names, "get", of, int(r)));
            w.line("            return true;");
            w.line("        }");
            w.line("    }");
            w.linef("    return ({}(at) & mask) == value;", accessor(w.facts, w.names, "get", of, int(r)));
            w.line("}");
            w.line();
        }
        const auto keyOf = [of](const WriteGuard& guard) {
            return FieldRef{guard.instance < 0 ? InstanceIndex(of) : guard.instance, guard.reg, guard.field};
        };
        if (!reg.guards.empty()) {
            std::vector<std::string> locks;
            for (const WriteGuard& guard : reg.guards)
                locks.push_back(device.registerOf(keyOf(guard)).name);
            w.comment(
                fmt::format("{} accepts only the write directly after {} in {}: no interrupt may write in between.",
                            reg.name, locks.size() == 1 ? "the key" : "the keys", listed(locks)));
        }
        w.linef("static inline void {}(struct {} *at, uint32_t value)", accessor(w.facts, w.names, "put", of, int(r)),
                structure);
        w.line("{");
        if (!reg.guards.empty())
            w.linef("    const uint32_t held = {}_interrupts_hold();", w.names.prefix);
        for (const WriteGuard& guard : reg.guards) {
            const FieldRef key = keyOf(guard);
            const Register& lock = device.registerOf(key);
            const Code place = guard.instance < 0 ? code("at->{}", Word::spelled(lock.name))
                                                  : registerValue(w.facts, w.names, guard.instance, guard.reg);
            w.linef(
                "    {} = {};", place,
                narrowed(lock, device.fieldOf(key).width == 1
                                   ? code("{}", guard.code ? fieldMacro(w.facts, w.names, key) : Word(WordLiteral("0")))
                                   : code("{}_AT(0x{:X}u)", fieldMacro(w.facts, w.names, key), guard.code)));
        }
        for (const RegisterPart& part : reg.parts)
            w.linef("    at->{} = ({})({});", Word::spelled(part.name), typeOf(part.width),
                    part.lsb == 0 ? Code::trusted("value") : code("value >> {}u", part.lsb));
        if (reg.parts.empty())
            w.linef("    at->{} = {};", Word::spelled(reg.name),
                    reg.width == 32 ? Code::trusted("value") : code("({})value", typeOf(reg)));
        if (!reg.guards.empty())
            w.linef("    {}_interrupts_release(held);", w.names.prefix);
        if (!reg.settles.value.isZero()) {
            w.comment(fmt::format("The write takes effect within {}; nothing may be accessed before. One iteration "
                                  "takes at least four cycles.",
                                  format(reg.settles)),
                      4);
            w.linef("    for (volatile uint32_t passes = {}u; passes > 0u; passes--) {{",
                    settlingPasses(w.facts, w.names.core, reg.settles));
            w.line("    }");
        }
        w.line("}");
        w.line();
    }
}

std::vector<int> guardsOf(const Block& block)
{
    std::vector<int> out;
    for (const Register& reg : block.registers)
        for (const WriteGuard& guard : reg.guards)
            if (guard.instance >= 0)
                out.push_back(guard.instance);
    return out;
}

} // namespace bindrel
