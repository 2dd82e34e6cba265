// SPDX-License-Identifier: GPL-3.0-or-later
// A clock led out of the chip.
#include "core/base/say.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

namespace bindrel {

namespace {

/// What is led out is meant for an instrument or another chip: a per cent tells one rate from the next.
Accuracy outputAccuracy(const TuningContext& c)
{
    Accuracy out;
    out.given = worstOf(c);
    const std::optional<Frequency> wanted = goalAs<Frequency>(c.need, "rate");
    if (!wanted)
        return out;
    out.rate = *wanted;
    out.allowed = Ppm(10'000);
    out.stated = c.need.goals.contains("rate");
    out.given = Ppm(errorOf(c.kernel().rate, *wanted).value.abs() + worstOf(c).value);
    out.asks = formatIfNeeded(c, "{} {}", formatIfNeeded(c, *wanted), plusMinus(*out.allowed));
    out.effect = formatIfNeeded(c, "{} {} at the pad", formatIfNeeded(c, c.kernel().rate),
                                formatIfNeeded(c, c.kernel().tolerance));
    return out;
}

/// The clock tree does it all; here it is held against what is asked for.
Setting solveClockout(const TuningContext& c)
{
    Setting out;
    const Frequency wanted = goalRate(c.need, "rate");
    out.achieved.push_back({"rate",
                            say("Rate"),
                            formatIfNeeded(c, wanted),
                            formatIfNeeded(c, c.kernel().rate),
                            errorOf(c.kernel().rate, wanted),
                            true,
                            {},
                            {}});
    return out;
}

} // namespace

Kind clockoutKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "clockout";
    spec.title = "Clock output";
    spec.otherNames = {{"clock out", {}}};
    spec.instanceKind = "clockout";
    spec.goals = {{"rate", "Rate", T::Frequency, "1 MHz", {}, "At the pad."}};
    spec.signals = [](const Need&) {
        return std::vector<SignalSpec>{{"out", "output", "OUT", -1, SignalSpec::Direction::Out, false}};
    };
    spec.fastest = [](const Need& need, std::string_view) { return goalRate(need, "rate"); };
    spec.brief = [](const Need& need) { return shortGoal(need, "rate"); };
    spec.instanceSignals = {{"OUT", "The clock.", "out both"}};
    kind.tuning.solve = solveClockout;
    kind.tuning.accuracy = outputAccuracy;
    return kind;
}

} // namespace bindrel
