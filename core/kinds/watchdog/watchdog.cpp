// SPDX-License-Identifier: GPL-3.0-or-later
// Watchdog: the shortest period that even the fastest clock does not end too early, and the part of it in which feeding
// is too early.
//
// With a clock of f ± t a period of n cycles ends between n / (f (1 + t)) and n / (f (1 - t)). The first must be no
// shorter than what is asked for. The closed part is w sixteenths of the period; feeding is safe from w / 16 of the
// longest period on until the end of the shortest.
#include "core/base/say.h"
#include "core/device/watchdogs.h"
#include "core/kinds/common/division.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

namespace bindrel {

namespace {

constexpr const char* kFeed = "Feed"; ///< the row that the helper's comment quotes
constexpr int kWindowParts = 16;      ///< in which the closed part is counted

/// Since the last refresh: when the next one may come, and when it is too late.
Waveform drawWindow(const Duration& from, const Duration& early, const Duration& late)
{
    Waveform wave;
    wave.title = say("since the last refresh");
    wave.span = late * Rational(11, 10);
    Waveform::Trace trace{say("feeding"), from.value.isZero(), {}};
    if (!from.value.isZero())
        trace.edges.push_back({from, true});
    trace.edges.push_back({early, false});
    wave.traces = {trace};
    if (!from.value.isZero())
        wave.marks.push_back({Duration(Rational(0)), from, -1, say("too early"), true});
    wave.marks.push_back({early, late, -1, say("bites"), true});
    wave.handles.push_back({"period", early, Duration(), Waveform::Handle::States::Time, 1, -1});
    if (!from.value.isZero())
        wave.handles.push_back({"window", from, Duration(), Waveform::Handle::States::Share, late.value, -1});
    return wave;
}

Setting solveWatchdog(const TuningContext& c)
{
    Setting out;
    const bool off = goalIs(c.need, "runs", "no");
    const std::string& name = c.device.instances[c.bound.instance].name;
    const bool always = runsFromReset(c.device, c.bound.instance);
    if (off) {
        const FieldRef on = c.device.roleField(c.bound.instance, "on");
        // What can be written once is taken already where something else has switched it on.
        const bool can = !always || (on.valid() && c.device.fieldOf(on).access == Field::Access::ReadWrite &&
                                     c.encoding("on").encode(0));
        Achieved row{"runs", say("Runs"), "no", can ? "no" : "yes", std::nullopt, can, {}, {}};
        if (!can)
            row.trouble =
                formatIfNeeded(c, "{} runs from reset and cannot be stopped. Feed it, and set a period.", name);
        out.achieved.push_back(row);
        if (can && always)
            out.roles.push_back({"on", 0, "runs"});
        return out;
    }
    const Duration wanted = goalTime(c.need, "period");
    const Rational fastest = shifted(c.kernel().rate, c.kernel().tolerance.high).value,
                   slowest = shifted(c.kernel().rate, c.kernel().tolerance.low).value;
    const DividedBy divider{"prescaler", "period", 1, DividedBy::Error::OfTime};
    const std::optional<Division> way = divisionAtLeast(c, wanted.value * fastest, divider);
    const Division longest = longestDivision(c, divider), best = way.value_or(longest);
    const Duration early(best.cycles() / fastest), late(best.cycles() / slowest);
    Achieved period{
        "period",
        say("Resets after"),
        "\u2265 " + formatIfNeeded(c, wanted),
        early == late ? formatIfNeeded(c, early)
                      : formatIfNeeded(c, "{} to {}", formatIfNeeded(c, early, 4), formatIfNeeded(c, late, 4)),
        std::nullopt,
        way.has_value(),
        formatIfNeeded(c, "{} \u00d7 {} / {}", best.prescaler, best.count, formatIfNeeded(c, c.kernel().rate)),
        {}};
    if (!way)
        period.trouble =
            formatIfNeeded(c, "the longest guaranteed time of {} is {}. Choose that, or use a slower clock.", name,
                           formatIfNeeded(c, Duration(longest.cycles() / fastest), 4));
    out.achieved.push_back(period);

    const std::optional<Ratio> window = goalAs<Ratio>(c.need, "window");
    std::int64_t closed = 0;
    if (window && window->value > Rational(0)) {
        // The largest part that is no more than asked for: a longer one would make feeding in time an error.
        const std::int64_t most = (window->value * kWindowParts).floor();
        for (std::int64_t parts = 1; parts <= std::min<std::int64_t>(most, kWindowParts - 1) && c.has("window");
             ++parts)
            if (const std::optional<std::uint32_t> code = c.encoding("window").encode(parts);
                code && *code <= c.maxCode("window"))
                closed = parts;
        Achieved row{"window",
                     say("Closed window"),
                     "\u2264 " + formatIfNeeded(c, *window),
                     formatIfNeeded(c, Ratio(Rational(closed, kWindowParts))),
                     std::nullopt,
                     closed > 0,
                     formatIfNeeded(c, "{} / {}", closed, kWindowParts),
                     {}};
        if (!c.has("window"))
            row.trouble = formatIfNeeded(c, "{} has no window. Set none.", name);
        else if (closed == 0)
            row.trouble = formatIfNeeded(c, "{} has no window that short. Choose a longer one, or none.", name);
        out.achieved.push_back(row);
    }
    if (closed > 0) {
        const Duration from(late.value * Rational(closed, kWindowParts));
        Achieved open{
            "window",     kFeed,
            "",           formatIfNeeded(c, "{} to {}", formatIfNeeded(c, from, 3), formatIfNeeded(c, early, 3)),
            std::nullopt, from < early,
            {},           {},
            true};
        if (!open.ok)
            open.trouble =
                formatIfNeeded(c,
                               "with a clock of {} there may be no time at which feeding is neither too early nor too "
                               "late. Choose a shorter window, or a more accurate clock.",
                               formatIfNeeded(c, c.kernel().tolerance));
        out.achieved.push_back(open);
        if (open.ok && c.look)
            c.look->waveform = drawWindow(from, early, late);
    } else {
        out.achieved.push_back({"period",
                                kFeed,
                                "",
                                formatIfNeeded(c, "at least every {}", formatIfNeeded(c, early, 4)),
                                std::nullopt,
                                true,
                                {},
                                {},
                                true});
        if (c.look)
            c.look->waveform = drawWindow(Duration(), early, late);
    }
    if (c.has("prescaler"))
        out.roles.push_back({"prescaler", best.prescaler, "period"});
    out.roles.push_back({"period", best.count, "period"});
    if (c.has("window"))
        out.roles.push_back({"window", closed, "window"});
    if (c.has("on"))
        out.roles.push_back({"on", 1, ""});
    out.atStart = true;
    return out;
}

void declareWatchdog(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    if (!f.device.roleField(f.bindings.needs[need].instance, "feed").valid() ||
        goalIs(f.plan.needs[need], "runs", "no"))
        return;
    const Achieved* feed = nullptr;
    for (const Achieved& row : f.settings[need].achieved)
        if (row.title == kFeed)
            feed = &row;
    w.comment(fmt::format("Restarts the period; call it {}.", feed ? feed->achieved : "in time"));
    w.linef("void {}_feed(void);", w.names.need(need));
}

void defineWatchdog(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const FieldRef feed = f.device.roleField(instance, "feed");
    if (!feed.valid() || goalIs(f.plan.needs[need], "runs", "no"))
        return;
    std::uint32_t word = 1;
    for (const EnumValue& value : f.device.fieldOf(feed).values)
        if (value.name == "feed")
            word = value.code;
    w.line();
    w.linef("void {}_feed(void)", w.names.need(need));
    w.line("{");
    w.step(writeStep(f.device, {{feed, word, "feed"}}, {}), 4);
    w.line("}");
}

} // namespace

Kind watchdogKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "watchdog";
    spec.title = "Watchdog";
    spec.otherNames = {{"watchdog timer", {}}, {"wdt", {}}};
    spec.phrases = {{"off", {{"runs", "no"}}}, {"stopped", {{"runs", "no"}}}};
    spec.instanceKind = "watchdog";
    spec.goals = {{"period",
                   "Resets after",
                   T::Duration,
                   "1 s",
                   {},
                   "Minimum time to expiry after a refresh, at the fastest clock."},
                  {"window",
                   "Closed window",
                   T::Ratio,
                   "0 %",
                   {},
                   "Maximum part of the period in which a refresh is too early.",
                   0,
                   0,
                   true},
                  {"runs",
                   "Runs",
                   T::Choice,
                   "yes",
                   {"yes", "no"},
                   "no: if it runs from reset, initialisation stops it where the chip allows.",
                   0,
                   0,
                   true}};
    spec.signals = [](const Need&) { return std::vector<SignalSpec>(); };
    spec.relevant = [](const Need& need, std::string_view goal) {
        return goal == "runs" || goalIs(need, "runs", "yes");
    };
    spec.brief = [](const Need& need) {
        return goalIs(need, "runs", "no") ? std::string(say("off")) : shortGoal(need, "period");
    };
    using Use = RoleSpec::Use;
    spec.roles = {{"on",
                   Use::Config,
                   false,
                   "",
                   "Switches the watchdog on. A field that can be written once cannot be stopped again.",
                   {}},
                  {"prescaler", Use::Config, false, "input cycles per tick", "", {}},
                  {"period", Use::Config, true, "ticks", "Until it expires.", {}},
                  {"window",
                   Use::Config,
                   false,
                   "sixteenths of the period",
                   "The first part of the period, in which feeding is too early and resets the chip; 0: none.",
                   {}},
                  {"feed", Use::Command, true, "", "Restarts the period: with the value named feed, otherwise 1.", {}}};
    spec.abilities = {{"runs_at_reset", "1: it runs from reset on."}};
    spec.instanceEvents = {{"early", "It will expire soon."}, {"event", "Anything."}};
    kind.tuning.solve = solveWatchdog;
    kind.tuning.accuracy = timeAccuracy;
    kind.source = {declareWatchdog, defineWatchdog, {"feed"}};
    kind.source.startedLater = "must be fed from then on";
    return kind;
}

} // namespace bindrel
