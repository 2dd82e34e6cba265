// SPDX-License-Identifier: GPL-3.0-or-later
// Segment display: backplanes in use, frame rate, contrast; which segment hangs on which lines is the board's.
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"
#include "core/source/field_access.h"

#include <algorithm>
#include <cstdlib>

namespace bindrel {

namespace {

int backplanesOf(const Need& need) { return std::clamp(std::atoi(goalText(need, "backplanes").c_str()), 1, 8); }

/// Numbers of the segment lines of a need, in its own order; -1 where the pad is not chosen yet.
std::vector<int> segmentLinesOf(const BoundNeed& bound)
{
    std::vector<int> out;
    for (const Seat& seat : bound.seats)
        if (seat.signal.id.starts_with("seg"))
            out.push_back(seat.pad < 0 ? -1 : seat.channel);
    return out;
}

Setting solveSegments(const TuningContext& c)
{
    Setting out;
    const std::string& name = c.device.instances[size_t(c.bound.instance)].name;
    const int planes = backplanesOf(c.need);
    const std::int64_t most = c.device.ability(c.bound.instance, "backplanes", 8);
    const bool planesOk = planes <= most && (!c.has("backplanes") || c.encoding("backplanes").encode(planes).value_or(c.maxCode("backplanes") + 1) <= c.maxCode("backplanes"));
    Achieved row{"backplanes", "Backplanes", std::to_string(planes), std::to_string(planesOk ? planes : int(most)), std::nullopt, planesOk, {}, {}};
    if (!planesOk)
        row.trouble = fmt::format("{} drives {} at most.", name, most);
    out.achieved.push_back(row);
    if (c.has("backplanes") && planesOk)
        out.roles.push_back({"backplanes", planes, "backplanes"});

    const Frequency wanted = goalRate(c.need, "frame");
    const std::int64_t cycles = c.device.ability(c.bound.instance, "frame_cycles", 1);
    const Rational base = c.kernel().rate.value / cycles / planes;
    std::int64_t divider = 1;
    if (c.has("divider")) {
        const Rational ideal = base / wanted.value;
        const Encoding& encoding = c.encoding("divider");
        std::optional<std::int64_t> best;
        for (const std::optional<std::int64_t>& found : {encoding.nearest(std::max<std::int64_t>(ideal.floor(), 1), c.maxCode("divider")), encoding.nearest(std::max<std::int64_t>(ideal.ceil(), 1), c.maxCode("divider"))})
            if (found && (!best || (base / *found - wanted.value).abs() < (base / *best - wanted.value).abs()))
                best = found;
        divider = best.value_or(1);
        out.roles.push_back({"divider", divider, "frame"});
    }
    const Frequency frame(base / divider);
    Achieved rate{"frame", "Frame rate", format(wanted), format(frame, 4), errorOf(frame, wanted), true, fmt::format("{} / ({} \u00d7 {}{})", format(c.kernel().rate), cycles, planes, divider > 1 ? fmt::format(" \u00d7 {}", divider) : std::string()), {}};
    // An eye sees less than 30 pictures a second flicker; a quarter off is no matter.
    rate.ok = rate.error->value.abs() <= Rational(250'000);
    if (!rate.ok)
        rate.trouble = fmt::format("it would be {}. Give {} about {}.", format(frame, 4), c.kernelName(), format(Frequency(wanted.value * cycles * planes * divider), 4));
    out.achieved.push_back(rate);
    const Expected<Ratio> contrast = parseRatio(goalText(c.need, "contrast"));
    if (c.has("contrast"))
        out.roles.push_back({"contrast", (contrast->value * std::int64_t(c.maxCode("contrast"))).round(), "contrast"});
    for (const auto& [role, field] : c.device.blockOf(c.bound.instance).roles)
        if (isWordOf(role, "line#")) {
            const std::vector<int> lines = segmentLinesOf(c.bound);
            out.roles.push_back({role, std::any_of(lines.begin(), lines.end(), [&role = role](int line) { return role == "line" + std::to_string(line); }), "segments"});
        }
    if (c.has("on"))
        out.roles.push_back({"on", 1, "", RoleValue::When::Start});
    return out;
}

bool hasPlanes(const Writer& w, size_t need)
{
    for (int plane = 0; plane < backplanesOf(w.facts.plan.needs[need]); ++plane)
        if (!w.facts.device.roleField(w.facts.bindings.needs[need].instance, "plane" + std::to_string(plane)).valid())
            return false;
    return true;
}

void declareSegments(Writer& w, size_t need)
{
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    w.linef("#define {}_BACKPLANES {}u", NAME, backplanesOf(w.facts.plan.needs[need]));
    w.comment("Bits of a backplane's word that the segment lines have, in the order of the plan.");
    const std::vector<int> lines = segmentLinesOf(w.facts.bindings.needs[need]);
    for (size_t i = 0; i < lines.size(); ++i)
        if (lines[i] >= 0 && lines[i] < 32)
            w.linef("#define {}_SEG{} (1u << {}u)", NAME, i, lines[i]);
    if (!hasPlanes(w, need))
        return;
    w.comment("Lights the segments of one backplane: a word of the bits above. Others of it go dark.");
    w.linef("void {}_show_segments(uint32_t backplane, uint32_t bits);", name);
}

void defineSegments(Writer& w, size_t need)
{
    if (!hasPlanes(w, need))
        return;
    const int instance = w.facts.bindings.needs[need].instance;
    w.line();
    w.linef("void {}_show_segments(uint32_t backplane, uint32_t bits)", w.names.need(need));
    w.line("{");
    w.line("    switch (backplane) {");
    for (int plane = 0; plane < backplanesOf(w.facts.plan.needs[need]); ++plane) {
        const std::string role = "plane" + std::to_string(plane);
        const std::uint32_t all = w.facts.device.fieldOf(w.facts.device.roleField(instance, role)).maxCode();
        w.linef("    case {}u:", plane);
        writeRole(w, instance, role, all == 0xFFFFFFFFu ? Code::trusted("bits") : code("(bits & 0x{:X}u)", all), 8);
        w.line("        break;");
    }
    w.line("    default:");
    w.line("        break;");
    w.line("    }");
    w.line("}");
}

} // namespace

Kind segmentsKind()
{
    Kind room;
    using T = GoalSpec::Type;
    KindSpec& kind = room.spec;
    kind.id = "segments";
    kind.title = "Segment display";
    kind.instanceKind = "segments";
    kind.goals = {{"backplanes", "Backplanes", T::Integer, "4", {}, "", 1, 8},
                  {"segments", "Segment lines", T::Integer, "8", {}, "", 1, 40},
                  {"frame", "Frame rate", T::Frequency, "60 Hz", {}, "Of the whole picture."},
                  {"contrast", "Contrast", T::Ratio, "50 %", {}, "Where the controller can set it.", 0, 0, true}};
    kind.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out;
        const int backplanes = std::clamp(std::atoi(goalText(need, "backplanes").c_str()), 1, 8);
        const int segments = std::clamp(std::atoi(goalText(need, "segments").c_str()), 1, 40);
        // A backplane is one line of the controller, a segment is any: the firmware's map says which is which.
        for (int i = 0; i < backplanes; ++i)
            out.push_back({"com" + std::to_string(i), "backplane " + std::to_string(i), "COM" + std::to_string(i), -1, D::Analog, false});
        for (int i = 0; i < segments; ++i)
            out.push_back({"seg" + std::to_string(i), "segment " + std::to_string(i), "SEG#", i, D::Analog, false});
        return out;
    };
    kind.brief = [](const Need& need) { return goalText(need, "backplanes") + " x " + goalText(need, "segments"); };
    using Use = RoleSpec::Use;
    kind.roles = {{"on", Use::Config, false, "", "Switches the display on.", {}}, {"backplanes", Use::Config, false, "backplanes in use", "", {}}, {"divider", Use::Config, false, "", "Divides the clock of the frame.", {}}, {"contrast", Use::Config, false, "", "From 0, the least, to all bits set.", {}},
                  {"line#", Use::Config, false, "", "1: the segment line of this number is in use.", {}}, {"plane#", Use::Data, false, "", "What the segment lines show while the backplane of this number is active: bit n is line n.", {}}};
    kind.abilities = {{"backplanes", "How many there are."}, {"segments", "Number of segment lines."}, {"frame_cycles", "Kernel cycles for which one backplane is active in a frame, divided by the divider; 1 when nothing is said."}};
    room.tuning.solve = solveSegments;
    room.source = {declareSegments, defineSegments, {"backplanes", "show_segments", "seg"}};
    kind.instanceSignals = {{"COM#", "Backplane."}, {"SEG#", "Segment."}};
    return room;
}

} // namespace bindrel
