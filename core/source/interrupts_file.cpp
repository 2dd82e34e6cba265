// SPDX-License-Identifier: GPL-3.0-or-later
// PREFIX_interrupts.c: handlers that clear their flag in the way that the register asks for, and hand on.
#include "core/source/field_access.h"
#include "core/source/interrupt_table.h"
#include "core/source/writer.h"

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

/// Lets an interrupt through to the core and no longer, as its architecture wants it.
void writeEnable(Writer& w)
{
    const Facts& f = w.facts;
    const bool arm = f.device.cores[w.names.core].architecture == Core::Architecture::ArmM;
    w.comment(arm ? "The core's interrupt controller as Arm defines it for the M profile: set-enable and clear-enable "
                    "registers with one bit per interrupt."
                  : "The chip's interrupt controller has one enable bit per interrupt, set and cleared by "
                    "read-modify-write.");
    for (const bool enables : {true, false}) {
        if (!enables)
            w.line();
        w.linef("void {}_interrupt_{}(uint32_t number)", w.names.prefix,
                enables ? WordLiteral("enable") : WordLiteral("disable"));
        w.line("{");
        if (arm) {
            w.linef("    volatile uint32_t *const bits = (volatile uint32_t *){};",
                    enables ? Code::trusted("0xE000E100u") : Code::trusted("0xE000E180u"));
            w.line("    bits[number / 32u] = 1u << (number % 32u);");
            if (!enables) {
                w.comment("Its handler does not start after this point.", 4);
                w.line("    __asm__ volatile(\"dsb\\n\\tisb\" : : : \"memory\");");
            }
        } else {
            const int controller = f.device.cores[w.names.core].interruptController;
            const Register& reg = f.device.registerOf(f.device.roleField(controller, "enable"));
            w.linef("    volatile {} *const bits = &{};", typeOf(reg), roleRegister(f, w.names, controller, "enable"));
            w.linef("    const uint32_t held = {}_interrupts_hold();", w.names.prefix);
            w.linef("    bits[number / {0}u] = {1};", reg.width,
                    narrowed(reg, enables ? code("bits[number / {0}u] | 1u << (number % {0}u)", reg.width)
                                          : code("bits[number / {0}u] & ~(1u << (number % {0}u))", reg.width)));
            w.linef("    {}_interrupts_release(held);", w.names.prefix);
        }
        w.line("}");
    }
}

/// A register whose reading clears a flag, or that holds several of a handler's flags, is read once into a local.
bool readOnce(const Device& device, const std::vector<FieldRef>& flags, const FieldRef& one)
{
    const auto same = [&](const FieldRef& flag) { return flag.instance == one.instance && flag.reg == one.reg; };
    const IndexVector<FieldIndex, Field>& fields = device.registerOf(one).fields;
    return std::count_if(flags.begin(), flags.end(), same) > 1 &&
           std::any_of(fields.begin(), fields.end(),
                       [](const Field& field) { return field.access == Field::Access::ReadToClear; });
}

/// The output that the plan has toggled by this interrupt.
void callToggle(Writer& w, const InterruptClient& client, int indent)
{
    if (client.toggled >= 0)
        w.linef("{}{}_toggle();", Code::trusted(std::string(size_t(indent), ' ')),
                w.names.need(size_t(client.toggled)));
}

/// Each flag is cleared in the way that its register asks for, then the need's function is called.
void writeHandler(Writer& w, const InterruptVector& vector)
{
    const Facts& f = w.facts;
    w.line();
    w.linef("void {}(void);", vector.handler);
    w.linef("void {}(void)", vector.handler);
    w.line("{");
    std::vector<FieldRef> flags;
    for (const InterruptClient& client : vector.clients)
        if (const FieldRef flag = f.device.roleField(client.instance, client.flag);
            flag.valid() && std::find(flags.begin(), flags.end(), flag) == flags.end())
            flags.push_back(flag);
    std::map<std::pair<InstanceIndex, RegisterIndex>, Word> locals;
    for (const FieldRef& flag : flags)
        if (readOnce(f.device, flags, flag) && !locals.contains({flag.instance, flag.reg})) {
            const Word name = Word::of(locals.empty() ? "flags" : "flags" + std::to_string(locals.size() + 1));
            if (locals.empty())
                w.comment("Read only once: reading clears some of the flags.", 4);
            w.linef("    const uint32_t {} = {};", name, registerValue(f, w.names, flag.instance, flag.reg));
            locals.emplace(std::pair(flag.instance, flag.reg), name);
        }
    std::vector<FieldRef> asked;
    for (const InterruptClient& client : vector.clients) {
        w.becauseNeed(client.need, client.event);
        const Word function = w.names.need(client.need) + "_" + Word::of(client.function);
        const FieldRef flag = f.device.roleField(client.instance, client.flag);
        if (!flag.valid()) {
            callToggle(w, client, 4);
            w.linef("    {}();", function);
            continue;
        }
        // One test serves all needs that share a flag: the first would clear it before the others look.
        if (std::find(asked.begin(), asked.end(), flag) != asked.end())
            continue;
        asked.push_back(flag);
        const auto local = locals.find({flag.instance, flag.reg});
        w.linef("    if (({} & {}) != 0u) {{",
                local == locals.end() ? registerValue(f, w.names, flag.instance, flag.reg) : code("{}", local->second),
                roleMacro(f, w.names, client.instance, client.flag));
        forgetFlag(w, client.instance, client.flag, 8);
        callToggle(w, client, 8);
        w.linef("        {}();", function);
        for (const InterruptClient& other : vector.clients)
            if (other.need != client.need && f.device.roleField(other.instance, other.flag) == flag) {
                w.becauseNeed(other.need, other.event);
                callToggle(w, other, 8);
                w.linef("        {}_{}();", w.names.need(other.need), Word::of(other.function));
            }
        w.line("    }");
    }
    w.noCause();
    w.line("}");
}

/// What is done where the program defines no function for an event whose flag stays set until somebody takes what it
/// tells of: the interrupt would come again and again.
void writeMask(Writer& w, const InterruptVector& vector, const InterruptClient& client)
{
    const FieldRef flag = w.facts.device.roleField(client.instance, client.flag);
    if (!flag.valid() || w.facts.device.fieldOf(flag).access != Field::Access::ReadOnly)
        return;
    const bool masks = w.facts.device.roleField(client.instance, client.enable).valid();
    if (!masks && vector.clients.size() > 1)
        return;
    w.comment("No function handles the event, so the interrupt would fire again at once: disable it.", 4);
    if (masks)
        writeRoleCode(w, client.instance, client.enable, 0, 4);
    else
        w.linef("    {}_interrupt_disable({}u);", w.names.prefix, vector.number);
}

/// An Arm core holds a byte an interrupt, of which the upper bits count.
void writePriority(Writer& w)
{
    const Core& core = w.facts.device.cores[w.names.core];
    if (core.architecture != Core::Architecture::ArmM || core.priorityBits <= 0)
        return;
    w.line();
    w.comment(fmt::format("Levels 0 (most urgent) to {}.{}", (1 << core.priorityBits) - 1,
                          core.wordsOnly() ? " Not reentrant: four interrupts share a word." : ""));
    w.linef("void {}_interrupt_priority(uint32_t number, uint32_t level)", w.names.prefix);
    w.line("{");
    if (core.wordsOnly()) {
        w.line("    volatile uint32_t *const priority = (volatile uint32_t *)0xE000E400u + number / 4u;");
        w.line("    const uint32_t shift = number % 4u * 8u;");
        w.linef("    *priority = (*priority & ~((uint32_t)0xFFu << shift)) | (level << (shift + {}u));",
                8 - core.priorityBits);
    } else {
        w.line("    volatile uint8_t *const priority = (volatile uint8_t *)0xE000E400u;");
        w.linef("    priority[number] = (uint8_t)(level << {}u);", 8 - core.priorityBits);
    }
    w.line("}");
}

/// A watched clock that stops: the chip has fallen back by itself; the board is brought to levels that are safe.
void writeClockAlarms(Writer& w, const std::vector<ClockAlarm>& alarms)
{
    const Facts& f = w.facts;
    if (alarms.empty())
        return;
    w.line();
    w.comment("Called when a monitored clock has stopped and the chip has switched to its fallback: rates are no "
              "longer as planned. Define it to react.");
    w.linef("__attribute__((weak)) void {}_source_lost(void)", w.names.prefix);
    w.line("{");
    w.linef("    {}_safe_state();", w.names.prefix);
    w.line("}");
    for (const ClockAlarm& alarm : alarms) {
        w.because({Place::Kind::Clock, f.device.clocks[alarm.clocks.front()].id, {}}, "monitor");
        w.line();
        w.linef("void {}(void);", alarm.handler);
        w.linef("void {}(void)", alarm.handler);
        w.line("{");
        for (const ClockIndex clock : alarm.clocks)
            if (const FieldRef& flag = f.device.clocks[clock].monitor->flag; flag.valid())
                clearFields(w, flag.instance, {flag}, 4);
        w.linef("    {}_source_lost();", w.names.prefix);
        w.line("}");
    }
    w.noCause();
}

} // namespace

SourceFile interruptsSource(const Facts& f, const Names& names)
{
    Writer w(f, names, names.path(WordLiteral("interrupts"), ".c"), "Interrupt handlers of the needs.");
    w.line(names.include(WordLiteral("board")));
    w.line(names.include(WordLiteral("regs")));
    const std::vector<InterruptVector> vectors = interruptVectors(f, names, Handlers::Written);
    std::set<size_t> included;
    std::set<std::string> functions;
    for (const InterruptVector& vector : vectors)
        for (const InterruptClient& client : vector.clients)
            for (const NeedIndex need : {client.need, client.toggled})
                if (need >= 0 && included.insert(size_t(need)).second) {
                    w.becauseNeed(need);
                    w.includeNeed(size_t(need));
                }
    w.noCause();
    w.line();
    writeEnable(w);
    writePriority(w);
    for (const InterruptVector& vector : vectors)
        for (const InterruptClient& client : vector.clients) {
            const Word function = names.need(client.need) + "_" + Word::of(client.function);
            if (client.own || !functions.insert(function.text()).second)
                continue;
            w.becauseNeed(client.need, client.event);
            w.line();
            w.linef("__attribute__((weak)) void {}(void)", function);
            w.line("{");
            writeMask(w, vector, client);
            w.line("}");
        }
    w.noCause();
    for (const InterruptVector& vector : vectors)
        writeHandler(w, vector);
    writeClockAlarms(w, clockAlarms(f, names));
    return w.take();
}

} // namespace bindrel
