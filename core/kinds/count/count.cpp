// SPDX-License-Identifier: GPL-3.0-or-later
// Pulse count: edges of an input, counted while the core sleeps.
//
// A counter of N counts that is read at least once while fewer than N edges come loses none, however often it begins
// anew; so the helper adds up differences, and the header says how often it must be asked.
#include "core/base/say.h"
#include "core/kinds/common/division.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

namespace bindrel {

namespace {

constexpr const char* kReadEvery = later("Max. time between reads"); ///< the row that the helper's comment quotes

/// Three pulses at the highest rate, with a spike as long as the filter ignores for certain before the second one, and
/// what is left behind the filter.
Waveform drawCounted(const Duration& pulse, const Duration& ignored, const Duration& filter, std::int64_t edge)
{
    Waveform wave;
    wave.title = say("pulses at the highest rate");
    wave.span = pulse * Rational(7);
    Waveform::Trace input{say("input"), false, {}}, behind{say("counted"), false, {}};
    int counted = 0;
    for (int i = 0; i < 3; ++i) {
        const Duration up = pulse * Rational(2 * i + 1), down = up + pulse;
        for (const auto& [at, high] : {std::pair{up, true}, {down, false}}) {
            input.edges.push_back({at, high});
            behind.edges.push_back({at + filter, high});
            if (edge == 2 || (edge == 1) == high)
                wave.marks.push_back({at + filter, at + filter, 1, std::to_string(++counted), false});
        }
    }
    if (!ignored.value.isZero() && ignored < pulse / Rational(2)) {
        const Duration spike = pulse * Rational(5, 2) - ignored / Rational(2);
        input.edges.insert(input.edges.begin() + 2, {{spike, true}, {spike + ignored, false}});
        wave.marks.push_back({spike, spike + ignored, 0, say("ignored: ") + format(ignored, 3), true});
    }
    wave.handles = {{"most", pulse * Rational(5), pulse, Waveform::Handle::States::Rate, 2, 0}};
    wave.traces = {std::move(input), std::move(behind)};
    return wave;
}

Setting solveCount(const TuningContext& c)
{
    Setting out;
    const bool falling = goalIs(c.need, "edge", "falling");
    const std::int64_t code = falling ? 0 : goalIs(c.need, "edge", "rising") ? 1 : 2;
    const std::string which = goalIfNeeded(c, "edge") + " edges";
    const Frequency most = goalRate(c.need, "most");
    const Duration wanted = goalTime(c.need, "filter");
    const Rational kernel = c.kernel().rate.value, slowest = shifted(c.kernel().rate, c.kernel().tolerance.low).value;
    const std::string& name = c.device.instances[c.bound.instance].name;
    if (!c.has("edge") && !falling)
        out.achieved.push_back({"edge",
                                say("Counts"),
                                which,
                                "falling edges",
                                std::nullopt,
                                false,
                                {},
                                formatIfNeeded(c, "{} counts only falling edges.", name)});
    else
        out.achieved.push_back({"edge", say("Counts"), which, which, std::nullopt, true, {}, {}});
    if (c.has("edge"))
        out.roles.push_back({"edge", code, "edge"});

    // The filter ignores what is surely shorter than asked for, even when its clock is at its fastest.
    const Rational fastest = shifted(c.kernel().rate, c.kernel().tolerance.high).value;
    const std::int64_t cycles = (wanted.value * fastest).ceil();
    std::int64_t filter = 0;
    if (c.has("filter")) {
        const std::optional<std::int64_t> found = wanted.value.isZero()
                                                      ? c.encoding("filter").encode(0)
                                                            ? std::optional<std::int64_t>(0)
                                                            : c.encoding("filter").atLeast(0, c.maxCode("filter"))
                                                      : c.encoding("filter").atLeast(cycles, c.maxCode("filter"));
        filter = found.value_or(c.encoding("filter").largest(c.maxCode("filter")));
        out.roles.push_back({"filter", filter, "filter"});
    }
    if (!wanted.value.isZero()) {
        const Duration got(Rational(filter) / kernel);
        Achieved row{"filter",
                     say("Filter"),
                     "\u2265 " + formatIfNeeded(c, wanted),
                     filter == 0 ? "none" : formatIfNeeded(c, got),
                     std::nullopt,
                     filter >= cycles,
                     filter == 0 ? std::string()
                                 : formatIfNeeded(c, "{} / {}", filter, formatIfNeeded(c, c.kernel().rate)),
                     {}};
        if (!row.ok)
            row.trouble =
                filter == 0 && !c.has("filter")
                    ? formatIfNeeded(c, "{} has no filter. Filter on the board, or set no filter.", name)
                    : formatIfNeeded(c, "the longest at {} is {}. Filter on the board, or give {} a slower clock.",
                                     formatIfNeeded(c, c.kernel().rate), formatIfNeeded(c, got), c.kernelName());
        out.achieved.push_back(row);
    }
    const Duration longestFilter(Rational(filter) / slowest);
    // At the highest rate a pulse and the pause after it are half a period each.
    const Duration pulse(Rational(1) / most.value / 2);
    Achieved rate{"most",
                  say("Max. pulse rate"),
                  formatIfNeeded(c, most),
                  formatIfNeeded(c, most),
                  std::nullopt,
                  longestFilter < pulse,
                  {},
                  {}};
    if (!rate.ok)
        rate.trouble = formatIfNeeded(
            c, "pulses at {} would be lost in a filter of up to {}. Choose a shorter filter, or a lower pulse rate.",
            formatIfNeeded(c, pulse), formatIfNeeded(c, longestFilter, 4));
    out.achieved.push_back(rate);

    if (c.has("external"))
        out.roles.push_back({"external", 1, ""});
    if (c.has("prescaler"))
        out.roles.push_back({"prescaler", 1, ""});
    const FieldRef counter = c.device.roleField(c.bound.instance, "counter");
    std::int64_t counts = counter.valid() ? std::int64_t(c.device.fieldOf(counter).maxCode()) + 1 : 0;
    if (c.has("period")) {
        counts = c.encoding("period").largest(c.maxCode("period"));
        out.roles.push_back({"period", counts, ""});
    }
    const Rational edges = most.value * (code == 2 ? 2 : 1);
    if (counts > 1)
        out.achieved.push_back({"most",
                                say(kReadEvery),
                                "",
                                formatIfNeeded(c, Duration(Rational(counts - 1) / edges), 4),
                                std::nullopt,
                                true,
                                formatIfNeeded(c, "{} / {}", counts - 1, formatIfNeeded(c, Frequency(edges))),
                                {},
                                true});
    if (goalIs(c.need, "interrupt", "yes"))
        out.events.push_back({"wrapped", "wrapped_interrupt", "wrapped", "wrapped",
                              "Called by the interrupt when the counter wraps.", Frequency(edges / counts)});
    if (c.has("on"))
        out.roles.push_back({"on", 1, "", RoleValue::When::Start});
    // Ignored for certain is what is shorter than the filter at its shortest.
    if (c.look && longestFilter < pulse)
        c.look->waveform = drawCounted(pulse, Duration(Rational(filter) / fastest), longestFilter, code);
    return out;
}

/// Counts after which the counter begins anew, 0 for one of 32 bits.
std::uint64_t modulusOf(const Facts& f, NeedIndex need)
{
    const FieldRef counter = f.device.roleField(f.bindings.needs[need].instance, "counter");
    const std::uint64_t full = std::uint64_t(f.device.fieldOf(counter).maxCode()) + 1;
    const std::uint64_t counts = std::uint64_t(f.settings[need].role("period").value_or(std::int64_t(full)));
    return std::min(counts, full);
}

void declareCount(Writer& w, NeedIndex need)
{
    if (!w.facts.device.roleField(w.facts.bindings.needs[need].instance, "counter").valid())
        return;
    const Achieved* often = nullptr;
    for (const Achieved& row : w.facts.settings[need].achieved)
        if (row.title == say(kReadEvery))
            often = &row;
    w.comment(fmt::format("Edges since the first call. Correct if called at least every {}.",
                          often ? often->achieved : "time the counter begins anew"));
    w.linef("uint32_t {}_count(void);", w.names.need(need));
}

void defineCount(Writer& w, NeedIndex need)
{
    const InstanceIndex instance = w.facts.bindings.needs[need].instance;
    if (!w.facts.device.roleField(instance, "counter").valid())
        return;
    const std::uint64_t modulus = modulusOf(w.facts, need);
    w.line();
    w.linef("uint32_t {}_count(void)", w.names.need(need));
    w.line("{");
    w.line("    static uint32_t last, sum;");
    w.line("    static bool known;");
    w.linef("    const uint32_t now = {};", readRole(w, instance, "counter"));
    w.line("    if (known) {");
    w.linef("        sum += {};", countsBetween(modulus));
    w.line("    }");
    w.line("    known = true;");
    w.line("    last = now;");
    w.line("    return sum;");
    w.line("}");
}

} // namespace

Kind countKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "count";
    spec.title = "Pulse count";
    spec.otherNames = {{"counter", {}}, {"pulse counter", {}}};
    spec.instanceKind = "counter";
    spec.goals = {{"edge", "Counts", T::Choice, "falling", {"falling", "rising", "both"}, ""},
                  {"most", "Max. pulse rate", T::Frequency, "10 Hz", {}, ""},
                  {"filter", "Filter", T::Duration, "1 ms", {}, "Shorter pulses are ignored.", 0, 0, true},
                  {"interrupt", "Interrupt", T::Choice, "no", {"no", "yes"}, "When the counter wraps.", 0, 0, true},
                  priorityGoal(),
                  aboveGoal(),
                  takesGoal()};
    spec.signals = [](const Need&) {
        return std::vector<SignalSpec>{{"in", "input", "IN", -1, SignalSpec::Direction::In, false}};
    };
    spec.brief = [](const Need& need) { return say("{} edges", goalText(need, "edge")); };
    using Use = RoleSpec::Use;
    spec.roles = {
        {"on", Use::Config, false, "", "Switches the counter on.", {}},
        {"edge",
         Use::Config,
         false,
         "",
         "Which edges count; without it the falling ones.",
         {{"falling", 0}, {"rising", 1}, {"both", 2}}},
        {"filter", Use::Config, false, "clock cycles", "Ignores shorter pulses.", {}},
        {"period", Use::Config, false, "counts", "Last count before it wraps.", {}},
        {"counter", Use::Data, false, "counts", "The count, from 0.", {}},
        {"wrapped", Use::Status, false, "", "It has wrapped.", {}},
        {"wrapped_interrupt", Use::Config, false, "", "Enables its interrupt. Without it, it is always enabled.", {}},
        {"external", Use::Config, false, "", "1: counts the input; 0: counts its clock.", {}},
        {"prescaler", Use::Config, false, "cycles per count", "Of what it counts.", {}}};
    spec.instanceSignals = {{"IN", "Input.", "in both"}, {"OUT", "Output.", "out both"}};
    spec.instanceEvents = {{"wrapped", "It has wrapped."}, {"event", "Anything."}};
    kind.tuning.solve = solveCount;
    kind.source = {declareCount, defineCount, {"count", "wrapped"}};
    return kind;
}

} // namespace bindrel
