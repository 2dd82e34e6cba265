// SPDX-License-Identifier: GPL-3.0-or-later
// Quadrature: a timer follows the two phases of an encoder, four counts a line. The count is kept in 32 bits by adding
// up differences, which is right as long as it is asked before half a period of the counter has gone by.
#include "core/base/say.h"
#include "core/kinds/common/division.h"
#include "core/kinds/common/timer_block.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

namespace bindrel {

namespace {

constexpr int kCountsPerLine = 4;

std::int64_t encoderLines(const Need& need)
{
    return goalNumber(need, "lines");
}

bool hasIndex(const Need& need)
{
    return goalIs(need, "index", "pad");
}

/// Two lines of the encoder at its highest speed: four counts a line.
Waveform drawLines(const Frequency& edges, bool index)
{
    Waveform wave;
    wave.title = say("two lines at the highest speed");
    const Duration step(Rational(1) / edges.value);
    wave.span = step * Rational(9);
    Waveform::Trace a{"A", false, {}}, b{"B", false, {}};
    Waveform::Ramp count{"count", {{Duration(Rational(0)), 0}}, {}};
    for (int i = 0; i < 8; ++i) {
        const Duration at = step * (Rational(1, 2) + Rational(i));
        (i % 2 == 0 ? a : b).edges.push_back({at, i % 4 < 2});
        count.points.push_back({at, Rational(i, 8)});
        count.points.push_back({at, Rational(i + 1, 8)});
    }
    count.points.push_back({wave.span, 1});
    wave.traces = {std::move(a), std::move(b)};
    if (index) {
        const Duration from = step * Rational(4), to = step * Rational(5);
        wave.traces.push_back({say("index"), false, {{from, true}, {to, false}}});
        wave.marks.push_back({from, from, 2, say("count = 0"), false});
        for (auto& [at, level] : count.points)
            if (at >= from)
                level = level - Rational(4, 8);
        count.points.insert(count.points.begin() + 9, {{from, Rational(4, 8)}, {from, Rational(0)}});
    }
    wave.marks.push_back({step / Rational(2), step * Rational(3, 2), 0, format(step, 3), true});
    wave.ramp = std::move(count);
    return wave;
}

Setting solveQuadrature(const TuningContext& c)
{
    Setting out;
    const std::string& name = c.device.instances[c.bound.instance].name;
    if (!c.has("quadrature") || !c.has("counter")) {
        out.notComputed =
            formatIfNeeded(c, "{} has no encoder mode: its block has no role \"{}\"; choose another timer", name,
                           c.has("quadrature") ? "counter" : "quadrature");
        return out;
    }
    const Rational kernel = c.kernel().rate.value;
    std::int64_t counts = c.encoding("period").largest(c.maxCode("period"));
    const std::int64_t turn = encoderLines(c.need) * kCountsPerLine;
    if (hasIndex(c.need)) {
        // The count is the angle then: it begins anew after a turn, and the index sets it right.
        const bool can = c.has("index") && c.encoding("period").nearest(turn, c.maxCode("period")) == turn;
        Achieved row{"index",      say("Index input"),
                     "pad",        can ? say("sets the count to zero") : say("not counted"),
                     std::nullopt, can,
                     {},           {}};
        if (!can)
            row.trouble =
                c.has("index")
                    ? formatIfNeeded(c,
                                     "a revolution of {} counts does not fit into {}. Choose a timer with more bits.",
                                     turn, name)
                    : formatIfNeeded(c,
                                     "{} has no index input: its block has no role \"index\". Choose another timer, or "
                                     "use a separate need for the index.",
                                     name);
        out.achieved.push_back(row);
        if (can) {
            counts = turn;
            out.roles.push_back({"index", 1, "index"});
        }
    }
    out.achieved.push_back({"lines",
                            say("Counts per revolution"),
                            "",
                            std::to_string(turn),
                            std::nullopt,
                            true,
                            formatIfNeeded(c, "{} \u00d7 {}", kCountsPerLine, encoderLines(c.need)),
                            {}});

    const Duration wanted = goalTime(c.need, "filter");
    const std::int64_t cycles = (wanted.value * shifted(c.kernel().rate, c.kernel().tolerance.high).value).ceil();
    std::int64_t filter = 0;
    if (c.has("input_filter") && !wanted.value.isZero())
        filter = c.encoding("input_filter")
                     .atLeast(cycles, c.maxCode("input_filter"))
                     .value_or(c.encoding("input_filter").largest(c.maxCode("input_filter")));
    if (c.has("input_filter"))
        out.roles.push_back({"input_filter", filter, "filter"});
    if (!wanted.value.isZero()) {
        const Duration got(Rational(filter) / kernel);
        Achieved row{"filter",
                     say("Filter"),
                     "\u2265 " + formatIfNeeded(c, wanted),
                     filter ? formatIfNeeded(c, got) : "none",
                     std::nullopt,
                     filter >= cycles,
                     {},
                     {}};
        if (!row.ok)
            row.trouble =
                formatIfNeeded(c, "{} filters at most {} at {}. Filter on the board.", name,
                               filter ? formatIfNeeded(c, got) : "nothing", formatIfNeeded(c, c.kernel().rate));
        out.achieved.push_back(row);
    }
    // An edge must stand for two kernel cycles to be seen, and longer than the filter.
    const Frequency edges(kernel / std::max<std::int64_t>(2, filter + 1));
    out.achieved.push_back({"lines",
                            say("Max. speed"),
                            "",
                            formatIfNeeded(c, "{} revolutions per second", (edges.value / turn).floor()),
                            std::nullopt,
                            true,
                            formatIfNeeded(c, "{} / {} / {}", formatIfNeeded(c, c.kernel().rate),
                                           std::max<std::int64_t>(2, filter + 1), turn),
                            {},
                            true});
    out.achieved.push_back({"lines",
                            say("Max. time between reads"),
                            "",
                            formatIfNeeded(c, "{:.4g} revolutions", Rational(counts / 2, turn).toDouble()),
                            std::nullopt,
                            true,
                            formatIfNeeded(c, "{} / 2 / {}", counts, turn),
                            {},
                            true});
    if (c.has("prescaler"))
        out.roles.push_back({"prescaler", 1, ""});
    out.roles.push_back({"period", counts, ""});
    out.roles.push_back({"quadrature", 1, ""});
    if (c.has("update"))
        out.roles.push_back({"update", 1, "", RoleValue::When::Event});
    out.roles.push_back({"on", 1, "", RoleValue::When::Start});
    if (c.look)
        c.look->waveform = drawLines(edges, hasIndex(c.need));
    return out;
}

void declareQuadrature(Writer& w, NeedIndex need)
{
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    w.linef("#define {}_COUNTS_PER_TURN {}", NAME, encoderLines(w.facts.plan.needs[need]) * kCountsPerLine);
    w.comment("Counts since the first call, up or down. Correct if called at least once per half counter period.");
    w.linef("int32_t {}_position(void);", name);
    if (w.facts.settings[need].role("index").value_or(0) == 1) {
        w.comment("Counts since the index, up to one revolution.");
        w.linef("uint32_t {}_angle(void);", name);
    }
    w.comment("Speed in thousandths of a revolution per second, from counts within a number of microseconds.");
    w.linef("int32_t {}_milliturns_per_second(int32_t counts, uint32_t microseconds);", name);
}

void defineQuadrature(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need), NAME = w.names.NEED(need);
    const std::int64_t counts = f.settings[need].role("period").value_or(65536);
    w.line();
    w.linef("int32_t {}_position(void)", name);
    w.line("{");
    w.line("    static uint32_t last, position;");
    w.line("    static bool known;");
    w.linef("    const uint32_t now = {};", readRole(w, instance, "counter"));
    w.line("    if (known) {");
    if (counts > INT64_C(0xFFFFFFFF)) {
        w.line("        position += now - last;");
    } else {
        w.linef("        const uint32_t forward = {};", countsBetween(std::uint64_t(counts)));
        w.comment("More than half a period forward is less than that backward.", 8);
        w.linef("        position += forward > {0}u ? forward - {1}u : forward;", counts / 2, counts);
    }
    w.line("    }");
    w.line("    known = true;");
    w.line("    last = now;");
    w.line("    return (int32_t)position;");
    w.line("}");
    if (f.settings[need].role("index").value_or(0) == 1) {
        w.line();
        w.linef("uint32_t {}_angle(void)", name);
        w.line("{");
        w.linef("    return {};", readRole(w, instance, "counter"));
        w.line("}");
    }
    w.line();
    w.linef("int32_t {}_milliturns_per_second(int32_t counts, uint32_t microseconds)", name);
    w.line("{");
    w.line("    if (microseconds == 0u) {");
    w.line("        return 0;");
    w.line("    }");
    w.comment("Counts times 10^9 need 64 bits.", 4);
    w.linef("    return (int32_t)((int64_t)counts * 1000000000 / ((int64_t)microseconds * {}_COUNTS_PER_TURN));", NAME);
    w.line("}");
}

} // namespace

Kind quadratureKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "quadrature";
    spec.title = "Quadrature";
    spec.otherNames = {{"encoder", {}, "Encoder"}, {"quadrature encoder", {}}, {"rotary encoder", {}}};
    spec.instanceKind = "timer";
    spec.demands = {"quadrature", "counter"};
    spec.goals = {
        {"lines", "Lines per revolution", T::Integer, "1024", {}, "Of the encoder; four counts each.", 1, 65536},
        {"index", "Index input", T::Choice, "none", {"none", "pad"}, ""},
        {"filter", "Filter", T::Duration, "0 s", {}, "Shorter pulses are ignored.", 0, 0, true}};
    spec.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        // Timers decode on their first two channels.
        std::vector<SignalSpec> out{{"a", "phase A", "CH1", -1, D::In, false},
                                    {"b", "phase B", "CH2", -1, D::In, false}};
        if (goalIs(need, "index", "pad"))
            out.push_back({"index", "index", "CH3", -1, D::In, false});
        return out;
    };
    spec.brief = [](const Need& need) { return say("{} lines", goalText(need, "lines")); };
    spec.roles = timerRoles();
    spec.instanceSignals = timerSignals();
    spec.instanceEvents = timerEvents();
    kind.tuning.solve = solveQuadrature;
    kind.source = {
        declareQuadrature, defineQuadrature, {"counts_per_turn", "position", "angle", "milliturns_per_second"}};
    return kind;
}

} // namespace bindrel
