// SPDX-License-Identifier: GPL-3.0-or-later
// Real-time clock: two dividers in a row that bring its clock to the wanted rate, exactly where that can be had.
#include "core/base/say.h"
#include "core/kinds/common/division.h"
#include "core/kinds/kind.h"
#include "core/quantity/format.h"
#include "core/source/field_access.h"
#include "core/tuning/words.h"

#include <algorithm>

namespace bindrel {

namespace {

Accuracy rtcAccuracy(const TuningContext& c)
{
    Accuracy out;
    out.given = worstOf(c);
    out.stated = c.need.goals.contains("drift");
    if (const std::optional<Ppm> drift = goalAs<Ppm>(c.need, "drift"))
        out.allowed = *drift;
    out.asks = out.allowed ? formatIfNeeded(c, "{}, {} a month", plusMinus(*out.allowed),
                                            formatIfNeeded(c, driftPerMonth(*out.allowed), 3))
                           : std::string();
    out.effect = formatIfNeeded(c, "up to {} a month", formatIfNeeded(c, driftPerMonth(out.given), 3));
    return out;
}

bool tickInterrupts(const Need& need)
{
    return goalIs(need, "interrupt", "yes");
}

bool hasAlarm(const Need& need)
{
    return goalIs(need, "alarm", "yes");
}

/// The chain from the clock down to the count, by what one period of each stage is made of, and how far the count may
/// be off after a day.
Waveform drawChain(const TuningContext& c, const Division& way, std::int64_t fixed, const Frequency& counted)
{
    Waveform wave;
    wave.title = say("one count");
    wave.span = Duration(Rational(1) / counted.value);
    const auto stage = [&wave](std::string title, std::string label, bool strong) {
        wave.bands.push_back({std::move(title), {{Duration(Rational(0)), wave.span, std::move(label), strong}}});
    };
    const Rational kernel = c.kernel().rate.value, first = kernel / fixed / way.prescaler;
    const auto periods = [](const Rational& rate, const Frequency& of) {
        return say("{} periods of {}", (rate / of.value).round(), format(Duration(Rational(1) / rate), 4));
    };
    stage(c.kernelName(), periods(kernel, counted), false);
    if (fixed > 1)
        stage(fmt::format("\u00f7 {}", fixed), periods(kernel / fixed, counted), false);
    if (way.prescaler > 1)
        stage(fmt::format("\u00f7 {}", way.prescaler), periods(first, counted), false);
    stage(way.count > 1 ? fmt::format("\u00f7 {}", way.count) : std::string("count"), format(wave.span, 4), true);
    const Tolerance& off = c.kernel().tolerance;
    constexpr std::int64_t kDay = 86'400;
    stage(say("per day"),
          say("{} to {} off", format(Duration(off.low.value * kDay / 1'000'000), 3),
              format(Duration(off.high.value * kDay / 1'000'000), 3)),
          false);
    return wave;
}

Setting solveRtc(const TuningContext& c)
{
    Setting out;
    const Frequency wanted = goalRate(c.need, "rate");
    const Rational kernel = c.kernel().rate.value;
    const std::int64_t fixed = c.device.ability(c.bound.instance, "divider", 1);
    const Rational cycles = kernel / wanted.value / fixed;
    const DividedBy divider{"coarse", "fine", 1, DividedBy::Error::OfRate};
    const std::vector<Division> ways = divisionsNear(c, cycles, divider, 64);
    if (ways.empty()) {
        out.notComputed = formatIfNeeded(c, "{} at {} is too slow for {}; lower the rate or use a faster clock",
                                         c.kernelName(), formatIfNeeded(c, c.kernel().rate), formatIfNeeded(c, wanted));
        return out;
    }
    const auto rate = [&](const Division& way) { return Frequency(kernel / way.cycles() / fixed); };
    // Of the ways that are as near the one with the largest first divider: what runs behind it runs slowly and draws
    // little.
    Division best = ways.front();
    for (const Division& way : ways)
        if (rate(way) == rate(best) && way.prescaler > best.prescaler)
            best = way;
    Achieved row{"rate",
                 say("Counts at"),
                 formatIfNeeded(c, wanted),
                 formatIfNeeded(c, rate(best)),
                 errorOf(rate(best), wanted),
                 rate(best) == wanted,
                 {},
                 {}};
    row.formula = formatIfNeeded(c, c.kernel().rate) + (fixed > 1 ? formatIfNeeded(c, " / {}", fixed) : std::string()) +
                  (c.has("coarse") ? formatIfNeeded(c, " / {}", best.prescaler) : std::string()) +
                  (c.has("fine") ? formatIfNeeded(c, " / {}", best.count) : std::string());
    if (!row.ok)
        row.trouble = formatIfNeeded(c, "it would count at {}. Give {} a clock that is a multiple of {}.",
                                     formatIfNeeded(c, rate(best)), c.kernelName(), formatIfNeeded(c, wanted));
    out.achieved.push_back(row);
    if (c.has("hold"))
        out.before.push_back({RoleStep::Kind::Set, "hold", 1, "Hold it: its dividers can only be set then."});
    if (c.has("hold") && c.has("held"))
        out.before.push_back({RoleStep::Kind::Await, "held", 1, "Wait until it is held."});
    if (c.has("coarse"))
        out.roles.push_back({"coarse", best.prescaler, "rate"});
    if (c.has("fine"))
        out.roles.push_back({"fine", best.count, "rate"});
    if (c.has("hold"))
        out.after.push_back({RoleStep::Kind::Set, "hold", 0, "Release it."});
    if (c.has("hold") && c.has("held"))
        out.after.push_back({RoleStep::Kind::Await, "held", 0, "Wait until it runs."});
    if (tickInterrupts(c.need))
        out.events.push_back(
            {"tick", "tick_interrupt", "tick", "tick", "Called by the interrupt at each count.", rate(best)});
    if (c.need.goals.contains("trim")) {
        const std::int64_t off = goalNumber(c.need, "trim");
        Achieved trim{"trim", say("Clock error"), formatIfNeeded(c, "{} ppb", off), {}, std::nullopt, false, {}, {}};
        if (const std::optional<std::int64_t> value =
                c.has("trim") ? c.encoding("trim").nearest(-off, c.maxCode("trim")) : std::nullopt) {
            trim.achieved = formatIfNeeded(c, "{:+} ppb added, {:+} left", *value, off + *value);
            // Half a step is as near as it can be.
            const std::int64_t low = *c.encoding("trim").decode(0),
                               high = c.encoding("trim").largest(c.maxCode("trim"));
            trim.ok = -off >= low && -off <= high;
            if (!trim.ok)
                trim.trouble = formatIfNeeded(
                    c, "it can add {} to {} ppb. Load the crystal otherwise, or take a better one.", low, high);
            out.roles.push_back({"trim", *value, "trim"});
        } else {
            trim.achieved = "0 ppb added";
            trim.trouble = formatIfNeeded(c, "{} has no rate correction. Correct the time in the program.",
                                          c.device.instances[c.bound.instance].name);
        }
        out.achieved.push_back(trim);
    }
    if (hasAlarm(c.need)) {
        const bool can = (c.has("alarm_count") || c.has("alarm_second")) && c.has("alarm");
        if (!can)
            out.achieved.push_back({"alarm",
                                    say("Alarm"),
                                    "yes",
                                    "no",
                                    std::nullopt,
                                    false,
                                    {},
                                    formatIfNeeded(c, "{} has no alarm. Compare the time in the tick function.",
                                                   c.device.instances[c.bound.instance].name)});
        else
            out.events.push_back({c.device.interruptOf(c.bound.instance, "alarm") ? "alarm" : "tick",
                                  "alarm_interrupt",
                                  "alarm",
                                  "alarm",
                                  "Called by the interrupt at the alarm time.",
                                  {}});
    }
    if (c.has("on"))
        out.roles.push_back({"on", 1, "", RoleValue::When::Start});
    std::vector<Division> listed = ways;
    std::stable_partition(listed.begin(), listed.end(), [&best](const Division& way) {
        return way.prescaler == best.prescaler && way.count == best.count;
    });
    for (const Division& way : listed)
        if (c.look && c.look->alternatives.size() < 4)
            c.look->alternatives.push_back({fmt::format("\u00f7{} \u00f7{}", way.prescaler, way.count),
                                            format(rate(way)),
                                            format(errorOf(rate(way), wanted), true),
                                            {{"coarse", way.prescaler}, {"fine", way.count}}});
    if (c.look)
        c.look->waveform = drawChain(c, best, fixed, rate(best));
    if (c.look)
        c.look->ranking = say("the smallest error, then the largest first divider, which draws least");
    return out;
}

/// Parts of a time of day and a date, by the names of their roles, with the values that a calendar has.
struct TimePart {
    const char* role;
    std::int64_t first, last;
};
constexpr TimePart kTimeParts[] = {{"second", 0, 59}, {"minute", 0, 59}, {"hour", 0, 23},
                                   {"day", 1, 31},    {"month", 1, 12},  {"year", INT64_MIN, INT64_MAX}};

std::vector<std::string> timePartsOf(const Writer& w, NeedIndex need)
{
    std::vector<std::string> out;
    for (const TimePart& part : kTimeParts)
        if (w.facts.device.roleField(w.facts.bindings.needs[need].instance, part.role).valid())
            out.push_back(part.role);
    return out;
}

/// What may be given for a part of a time, an alarm or for a count: what the calendar and the register both know.
std::pair<std::int64_t, std::int64_t> limitsOf(const Writer& w, InstanceIndex instance, const std::string& role)
{
    auto [first, last] = valuesOf(w.facts.device, instance, role);
    first = std::max<std::int64_t>(first, 0);
    const std::string_view part =
        std::string_view(role).substr(role.starts_with("alarm_") ? std::string_view("alarm_").size() : 0);
    for (const TimePart& known : kTimeParts)
        if (part == known.role) {
            first = std::max(first, known.first);
            last = std::min(last, known.last);
        }
    return {first, last};
}

/// "if (hour > 23u) return OUT_OF_RANGE", where a value can be outside at all.
void refuseOutside(Writer& w, InstanceIndex instance, const std::string& role, const Code& value)
{
    const auto [first, last] = limitsOf(w, instance, role);
    std::vector<Code> tests;
    if (first > 0)
        tests.push_back(code("{} < {}u", value, first));
    if (last < UINT32_MAX)
        tests.push_back(code("{} > {}u", value, last));
    if (tests.empty())
        return;
    w.linef("    if ({}) {{", joinedCode(tests, " || "));
    w.linef("        return {};", w.names.macro("OUT_OF_RANGE"));
    w.line("    }");
}

/// Parts of an alarm's time that the block may have.
std::vector<std::string> alarmPartsOf(const Writer& w, NeedIndex need)
{
    std::vector<std::string> out;
    if (hasAlarm(w.facts.plan.needs[need]))
        for (const char* part : {"second", "minute", "hour", "count"})
            if (w.facts.device.roleField(w.facts.bindings.needs[need].instance, std::string("alarm_") + part).valid())
                out.emplace_back(part);
    return out;
}

std::vector<Code> alarmParameters(const std::vector<std::string>& parts)
{
    std::vector<Code> out;
    for (auto part = parts.rbegin(); part != parts.rend(); ++part)
        out.push_back(code("uint32_t {}", Word::of(*part)));
    return out;
}

void declareRtc(Writer& w, NeedIndex need)
{
    const InstanceIndex instance = w.facts.bindings.needs[need].instance;
    const Word name = w.names.need(need);
    const Code result = code("enum {}_status", w.names.prefix);
    if (w.facts.device.roleField(instance, "counter").valid()) {
        w.comment("The count, and setting it.");
        w.linef("uint32_t {}_count(void);", name);
        w.linef("{} {}_set(uint32_t count);", result, name);
    }
    if (const std::vector<std::string> parts = timePartsOf(w, need); !parts.empty()) {
        w.comment("Time and date in plain numbers.");
        w.linef("struct {}_time {{", name);
        for (const std::string& part : parts) {
            const auto [first, last] = limitsOf(w, instance, part);
            w.linef("    uint32_t {}; {}", Word::of(part), cComment(fmt::format("{} to {}", first, last)));
        }
        w.line("};");
        w.comment("Repeat if it changed meanwhile, so that all parts are consistent.");
        w.linef("struct {0}_time {0}_time(void);", name);
        w.linef("{} {}_set_time(const struct {}_time *time);", result, name, name);
    }
    if (const std::vector<std::string> parts = alarmPartsOf(w, need); !parts.empty()) {
        w.comment(parts.front() == "count" ? "Calls the alarm at this count."
                                           : "Calls the alarm at this time of each day.");
        w.linef("{} {}_set_alarm({});", result, name, joinedCode(alarmParameters(parts), ", "));
        if (w.facts.device.roleField(instance, "alarm_on").valid()) {
            w.comment("Disables the alarm.");
            w.linef("void {}_clear_alarm(void);", name);
        }
    }
}

/// Holds the clock while `body` sets it, where it can be held.
template <typename Body> void whileHeld(Writer& w, NeedIndex need, Body body)
{
    const Facts& f = w.facts;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const FieldRef hold = f.device.roleField(instance, "hold"), held = f.device.roleField(instance, "held");
    const Role* role = f.device.blockOf(instance).role("hold");
    const auto wait = [&](std::uint32_t level) {
        if (!held.valid())
            return;
        const Duration time(f.device.fieldOf(held).followsAfter.value * 2);
        const std::int64_t us = std::max<std::int64_t>((time.value * 1'000'000).ceil(), 100);
        const Word bit = roleMacro(f, w.names, instance, "held");
        w.linef("    if (!{}) {{",
                waitForRole(w, instance, "held", level ? code("{}", bit) : code("0u"), code("{}u", us)));
        w.linef("        return {};", w.names.macro("TIMEOUT_TRANSFER"));
        w.line("    }");
    };
    if (hold.valid())
        writeRoleCode(w, instance, "hold", role->encoding.encode(1).value_or(1), 4);
    wait(1);
    body();
    if (hold.valid())
        writeRoleCode(w, instance, "hold", role->encoding.encode(0).value_or(0), 4);
    wait(0);
    w.linef("    return {};", w.names.macro("OK"));
}

void defineRtc(Writer& w, NeedIndex need)
{
    const Facts& f = w.facts;
    const InstanceIndex instance = f.bindings.needs[need].instance;
    const Word name = w.names.need(need);
    const Code result = code("enum {}_status", w.names.prefix);
    if (f.device.roleField(instance, "counter").valid()) {
        w.line();
        w.linef("uint32_t {}_count(void)", name);
        w.line("{");
        w.linef("    return {};", readValue(w, instance, "counter"));
        w.line("}");
        w.line();
        w.linef("{} {}_set(uint32_t count)", result, name);
        w.line("{");
        refuseOutside(w, instance, "counter", Code::trusted("count"));
        whileHeld(w, need, [&] { writeValue(w, instance, "counter", Code::trusted("count"), 4); });
        w.line("}");
    }
    if (const std::vector<std::string> alarm = alarmPartsOf(w, need); !alarm.empty()) {
        const bool switched = f.device.roleField(instance, "alarm_on").valid();
        w.line();
        w.linef("{} {}_set_alarm({})", result, name, joinedCode(alarmParameters(alarm), ", "));
        w.line("{");
        for (const std::string& part : alarm)
            refuseOutside(w, instance, "alarm_" + part, code("{}", Word::of(part)));
        if (switched)
            writeRoleCode(w, instance, "alarm_on", 0, 4);
        for (const std::string& part : alarm)
            writeValue(w, instance, "alarm_" + part, code("{}", Word::of(part)), 4);
        clearFlags(w, instance, {"alarm"}, 4);
        if (switched)
            writeRoleCode(w, instance, "alarm_on", 1, 4);
        w.linef("    return {};", w.names.macro("OK"));
        w.line("}");
        if (switched) {
            w.line();
            w.linef("void {}_clear_alarm(void)", name);
            w.line("{");
            writeRoleCode(w, instance, "alarm_on", 0, 4);
            w.line("}");
        }
    }
    const std::vector<std::string> parts = timePartsOf(w, need);
    if (parts.empty())
        return;
    w.line();
    w.linef("struct {0}_time {0}_time(void)", name);
    w.line("{");
    w.linef("    struct {}_time now;", name);
    w.line("    do {");
    for (const std::string& part : parts)
        w.linef("        now.{} = {};", Word::of(part), readValue(w, instance, part));
    w.linef("    }} while (now.{} != {});", Word::of(parts.front()), readValue(w, instance, parts.front()));
    w.line("    return now;");
    w.line("}");
    w.line();
    w.linef("{} {}_set_time(const struct {}_time *time)", result, name, name);
    w.line("{");
    for (const std::string& part : parts)
        refuseOutside(w, instance, part, code("time->{}", Word::of(part)));
    whileHeld(w, need, [&] {
        for (const std::string& part : parts)
            writeValue(w, instance, part, code("time->{}", Word::of(part)), 4);
    });
    w.line("}");
}

} // namespace

Kind rtcKind()
{
    Kind kind;
    using T = GoalSpec::Type;
    KindSpec& spec = kind.spec;
    spec.id = "rtc";
    spec.title = "Real-time clock";
    spec.otherNames = {{"calendar", {}}, {"clock and calendar", {}}, {"alarm clock", {}}};
    spec.instanceKind = "rtc";
    spec.goals = {{"rate", "Counts at", T::Frequency, "1 Hz", {}, ""},
                  {"drift", "Drift at most", T::Tolerance, "100 ppm", {}, ""},
                  {"interrupt", "Interrupt", T::Choice, "no", {"yes", "no"}, "At each count.", 0, 0, true},
                  {"alarm",
                   "Alarm",
                   T::Choice,
                   "no",
                   {"no", "yes"},
                   "Calls your function at a time set by the program.",
                   0,
                   0,
                   true},
                  {"trim",
                   "Clock error",
                   T::Integer,
                   "0",
                   {},
                   "Measured error of its clock in ppb (positive: fast); the counter is corrected by this amount.",
                   -1'000'000,
                   1'000'000,
                   true},
                  priorityGoal(),
                  aboveGoal(),
                  takesGoal()};
    spec.signals = [](const Need&) { return std::vector<SignalSpec>(); };
    spec.brief = [](const Need& need) { return shortGoal(need, "rate"); };
    using Use = RoleSpec::Use;
    spec.roles = {
        {"on", Use::Config, false, "", "Switches the counter on.", {}},
        {"counter", Use::Data, false, "counts", "The time.", {}},
        {"tick", Use::Status, false, "", "A count is over.", {}},
        {"tick_interrupt",
         Use::Config,
         false,
         "",
         "Enables the interrupt at each count. Without it, it is always enabled.",
         {}},
        {"alarm", Use::Status, false, "", "The time of the alarm has come.", {}},
        {"alarm_interrupt", Use::Config, false, "", "Enables its interrupt. Without it, it is always enabled.", {}},
        {"alarm_on", Use::Config, false, "", "The alarm is watched for.", {}},
        {"alarm_second", Use::Data, false, "", "Time of day of the alarm.", {}},
        {"alarm_minute", Use::Data, false, "", "", {}},
        {"alarm_hour", Use::Data, false, "", "", {}},
        {"alarm_count", Use::Data, false, "counts", "Count of the alarm, where there is a plain count.", {}},
        {"trim", Use::Config, false, "parts in 10^9", "Speeds up counting by this amount.", {}, true},
        {"coarse", Use::Config, false, "input cycles", "First divider.", {}, true},
        {"fine", Use::Config, false, "cycles of the first divider", "Second divider.", {}, true},
        {"hold", Use::Config, false, "", "1: asks for the state in which dividers and time can be set.", {}},
        {"held", Use::Status, false, "", "That state is reached.", {}},
        {"second", Use::Data, false, "", "Of the time of day, where there is no plain count.", {}},
        {"minute", Use::Data, false, "", "", {}},
        {"hour", Use::Data, false, "", "", {}},
        {"day", Use::Data, false, "", "Of the month.", {}},
        {"month", Use::Data, false, "", "", {}},
        {"year", Use::Data, false, "", "", {}}};
    for (RoleSpec& role : spec.roles)
        if (role.use == RoleSpec::Use::Data)
            role.encodings = RoleSpec::Encodings::InC;
    spec.abilities = {{"divider", "What its clock is divided by beside the roles; 1 when nothing is said."}};
    spec.instanceEvents = {{"tick", "A count is over."}, {"alarm", "The time of an alarm has come."}};
    kind.tuning.solve = solveRtc;
    kind.source = {
        declareRtc, defineRtc, {"count", "set", "time", "set_time", "tick", "alarm", "set_alarm", "clear_alarm"}};
    kind.source.statuses = {{"OUT_OF_RANGE", "a value that the calendar or its register does not have"}};
    kind.tuning.accuracy = rtcAccuracy;
    return kind;
}

} // namespace bindrel
