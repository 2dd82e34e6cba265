// SPDX-License-Identifier: GPL-3.0-or-later
// Segment display: backplanes in use, frame rate, contrast; which segment hangs on which lines is the board's.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/base/whole_number.h"
#include "core/kinds/common/division.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

#include <algorithm>
#include <array>
#include <set>

namespace bindrel {

namespace {

int backplanesOf(const Need& need)
{
    return std::clamp(int(goalNumber(need, "backplanes")), 1, 8);
}

int segmentCountOf(const Need& need)
{
    return std::clamp(int(goalNumber(need, "segments")), 1, 40);
}

/// Numbers of the segment lines of a need, in its own order; -1 where the pad is not chosen yet.
std::vector<int> segmentLinesOf(const BoundNeed& bound)
{
    std::vector<int> out;
    for (const Seat& seat : bound.seats)
        if (seat.signal.id.starts_with("seg"))
            out.push_back(seat.pad < 0 ? -1 : seat.channel);
    return out;
}

/// Where the segments of digits hang: "1a=0.3" is segment a of the first digit, on backplane 0 and the need's segment
/// line 3.
struct SegmentMap {
    std::vector<SegmentDigits::Digit> digits;
    std::string trouble;

    static SegmentMap of(const Need& need)
    {
        SegmentMap out;
        const int planes = backplanesOf(need), lines = segmentCountOf(need);
        std::set<std::pair<int, int>> taken;
        for (const std::string& word : splitted(replacedAll(asPairs(goalName(need, "map")), '\n', ' '), ' ')) {
            if (word.empty())
                continue;
            // "1a=0.3"
            const size_t equals = std::min(word.find('='), word.size()), dot = std::min(word.find('.'), word.size());
            const auto number = [&word](size_t from, size_t to) {
                return from < to ? int(wholeNumber(word.substr(from, to - from), 99).value_or(-1)) : -1;
            };
            const int digit = number(0, std::max<size_t>(equals, 1) - 1), plane = number(equals + 1, dot),
                      line = number(dot + 1, word.size());
            const char segment = word[std::max<size_t>(equals, 1) - 1];
            const size_t at = std::string_view("abcdefgp").find(segment);
            if (at == std::string::npos || digit < 1 || digit > 16 || plane < 0 || plane >= planes || line < 0 ||
                line >= lines)
                out.trouble = say("\"{}\" does not place a segment: write 1a=0.3 for segment a of digit 1 on "
                                  "backplane 0 (of 0 to {}) and segment line 3 (of 0 to {})",
                                  word, planes - 1, lines - 1);
            else if (!taken.insert({plane, line}).second)
                out.trouble = say("\"{}\": backplane {} and segment line {} have a segment already", word, plane, line);
            else if (size_t(digit) <= out.digits.size() && out.digits[size_t(digit) - 1][at].connected())
                out.trouble = say("\"{}\": segment {} of digit {} already has a place", word, segment, digit);
            if (!out.trouble.empty())
                return out;
            out.digits.resize(std::max(out.digits.size(), size_t(digit)));
            out.digits[size_t(digit) - 1][at] = {plane, line};
        }
        return out;
    }

    /// A table with a row for each backplane, as a display's data sheet has it: "1a 1b - 2a / 1f 1g 1p 2f" with a cell
    /// for each segment line, rows parted by lines or slashes, cells by blanks, tabs, commas or bars. Becomes the pairs
    /// that it says; other text stays.
    static std::string asPairs(const std::string& text)
    {
        if (text.find('=') != std::string::npos)
            return text;
        std::string plain = text, out;
        std::replace(plain.begin(), plain.end(), '/', '\n');
        for (const char gap : {'\t', ',', '|', ';', '\r'})
            std::replace(plain.begin(), plain.end(), gap, ' ');
        int plane = 0;
        for (const std::string& row : splitted(plain, '\n')) {
            int line = 0;
            for (const std::string& cell : splitted(row, ' ')) {
                if (cell.empty())
                    continue;
                if (cell != "-" && cell != ".")
                    out += fmt::format("{}={}.{} ", lowered(cell), plane, line);
                ++line;
            }
            plane += line > 0;
        }
        return out;
    }

    static std::string replacedAll(std::string text, char from, char to)
    {
        std::replace(text.begin(), text.end(), from, to);
        return text;
    }
};

/// Segments of the figures 0 to 9, as everybody reads them: a on top, then round by the right, g in the middle.
constexpr const char* kFigures[] = {"abcdef", "bc",     "abged", "abgcd",   "fgbc",
                                    "afgcd",  "afgedc", "abc",   "abcdefg", "abcdfg"};

Setting solveSegments(const TuningContext& c)
{
    Setting out;
    const std::string& name = c.device.instances[c.bound.instance].name;
    const int planes = backplanesOf(c.need);
    const std::int64_t most = c.device.ability(c.bound.instance, "backplanes", 8);
    const bool planesOk =
        planes <= most &&
        (!c.has("backplanes") ||
         c.encoding("backplanes").encode(planes).value_or(c.maxCode("backplanes") + 1) <= c.maxCode("backplanes"));
    Achieved row{"backplanes",
                 say("Backplanes"),
                 std::to_string(planes),
                 std::to_string(planesOk ? planes : int(most)),
                 std::nullopt,
                 planesOk,
                 {},
                 {}};
    if (!planesOk)
        row.trouble = formatIfNeeded(c, "{} drives at most {}.", name, most);
    out.achieved.push_back(row);
    if (c.has("backplanes") && planesOk)
        out.roles.push_back({"backplanes", planes, "backplanes"});

    const Frequency wanted = goalRate(c.need, "frame");
    const std::int64_t cycles = c.device.ability(c.bound.instance, "frame_cycles", 1);
    const Rational base = c.kernel().rate.value / cycles / planes;
    std::int64_t divider = 1;
    if (c.has("divider")) {
        const std::vector<Division> nearest =
            divisionsNear(c, base / wanted.value, {{}, "divider", 1, DividedBy::Error::OfRate}, 1);
        divider = nearest.empty() ? 1 : nearest.front().count;
        out.roles.push_back({"divider", divider, "frame"});
    }
    const Frequency frame(base / divider);
    Achieved rate{"frame",
                  say("Frame rate"),
                  formatIfNeeded(c, wanted),
                  formatIfNeeded(c, frame, 4),
                  errorOf(frame, wanted),
                  true,
                  formatIfNeeded(c, "{} / ({} \u00d7 {}{})", formatIfNeeded(c, c.kernel().rate), cycles, planes,
                                 divider > 1 ? formatIfNeeded(c, " \u00d7 {}", divider) : std::string()),
                  {}};
    // An eye sees less than 30 pictures a second flicker; a quarter off is no matter.
    rate.ok = rate.error->value.abs() <= Rational(250'000);
    if (!rate.ok)
        rate.trouble =
            formatIfNeeded(c, "it would be {}. Give {} about {}.", formatIfNeeded(c, frame, 4), c.kernelName(),
                           formatIfNeeded(c, Frequency(wanted.value * cycles * planes * divider), 4));
    out.achieved.push_back(rate);
    const std::optional<Ratio> contrast = goalAs<Ratio>(c.need, "contrast");
    if (c.has("contrast"))
        out.roles.push_back({"contrast", (contrast->value * std::int64_t(c.maxCode("contrast"))).round(), "contrast"});
    for (const auto& [role, field] : c.device.blockOf(c.bound.instance).roles)
        if (isWordOf(role, "line#")) {
            const std::vector<int> lines = segmentLinesOf(c.bound);
            out.roles.push_back(
                {role,
                 std::any_of(lines.begin(), lines.end(),
                             [&role = role](int line) { return role == "line" + std::to_string(line); }),
                 "segments"});
        }
    if (const SegmentMap& map = goalsOf<SegmentMap>(c.need); !map.trouble.empty() || !map.digits.empty())
        out.achieved.push_back({"map",
                                say("Digits"),
                                "",
                                std::to_string(map.digits.size()),
                                std::nullopt,
                                map.trouble.empty(),
                                {},
                                map.trouble.empty() ? std::string() : map.trouble + "."});
    if (c.has("on"))
        out.roles.push_back({"on", 1, "", RoleValue::When::Start});
    if (const SegmentMap& map = goalsOf<SegmentMap>(c.need); c.look && map.trouble.empty())
        c.look->digits = {planes, segmentCountOf(c.need), "map", map.digits};
    return out;
}

bool hasPlanes(const Writer& w, NeedIndex need)
{
    for (int plane = 0; plane < backplanesOf(w.facts.plan.needs[need]); ++plane)
        if (!w.facts.device.roleField(w.facts.bindings.needs[need].instance, "plane" + std::to_string(plane)).valid())
            return false;
    return true;
}

void declareSegments(Writer& w, NeedIndex need)
{
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    w.linef("#define {}_BACKPLANES {}u", NAME, backplanesOf(w.facts.plan.needs[need]));
    w.comment("Bit of each segment line in a backplane's word, in the order of the plan.");
    const std::vector<int> lines = segmentLinesOf(w.facts.bindings.needs[need]);
    for (size_t i = 0; i < lines.size(); ++i)
        if (lines[i] >= 0 && lines[i] < 32)
            w.linef("#define {}_SEG{} (1u << {}u)", NAME, i, lines[i]);
    if (!hasPlanes(w, need))
        return;
    w.comment("Sets the segments of one backplane from the bits above; its other segments go dark.");
    w.linef("void {}_show_segments(uint32_t backplane, uint32_t bits);", name);
    if (const SegmentMap& map = goalsOf<SegmentMap>(w.facts.plan.needs[need]);
        map.trouble.empty() && !map.digits.empty()) {
        w.comment(fmt::format("Shows a number in {} digits, without leading zeroes; blank if it has more digits.",
                              map.digits.size()));
        w.linef("void {}_show_number(uint32_t number);", name);
    }
}

void defineSegments(Writer& w, NeedIndex need)
{
    if (!hasPlanes(w, need))
        return;
    const InstanceIndex instance = w.facts.bindings.needs[need].instance;
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
    const SegmentMap& map = goalsOf<SegmentMap>(w.facts.plan.needs[need]);
    const std::vector<int> lines = segmentLinesOf(w.facts.bindings.needs[need]);
    if (!map.trouble.empty() || map.digits.empty())
        return;
    const int planes = backplanesOf(w.facts.plan.needs[need]);
    const Word name = w.names.need(need);
    w.because({Place::Kind::Goal, w.facts.plan.needs[need].id, "map"});
    w.line();
    w.comment("By digit, figure and backplane: the bits that are lit.");
    const Word figures = w.local(need, WordLiteral("figures"));
    w.linef("static const uint32_t {}[{}][10][{}] = {{", figures, map.digits.size(), planes);
    for (const auto& digit : map.digits) {
        w.line("    {");
        for (const char* figure : kFigures) {
            std::vector<Code> words;
            for (int plane = 0; plane < planes; ++plane) {
                std::uint32_t bits = 0;
                for (const char* segment = figure; *segment; ++segment)
                    if (const auto& [on, line] = digit[size_t(*segment - 'a')];
                        on == plane && line < int(lines.size()) && lines[size_t(line)] >= 0 && lines[size_t(line)] < 32)
                        bits |= 1u << lines[size_t(line)];
                words.push_back(code("0x{:X}u", bits));
            }
            w.linef("        {{ {} }},", joinedCode(words, ", "));
        }
        w.line("    },");
    }
    w.line("};");
    w.line();
    w.linef("void {}_show_number(uint32_t number)", name);
    w.line("{");
    w.linef("    uint32_t lit[{}] = {{ 0u }};", planes);
    w.line("    uint32_t rest = number;");
    w.linef("    for (uint32_t digit = {}u; digit > 0u; digit--) {{", map.digits.size());
    w.linef("        for (uint32_t plane = 0u; plane < {}u; plane++) {{", planes);
    w.linef("            lit[plane] |= {}[digit - 1u][rest % 10u][plane];", figures);
    w.line("        }");
    w.line("        rest /= 10u;");
    w.line("        if (rest == 0u) {");
    w.line("            break;");
    w.line("        }");
    w.line("    }");
    w.linef("    for (uint32_t plane = 0u; plane < {}u; plane++) {{", planes);
    w.linef("        {}_show_segments(plane, rest == 0u ? lit[plane] : 0u);", name);
    w.line("    }");
    w.line("}");
}

} // namespace

Kind segmentsKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "segments";
    spec.title = "Segment display";
    spec.otherNames = {{"segment", {}}, {"segment lcd", {}}, {"lcd", {}}, {"display", {}, "Display"}};
    spec.sizeGoals = {"backplanes", "segments"};
    spec.instanceKind = "segments";
    spec.goals = {
        {"backplanes", "Backplanes", T::Integer, "4", {}, "", 1, 8},
        {"segments", "Segment lines", T::Integer, "8", {}, "", 1, 40},
        {"frame", "Frame rate", T::Frequency, "60 Hz", {}, "Refresh rate of the display."},
        {"map",
         "Digits",
         T::Text,
         "",
         {},
         "Connections of the segments: 1a=0.3 is segment a of the first digit on backplane 0 and segment line 3; "
         "separate entries by blanks. Or the table of the data sheet: one row per backplane, separated by /, - where "
         "nothing is connected. a is at the top, then clockwise; g is in the middle, p is the point."},
        {"contrast", "Contrast", T::Ratio, "50 %", {}, "Where the controller can set it.", 0, 0, true}};
    spec.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out;
        const int backplanes = std::clamp(int(goalNumber(need, "backplanes")), 1, 8);
        const int segments = std::clamp(int(goalNumber(need, "segments")), 1, 40);
        // A backplane is one line of the controller, a segment is any: the firmware's map says which is which.
        for (int i = 0; i < backplanes; ++i)
            out.push_back({"com" + std::to_string(i), "backplane " + std::to_string(i), "COM" + std::to_string(i), -1,
                           D::Analog, false});
        for (int i = 0; i < segments; ++i)
            out.push_back({"seg" + std::to_string(i), "segment " + std::to_string(i), "SEG#", i, D::Analog, false});
        return out;
    };
    spec.brief = [](const Need& need) { return goalText(need, "backplanes") + " x " + goalText(need, "segments"); };
    using Use = RoleSpec::Use;
    spec.roles = {{"on", Use::Config, false, "", "Switches the display on.", {}},
                  {"backplanes", Use::Config, false, "backplanes in use", "", {}},
                  {"divider", Use::Config, false, "clock cycles", "Divides the clock of the frame.", {}},
                  {"contrast", Use::Config, false, "steps", "From 0, the least, to all bits set.", {}},
                  {"line#", Use::Config, false, "", "1: the segment line of this number is in use.", {}},
                  {"plane#",
                   Use::Data,
                   false,
                   "",
                   "What the segment lines show while the backplane of this number is active: bit n is line n.",
                   {}}};
    spec.abilities = {{"backplanes", "How many there are."},
                      {"segments", "Number of segment lines."},
                      {"frame_cycles", "Kernel cycles for which one backplane is active in a frame, divided by the "
                                       "divider; 1 when nothing is said."}};
    kind.tuning.solve = solveSegments;
    kind.source = {declareSegments, defineSegments, {"backplanes", "show_segments", "show_number", "seg"}};
    spec.instanceSignals = {{"COM#", "Backplane.", "analog out"}, {"SEG#", "Segment.", "analog out"}};
    return kind;
}

} // namespace bindrel
