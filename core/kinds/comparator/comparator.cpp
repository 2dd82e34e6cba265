// SPDX-License-Identifier: GPL-3.0-or-later
// Comparator: the threshold that is nearest to the wanted one, hysteresis, and telling of the result.
#include "core/base/say.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

namespace bindrel {

namespace {

bool againstReference(const Need& need)
{
    return goalIs(need, "against", "reference");
}

Setting solveComparator(const TuningContext& c)
{
    Setting out;
    const std::string& name = c.device.instances[c.bound.instance].name;
    const bool reference = againstReference(c.need);
    const std::int64_t steps = c.device.ability(c.bound.instance, "steps", 2);
    if (!reference && c.has("threshold") && !c.has("reference") && !c.encoding("threshold").encode(0)) {
        out.notComputed = formatIfNeeded(
            c, "{} compares only with its reference: its block has neither the role \"reference\" nor a threshold 0",
            name);
        return out;
    }
    if (reference) {
        const std::optional<Ratio> wanted = goalAs<Ratio>(c.need, "level");
        std::int64_t step = steps / 2;
        if (c.has("threshold")) {
            const Rational ideal = wanted->value * steps;
            const Encoding& encoding = c.encoding("threshold");
            const std::uint32_t codes = c.maxCode("threshold");
            std::optional<std::int64_t> best;
            // Threshold 0 of a block without the role "reference" is the second input.
            for (const std::int64_t near :
                 {std::max<std::int64_t>(ideal.floor(), 1), std::max<std::int64_t>(ideal.ceil(), 1)})
                for (const std::optional<std::int64_t>& found :
                     {encoding.nearest(near, codes), encoding.atLeast(near, codes)})
                    if (found && *found > 0 &&
                        (!best || (Rational(*found) - ideal).abs() < (Rational(*best) - ideal).abs()))
                        best = found;
            step = best.value_or(step);
            out.roles.push_back({"threshold", step, "level"});
        }
        const Ratio got(Rational(step, steps));
        const Rational off = (got.value - wanted->value).abs();
        Achieved row{"level",
                     say("Threshold"),
                     formatIfNeeded(c, *wanted),
                     formatIfNeeded(c, got),
                     std::nullopt,
                     off <= Rational(1, 20),
                     formatIfNeeded(c, "{} / {}", step, steps),
                     {}};
        if (!row.ok)
            row.trouble =
                formatIfNeeded(c,
                               "the nearest that {} has is {}. Divide the input on the board, or connect a voltage to "
                               "the second input.",
                               name, formatIfNeeded(c, got));
        out.achieved.push_back(row);
    } else if (c.has("threshold") && !c.has("reference")) {
        out.roles.push_back({"threshold", 0, "against"});
    }
    if (c.has("reference"))
        out.roles.push_back({"reference", reference, "against"});
    const std::int64_t wantedHysteresis = goalNumber(c.need, "hysteresis");
    if (c.has("hysteresis")) {
        const Encoding& encoding = c.encoding("hysteresis");
        const std::int64_t got = encoding.atLeast(wantedHysteresis, c.maxCode("hysteresis"))
                                     .value_or(encoding.largest(c.maxCode("hysteresis")));
        out.roles.push_back({"hysteresis", got, "hysteresis"});
        Achieved row{"hysteresis",
                     say("Hysteresis"),
                     formatIfNeeded(c, "\u2265 {} mV", wantedHysteresis),
                     formatIfNeeded(c, "{} mV", got),
                     std::nullopt,
                     got >= wantedHysteresis,
                     {},
                     {}};
        if (!row.ok)
            row.trouble = formatIfNeeded(c, "{} has at most {} mV. Add hysteresis on the board.", name, got);
        out.achieved.push_back(row);
    } else if (wantedHysteresis > 0) {
        out.achieved.push_back({"hysteresis",
                                say("Hysteresis"),
                                formatIfNeeded(c, "\u2265 {} mV", wantedHysteresis),
                                "none",
                                std::nullopt,
                                false,
                                {},
                                formatIfNeeded(c, "{} has no hysteresis. Add it on the board, or set none.", name)});
    }
    const bool inverted = goalIs(c.need, "inverted", "yes");
    if (c.has("inverted"))
        out.roles.push_back({"inverted", inverted, "inverted"});
    else if (inverted)
        out.achieved.push_back({"inverted",
                                say("Inverted"),
                                "yes",
                                "no",
                                std::nullopt,
                                false,
                                {},
                                formatIfNeeded(c, "{} cannot invert its result. Swap the inputs.", name)});
    if (goalIs(c.need, "interrupt", "yes"))
        out.events.push_back(
            {"edge", "edge_interrupt", "edge", "edge", "Called by the interrupt when the result changes.", {}});
    if (c.has("on"))
        out.roles.push_back({"on", 1, "", RoleValue::When::Start});
    return out;
}

void declareComparator(Writer& w, NeedIndex need)
{
    if (!w.facts.device.roleField(w.facts.bindings.needs[need].instance, "level").valid())
        return;
    w.comment(againstReference(w.facts.plan.needs[need]) ? "True if the input is above the threshold."
                                                         : "True if the input is above the second one.");
    w.linef("bool {}_is_high(void);", w.names.need(need));
}

void defineComparator(Writer& w, NeedIndex need)
{
    const InstanceIndex instance = w.facts.bindings.needs[need].instance;
    if (!w.facts.device.roleField(instance, "level").valid())
        return;
    const bool inverted = w.facts.settings[need].role("inverted").value_or(0) == 1;
    w.line();
    w.linef("bool {}_is_high(void)", w.names.need(need));
    w.line("{");
    w.linef("    return ({} & {}) {} 0u;", roleRegister(w.facts, w.names, instance, "level"),
            roleMacro(w.facts, w.names, instance, "level"), inverted ? Code::trusted("==") : Code::trusted("!="));
    w.line("}");
}

} // namespace

Kind comparatorKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "comparator";
    spec.title = "Comparator";
    spec.instanceKind = "comparator";
    spec.goals = {{"against", "Compared with", T::Choice, "reference", {"reference", "second input"}, ""},
                  {"level", "Threshold", T::Ratio, "50 %", {}, "Of the reference."},
                  {"output", "Output on a pad", T::Choice, "no", {"no", "yes"}, ""},
                  {"hysteresis", "Hysteresis", T::Integer, "0", {}, "Millivolts, at least.", 0, 1000, true},
                  {"inverted", "Inverted", T::Choice, "no", {"no", "yes"}, "The result, also on a pad.", 0, 0, true},
                  {"interrupt", "Interrupt", T::Choice, "no", {"no", "yes"}, "When the result changes.", 0, 0, true},
                  priorityGoal(),
                  aboveGoal(),
                  takesGoal()};
    spec.signals = [](const Need& need) {
        using D = SignalSpec::Direction;
        std::vector<SignalSpec> out{{"in", "input", "INP", -1, D::Analog, false}};
        if (goalIs(need, "against", "second input"))
            out.push_back({"ref", "second input", "INM", -1, D::Analog, false});
        if (goalIs(need, "output", "yes"))
            out.push_back({"out", "output", "OUT", -1, D::Out, false});
        return out;
    };
    spec.relevant = [](const Need& need, std::string_view goal) { return goal != "level" || againstReference(need); };
    spec.brief = [](const Need& need) {
        return againstReference(need) ? say("at {}", goalText(need, "level")) : std::string(say("two inputs"));
    };
    using Use = RoleSpec::Use;
    spec.roles = {
        {"on", Use::Config, false, "", "Switches the comparator on.", {}},
        {"reference", Use::Config, false, "", "1: compares with the divided reference; 0: with the second input.", {}},
        {"threshold",
         Use::Config,
         false,
         "steps of the reference",
         "Of so many as the ability steps says. Without the role \"reference\", 0 is the second input.",
         {}},
        {"level", Use::Status, false, "", "The result.", {}},
        {"inverted", Use::Config, false, "", "1: the result is inverted.", {}},
        {"hysteresis", Use::Config, false, "millivolts", "", {}},
        {"edge", Use::Status, false, "", "The result has changed.", {}},
        {"edge_interrupt", Use::Config, false, "", "Enables its interrupt. Without it, it is always enabled.", {}}};
    spec.abilities = {{"steps", "Parts into which the reference is divided; 2 when nothing is said. Without the role "
                                "\"threshold\" the middle one is compared with."}};
    spec.instanceSignals = {
        {"INP", "Input.", "analog"}, {"INM", "Second input.", "analog"}, {"OUT", "The result.", "out both"}};
    spec.instanceEvents = {{"edge", "The result has changed."}, {"event", "Anything."}};
    kind.tuning.solve = solveComparator;
    kind.source = {declareComparator, defineComparator, {"is_high", "edge"}};
    return kind;
}

} // namespace bindrel
