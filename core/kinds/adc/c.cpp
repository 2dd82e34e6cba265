// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/adc/adc.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"

#include <algorithm>

namespace bindrel {

namespace {

WordLiteral valueType(std::int64_t bits)
{
    return bits > 16 ? WordLiteral("uint32_t") : WordLiteral("uint16_t");
}

std::int64_t resolutionOf(const Facts& f, NeedIndex need)
{
    return f.settings[need]
        .role("resolution")
        .value_or(adcResolution(f.device, f.bindings.needs[need].instance, goalsOf<AdcGoals>(f.plan.needs[need]).bits));
}

/// Whether software converts: nothing else starts it or fetches its values.
bool converts(const AdcGoals& g)
{
    return !g.byTimer && !g.continuous && !g.dma && !g.interrupt;
}

/// The place in the sequence at which each input of the need comes.
std::vector<size_t> orderOf(const Facts& f, NeedIndex need)
{
    const std::vector<int> inputs = adcInputs(f.bindings.needs[need]);
    std::vector<size_t> out(inputs.size());
    for (size_t i = 0; i < inputs.size(); ++i)
        out[i] = i;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    if (!f.device.roleField(instance, "slot1").valid() &&
        f.device.roleField(instance, "input" + std::to_string(inputs.empty() ? 0 : inputs.front())).valid())
        std::sort(out.begin(), out.end(), [&inputs](size_t a, size_t b) { return inputs[a] < inputs[b]; });
    return out;
}

void writeUse(Writer& w, NeedIndex need, int indent)
{
    const InstanceIndex instance = w.facts.bindings.needs[need].instance;
    for (const RoleValue& value : w.facts.settings[need].roles) {
        const Role* role = w.facts.device.blockOf(instance).role(value.role);
        const std::optional<std::uint32_t> code = role ? role->encoding.encode(value.value) : std::nullopt;
        if (value.when == RoleValue::When::Use && value.role != "input" && code)
            writeRoleCode(w, instance, value.role, *code, indent);
    }
}

} // namespace

void declareAdc(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const AdcGoals& g = goalsOf<AdcGoals>(f.plan.needs[need]);
    const Setting& setting = f.settings[need];
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    const std::int64_t bits = resolutionOf(f, need);
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const std::int64_t cycles = adcCycles(f.device, instance, setting);
    w.linef("#define {}_INPUTS {}u", NAME, g.inputs);
    w.linef("#define {}_BITS {}u", NAME, bits);
    w.linef("#define {}_REFERENCE_MILLIVOLTS {}u", NAME, g.millivolts);
    w.line();
    if (converts(g)) {
        const Rational us = Rational(2 * cycles) / f.rates.clocks[setting.kernel].rate.value * 1'000'000;
        w.linef("#define {}_CONVERT_US {}u {}", NAME, us.ceil() + 1,
                cComment("within which a value must be there: twice its time"));
        w.comment(fmt::format("Converts all inputs, in the order of the plan.{}",
                              f.bindings.needs[need].shared
                                  ? " The converter serves other needs too: never call it from an interrupt."
                                  : ""));
        w.linef("enum {}_status {}_convert({} values[{}_INPUTS]);", w.names.prefix, name, valueType(bits), NAME);
    } else {
        w.comment("The last value that was converted; reading takes it away.");
        w.linef("{} {}_value(void);", valueType(bits), name);
        if (!g.byTimer && !g.continuous && f.device.roleField(instance, "start").valid()) {
            w.comment("Starts a sequence.");
            w.linef("void {}_start_one(void);", name);
        }
    }
    w.comment("Millivolts at the input, rounded to the nearest.");
    w.linef("uint32_t {}_millivolts(uint32_t value);", name);
}

void defineAdc(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const AdcGoals& g = goalsOf<AdcGoals>(f.plan.needs[need]);
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    const std::int64_t bits = resolutionOf(f, need);
    const auto has = [&](std::string_view role) { return f.device.roleField(instance, role).valid(); };
    if (converts(g)) {
        const std::vector<int> inputs = adcInputs(f.bindings.needs[need]);
        const std::int64_t settling = f.device.ability(instance, "settling", 1);
        const Word flag = roleMacro(f, w.names, instance, "done");
        const auto take = [&](const Code& into, int indent) {
            const Code margin = Code::trusted(std::string(size_t(indent), ' '));
            w.linef("{}if (!{}) {{", margin,
                    waitForRole(w, instance, "done", code("{}", flag), code("{}_CONVERT_US", NAME)));
            w.linef("{}    return {};", margin, w.names.macro("TIMEOUT_TRANSFER"));
            w.linef("{}}}", margin);
            w.linef("{}{} = ({}){};", margin, into, valueType(bits), readRole(w, instance, "data"));
            forgetFlag(w, instance, "done", indent);
        };
        const auto dropWaiting = [&](std::string_view why, int indent) {
            const Code margin = Code::trusted(std::string(size_t(indent), ' '));
            w.comment(why, indent);
            w.linef("{}if (({} & {}) != 0u) {{", margin, roleRegister(f, w.names, instance, "done"), flag);
            w.linef("{}    (void){};", margin, roleRegister(f, w.names, instance, "data"));
            forgetFlag(w, instance, "done", indent + 4);
            w.linef("{}}}", margin);
        };
        constexpr std::string_view kLeftBehind = "A result that a timeout left behind is not this call's.";
        w.line();
        w.linef("enum {}_status {}_convert({} values[{}_INPUTS])", w.names.prefix, name, valueType(bits), NAME);
        w.line("{");
        writeUse(w, need, 4);
        const bool sequences = has("slot1") || (!inputs.empty() && has("input" + std::to_string(inputs.front())));
        if (sequences || !has("input")) {
            dropWaiting(kLeftBehind, 4);
            if (has("start"))
                writeRoleCode(w, instance, "start", 1, 4);
            for (const size_t i : orderOf(f, need))
                take(code("values[{}]", i), 4);
        } else {
            const Role* role = f.device.blockOf(instance).role("input");
            for (size_t i = 0; i < inputs.size(); ++i) {
                writeRoleCode(w, instance, "input", role->encoding.encode(std::max(inputs[i], 0)).value_or(0), 4);
                dropWaiting(has("start") ? kLeftBehind : "A result that waits is of the input before.", 4);
                if (has("start"))
                    writeRoleCode(w, instance, "start", 1, 4);
                if (settling > 1) {
                    w.comment("The first values still carry the input before.", 4);
                    w.linef("    for (uint32_t i = 0u; i < {}u; i++) {{", settling);
                    take(code("values[{}]", i), 8);
                    w.line("    }");
                } else {
                    take(code("values[{}]", i), 4);
                }
            }
        }
        w.linef("    return {};", w.names.macro("OK"));
        w.line("}");
    } else {
        w.line();
        w.linef("{} {}_value(void)", valueType(bits), name);
        w.line("{");
        w.linef("    return ({}){};", valueType(bits), readRole(w, instance, "data"));
        w.line("}");
        if (!g.byTimer && !g.continuous && has("start")) {
            w.line();
            w.linef("void {}_start_one(void)", name);
            w.line("{");
            writeRoleCode(w, instance, "start", 1, 4);
            w.line("}");
        }
    }
    w.line();
    w.linef("uint32_t {}_millivolts(uint32_t value)", name);
    w.line("{");
    w.linef(
        "    return (uint32_t)(((uint64_t)value * {0}_REFERENCE_MILLIVOLTS + (1u << ({0}_BITS - 1u))) >> {0}_BITS);",
        NAME);
    w.line("}");
}

} // namespace bindrel
