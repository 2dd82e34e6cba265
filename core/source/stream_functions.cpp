// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/stream_functions.h"

#include "core/source/field_access.h"
#include "core/tuning/streams.h"

#include <algorithm>

namespace bindrel {

namespace {

WordLiteral unitOf(const StreamSpec& spec)
{
    return spec.bytes == 1   ? WordLiteral("uint8_t")
           : spec.bytes == 2 ? WordLiteral("uint16_t")
                             : WordLiteral("uint32_t");
}

struct StreamNames {
    Word begin, moved, done, halt;
    Code memory; ///< parameter that says what is moved
};

StreamNames namesOf(const Writer& w, NeedIndex need, const StreamSpec& spec)
{
    const Word stem = w.names.need(need) + "_" + Word::of(std::string(spec.verb));
    if (spec.role.empty())
        return {stem, stem + "_moved", stem + "_done", stem + "_halt", Code::trusted("void *to, const void *from")};
    return {stem + (spec.intoMemory ? WordLiteral("_into") : WordLiteral("_from")), stem + "_moved", stem + "_done",
            stem + "_halt",
            spec.intoMemory ? code("{} *memory", unitOf(spec)) : code("const {} *memory", unitOf(spec))};
}

/// The address of the register at the instance's end, as a number.
Code farEnd(const Writer& w, NeedIndex need, const StreamSpec& spec)
{
    const InstanceIndex instance = w.facts.bindings.needs[need].instance;
    const int skipped = w.facts.device.fieldOf(w.facts.device.roleField(instance, spec.role)).lsb / 8;
    const Code address = code("(uint32_t)(uintptr_t)&{}", roleRegister(w.facts, w.names, instance, spec.role));
    return skipped > 0 ? code("({} + {}u)", address, skipped) : address;
}

bool goesRound(const StreamSetting& stream)
{
    return std::any_of(stream.roles.begin(), stream.roles.end(),
                       [](const RoleValue& value) { return isWordOf(value.role, "loop#") && value.value != 0; });
}

/// Whether the flag of the end is there to be asked: an interrupt would take it away.
bool tellsDone(const Writer& w, NeedIndex need, const StreamSetting& stream)
{
    const std::string done = "done" + std::to_string(stream.channel);
    const std::vector<NeedEvent>& events = w.facts.settings[need].events;
    return w.facts.device.roleField(w.facts.device.dma.instance, done).valid() &&
           std::none_of(events.begin(), events.end(), [&done](const NeedEvent& event) { return event.flag == done; });
}

/// The variable that holds how many were to be moved.
Word countName(const Writer& w, NeedIndex need, const StreamSetting& stream)
{
    return w.local(need, Word::of(std::string(stream.spec.verb)) + "_count");
}

/// Memory and the channel see the same, in this order: the compiler keeps to it, and so does the core's bus.
void writeBarrier(Writer& w, NeedIndex need)
{
    const Core& core = w.facts.device.cores[coreOf(w.facts, need)];
    if (core.architecture == Core::Architecture::ArmM)
        w.line("    __asm__ volatile(\"dmb\" : : : \"memory\");");
    else
        w.line("    __asm__ volatile(\"fence\" : : : \"memory\");");
}

} // namespace

void declareStreamState(Writer& w, NeedIndex need)
{
    const std::vector<StreamSetting>& streams = w.facts.settings[need].streams;
    for (const StreamSetting& stream : streams)
        w.linef("static uint32_t {};", countName(w, need, stream));
    if (!streams.empty())
        w.line();
}

void resetStreamState(Writer& w, NeedIndex need)
{
    for (const StreamSetting& stream : w.facts.settings[need].streams)
        w.linef("    {} = 0u;", countName(w, need, stream));
}

const std::vector<std::string_view>& streamSuffixes()
{
    static const std::vector<std::string_view> all{
        "receive_into", "receive_moved", "receive_done", "receive_halt", "receive_end", "receive_half",
        "send_from",    "send_moved",    "send_done",    "send_halt",    "send_end",    "send_half",
        "copy",         "copy_moved",    "copy_done",    "copy_halt",    "copy_end",    "copy_half",
        "levels_from",  "levels_moved",  "levels_done",  "levels_halt",  "levels_end",  "levels_half",
        "results_into", "results_moved", "results_done", "results_halt", "results_end", "results_half"};
    return all;
}

void declareStreams(Writer& w, NeedIndex need)
{
    for (const StreamSetting& stream : w.facts.settings[need].streams) {
        const StreamNames names = namesOf(w, need, stream.spec);
        const bool round = goesRound(stream);
        w.line();
        const char* unit = stream.spec.bytes == 1   ? "bytes"
                           : stream.spec.bytes == 2 ? "units of 2 bytes"
                                                    : "units of 4 bytes";
        if (stream.spec.role.empty())
            w.comment(
                fmt::format("DMA channel {} copies `count` {} in the background; do not touch either buffer meanwhile. "
                            "False if the count is 0 or above {}, or a pointer is misaligned: nothing is started then.",
                            stream.channel, unit, stream.most));
        else
            w.comment(fmt::format("DMA channel {} {} the buffer from now on, {}; do not touch it meanwhile. False if "
                                  "the count is 0 or above {}: nothing is started then.",
                                  stream.channel, stream.spec.intoMemory ? "fills" : "sends",
                                  round ? "continuously until it is halted" : "once", stream.most));
        w.linef("bool {}({}, uint32_t count);", names.begin, names.memory);
        w.comment(round ? "Transfers done in this pass."
                  : tellsDone(w, need, stream)
                      ? "Transfers done."
                      : "Transfers done; possibly one short at the end, which the interrupt reports.");
        w.linef("uint32_t {}(void);", names.moved);
        if (tellsDone(w, need, stream)) {
            w.comment(round ? "True if a pass has completed since the last begin."
                            : "True once all transfers are done.");
            w.linef("bool {}(void);", names.done);
        }
        w.comment("Stops the transfer; the buffer may be used again.");
        w.linef("void {}(void);", names.halt);
    }
}

void defineStreams(Writer& w, NeedIndex need)
{
    const Device& device = w.facts.device;
    const int dma = device.dma.instance;
    for (const StreamSetting& stream : w.facts.settings[need].streams) {
        const std::string n = std::to_string(stream.channel);
        const StreamNames names = namesOf(w, need, stream.spec);
        const Word count = countName(w, need, stream);
        const std::int64_t offset = countOffset(device, stream.channel).value_or(0);
        const auto has = [&](const char* role) { return device.roleField(dma, role + n).valid(); };
        const Code memory = Code::trusted("(uint32_t)(uintptr_t)memory");
        w.line();
        w.linef("bool {}({}, uint32_t count)", names.begin, names.memory);
        w.line("{");
        const bool copies = stream.spec.role.empty();
        if (copies && stream.spec.bytes > 1)
            w.linef(
                "    if (count == 0u || count > {0}u || (uintptr_t)from % {1}u != 0u || (uintptr_t)to % {1}u != 0u) {{",
                stream.most, stream.spec.bytes);
        else
            w.linef("    if (count == 0u || count > {}u) {{", stream.most);
        w.line("        return false;");
        w.line("    }");
        writeRoleCode(w, dma, "on" + n, 0, 4);
        clearFlags(w, dma, {"done" + n, "half" + n}, 4);
        if (copies) {
            writeRole(w, dma, "from" + n, Code::trusted("(uint32_t)(uintptr_t)from"), 4);
            writeRole(w, dma, "to" + n, Code::trusted("(uint32_t)(uintptr_t)to"), 4);
        } else if (has("memory")) {
            writeRole(w, dma, "memory" + n, memory, 4);
        } else {
            writeRole(w, dma, "from" + n, stream.spec.intoMemory ? farEnd(w, need, stream.spec) : memory, 4);
            writeRole(w, dma, "to" + n, stream.spec.intoMemory ? memory : farEnd(w, need, stream.spec), 4);
        }
        writeRole(w, dma, "count" + n, offset < 0 ? Code::trusted("(count - 1u)") : Code::trusted("count"), 4);
        w.linef("    {} = count;", count);
        w.comment("Data must have reached memory before the channel reads it.", 4);
        writeBarrier(w, need);
        writeRoleCode(w, dma, "on" + n, 1, 4);
        w.line("    return true;");
        w.line("}");
        w.line();
        w.linef("uint32_t {}(void)", names.moved);
        w.line("{");
        // A count that holds one less cannot tell the last unit from the end.
        if (offset < 0 && tellsDone(w, need, stream) && !goesRound(stream))
            w.linef("    if (({} & {}) != 0u) {{\n        return {};\n    }}",
                    roleRegister(w.facts, w.names, dma, "done" + n), roleMacro(w.facts, w.names, dma, "done" + n),
                    count);
        w.linef("    const uint32_t left = {}{};", readRole(w, dma, (has("left") ? "left" : "count") + n),
                !has("left") && offset < 0 ? Code::trusted(" + 1u") : Code());
        w.linef("    return left <= {0} ? {0} - left : 0u;", count);
        w.line("}");
        if (tellsDone(w, need, stream)) {
            w.line();
            w.linef("bool {}(void)", names.done);
            w.line("{");
            w.linef("    return ({} & {}) != 0u;", roleRegister(w.facts, w.names, dma, "done" + n),
                    roleMacro(w.facts, w.names, dma, "done" + n));
            w.line("}");
        }
        w.line();
        w.linef("void {}(void)", names.halt);
        w.line("{");
        writeRoleCode(w, dma, "on" + n, 0, 4);
        writeBarrier(w, need);
        w.line("}");
    }
}

} // namespace bindrel
