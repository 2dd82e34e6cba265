// SPDX-License-Identifier: GPL-3.0-or-later
// PWM: prescaler and period from the frequency, compares from the duties, dead time and fault filter in kernel cycles.
//
// Edge aligned, one period is PRE x TOP kernel cycles; centre aligned the counter runs up and down, 2 x PRE x TOP.
// A larger TOP gives finer duties, a suitable PRE can meet the frequency exactly; the best way is the one with the
// least error among those with enough duty steps, and the finer of two as good.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/kinds/common/chain.h"
#include "core/kinds/common/division.h"
#include "core/kinds/pwm/pwm.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace bindrel {

namespace {

struct TimerSetting {
    std::int64_t prescaler = 1;
    std::int64_t period = 1; ///< TOP, in prescaled ticks
    Frequency frequency;
    Ppm error;
};

Frequency frequencyOfWay(const Frequency& kernel, std::int64_t prescaler, std::int64_t period, int slopes)
{
    return Frequency(kernel.value / (Rational(prescaler) * period * slopes));
}

/// The longest period that the compare registers of the need's channels can hold as well, so that an output can be on
/// all the time.
std::int64_t longestOn(const TuningContext& c)
{
    std::int64_t out = INT64_MAX;
    for (const Seat& seat : c.bound.seats)
        if (const std::string role = "compare" + std::to_string(seat.channel); seat.channel > 0 && c.has(role))
            out = std::min(out, c.encoding(role).largest(c.maxCode(role)));
    return out;
}

/// Those nearest to the wanted frequency with enough duty steps, best first; where none has enough, those nearest all
/// the same.
std::vector<TimerSetting> waysTo(const TuningContext& c, const Frequency& wanted, int slopes, std::int64_t steps,
                                 std::size_t most)
{
    const Rational ticks = c.kernel().rate.value / (wanted.value * slopes);
    std::vector<TimerSetting> out;
    if (!ticks.defined() || ticks < Rational(2))
        return out;
    DividedBy divider{"prescaler", "period", std::max<std::int64_t>(steps, 2), DividedBy::Error::OfRate, longestOn(c)};
    std::vector<Division> divisions = divisionsNear(c, ticks, divider, most);
    divider.leastCount = 2;
    // Fewer steps than asked for are told of; a frequency that is far off is worse.
    if (divisions.empty() || Rational(divisions.front().prescaler) * divisions.front().count > ticks * 2)
        divisions = divisionsNear(c, ticks, divider, most);
    for (const Division& division : divisions) {
        TimerSetting way{division.prescaler,
                         division.count,
                         frequencyOfWay(c.kernel().rate, division.prescaler, division.count, slopes),
                         {}};
        way.error = errorOf(way.frequency, wanted);
        out.push_back(way);
    }
    return out;
}

std::string bitsOf(std::int64_t steps)
{
    return fmt::format("{:.1f} bit", std::log2(static_cast<double>(steps)));
}

struct Channel {
    int number = 0; ///< of the timer
    int output = 0; ///< of the need, from 1
    std::string goal;
    Ratio wanted;
    std::int64_t compare = 0;
    Ratio achieved;
    std::string highName, lowName; ///< terminals of the part, for the picture
};

/// What the wire of a signal is called at the part; the signal's own name when the plan says nothing.
std::string terminalOf(const Need& need, const std::string& signal, const std::string& otherwise)
{
    const auto said = need.terminals.find(signal);
    return said == need.terminals.end() ? otherwise : said->second;
}

/// Dead times are at least as long as asked for, in the steps that the timer has.
struct DeadTimes {
    Duration high, low; ///< before either side is on
    bool apart = false; ///< each can be chosen by itself
    Duration longest() const { return std::max(high, low); }
};

/// One period of the outputs. Dead times shorten the beginning of each active phase of a pair.
Waveform draw(const std::vector<Channel>& channels, const Duration& period, const PwmGoals& g, const DeadTimes& dead,
              const TimerSetting& way)
{
    const bool centre = g.centre, pairs = g.pairs;
    Waveform wave;
    wave.title = say("one period as it will be");
    wave.span = period;
    Waveform::Ramp ramp{"count", {}, {}};
    if (centre)
        ramp.points = {{Duration(Rational(0)), 0}, {period / 2, 1}, {period, 0}};
    else
        ramp.points = {{Duration(Rational(0)), 0}, {period, 1}, {period, 0}};
    for (size_t i = 0; i < channels.size(); ++i) {
        const Channel& channel = channels[i];
        ramp.levels.emplace_back(say("{} of {}", channel.compare, way.period), Rational(channel.compare, way.period));
        const Rational on = period.value * channel.achieved.value;
        // Active while the count is below the compare value.
        Waveform::Trace high{channel.highName, !on.isZero(), {}};
        Waveform::Trace low{channel.lowName, on.isZero(), {}};
        const Rational fall = centre ? on / 2 : on;
        const Rational again = period.value - on / 2;
        const int traceHigh = static_cast<int>(wave.traces.size());
        const bool switches = on > Rational(0) && on < period.value;
        const bool shifted = g.opposed && channel.output % 2 == 0;
        using States = Waveform::Handle::States;
        const Rational from = shifted ? period.value / 2 : Rational(0);
        const bool half = centre || shifted; // the other half lies on the other side
        wave.handles.push_back({fmt::format("duty{}", channel.output), Duration(from + (half ? on / 2 : on)),
                                Duration(from), States::Share, half ? period.value / 2 : period.value, traceHigh});
        if (switches) {
            high.edges.push_back({Duration(fall), false});
            low.edges.push_back({Duration(fall + dead.low.value), true});
            if (centre) {
                low.edges.push_back({Duration(again), false});
                high.edges.push_back({Duration(again + (pairs ? dead.high.value : Rational(0))), true});
            } else {
                high.high = !pairs || dead.high.value.isZero();
                if (!high.high)
                    high.edges.insert(high.edges.begin(), {dead.high, true});
            }
        }
        if (shifted && switches)
            high = {channel.highName,
                    false,
                    {{Duration((period.value - on) / 2), true}, {Duration((period.value + on) / 2), false}}};
        for (Waveform::Trace* trace : {&high, &low})
            if (g.activeLow) {
                trace->high = !trace->high;
                for (Waveform::Edge& edge : trace->edges)
                    edge.high = !edge.high;
            }
        wave.traces.push_back(high);
        if (!pairs)
            continue;
        wave.traces.push_back(low);
        if (switches) {
            wave.marks.push_back(
                {Duration(fall), Duration(fall + dead.low.value), traceHigh, say("dead ") + format(dead.low), true});
            const Rational back = centre ? again : Rational(0);
            wave.marks.push_back({Duration(back), Duration(back + dead.high.value), traceHigh,
                                  dead.high == dead.low ? std::string() : say("dead ") + format(dead.high), true});
            wave.handles.push_back({dead.apart ? "dead_low" : "dead", Duration(fall + dead.low.value), Duration(fall),
                                    States::Time, 1, traceHigh + 1});
            wave.handles.push_back(
                {"dead", Duration(back + dead.high.value), Duration(back), States::Time, 1, traceHigh});
        }
    }
    if (g.triggerAt || g.triggerAfter) {
        const Duration at = g.triggerAfter ? *g.triggerAfter : Duration(g.triggerAt->value * period.value);
        if (at < period)
            wave.marks.push_back({at, at, -1, say("trigger"), false});
        wave.triggers = at;
    } else {
        wave.triggers = Duration(); // a period begins with it
    }
    wave.ramp = ramp;
    return wave;
}

} // namespace

static DeadTimes solveDeadTimes(const TuningContext& c, const PwmGoals& g, Setting& out)
{
    const auto solveOne = [&](const char* role, const char* goal, const char* title, const Duration& asked) {
        // At its fastest the clock gives the shortest time.
        const Rational fastest = shifted(c.kernel().rate, c.kernel().tolerance.high).value;
        const std::int64_t least = (asked.value * fastest).ceil();
        const Encoding& encoding = c.encoding(role);
        const auto ticks = encoding.atLeast(least, c.maxCode(role));
        const std::int64_t used = ticks.value_or(encoding.largest(c.maxCode(role)));
        const Duration got(Rational(used) / c.kernel().rate.value);
        Achieved row{goal,
                     title,
                     "\u2265 " + formatIfNeeded(c, asked),
                     formatIfNeeded(c, got),
                     asked.value.isZero() ? std::optional<Ppm>() : errorOf(got, asked),
                     ticks.has_value(),
                     formatIfNeeded(c, "{} / {}", used, formatIfNeeded(c, c.kernel().rate)),
                     {}};
        if (!row.ok)
            row.trouble = formatIfNeeded(
                c,
                "{} is not possible: the longest at {} is {}. The bridge could shoot through; use a "
                "slower clock for {}.",
                formatIfNeeded(c, asked), formatIfNeeded(c, c.kernel().rate), formatIfNeeded(c, got), c.kernelName());
        out.achieved.push_back(row);
        out.roles.push_back({role, used, goal});
        return got;
    };
    if (c.has("dead_time_low")) {
        const Duration high = solveOne("dead_time", "dead", say("Dead time"), g.dead);
        return {high, solveOne("dead_time_low", "dead_low", say("Dead time (low)"), g.deadLow), true};
    }
    // One time for both is as long as the longer of the two.
    const Duration both = solveOne("dead_time", "dead", say("Dead time"), std::max(g.dead, g.deadLow));
    if (g.deadLow != g.dead)
        out.achieved.push_back({"dead_low",
                                say("Dead time (low)"),
                                "\u2265 " + formatIfNeeded(c, g.deadLow),
                                formatIfNeeded(c, both),
                                std::nullopt,
                                both >= g.deadLow,
                                say("one time for both sides"),
                                {},
                                true});
    return {both, both};
}

/// Where the fault comes from: its pad, or a comparator that the timer has a value for.
static void solveFaultSource(const TuningContext& c, Setting& out)
{
    const std::string by = goalName(c.need, "fault_by");
    if (by.empty()) {
        if (c.has("fault_source"))
            out.roles.push_back({"fault_source", 0, "fault_by"});
        return;
    }
    const std::string& name = c.device.instances[c.bound.instance].name;
    Achieved row{"fault_by", say("Fault from"), by, "nothing", std::nullopt, false, {}, {}};
    const FieldRef field = c.device.roleField(c.bound.instance, "fault_source");
    for (const NeedIndex n : c.plan.needs.indices()) {
        const InstanceIndex instance = c.bindings.needs[n].instance;
        if (c.plan.needs[n].id != by || instance < 0)
            continue;
        row.trouble = formatIfNeeded(c, "{} is on {}, which is not connected to {}.", c.plan.needs[n].title,
                                     c.device.instances[instance].name, name);
        if (field.valid())
            for (const EnumValue& value : c.device.fieldOf(field).values)
                if (value.name == c.device.instances[instance].name) {
                    row = {"fault_by", say("Fault from"), by, value.name, std::nullopt, true, {}, {}};
                    out.roles.push_back({"fault_source", std::int64_t(value.code), "fault_by"});
                }
    }
    if (!row.ok && row.trouble.empty())
        row.trouble = formatIfNeeded(c, "there is no bound need \"{}\".", by);
    out.achieved.push_back(row);
}

/// The count at which converters are started, where that is not the end of the period.
static void solveTrigger(const TuningContext& c, const PwmGoals& g, const TimerSetting& way, Setting& out)
{
    if (!g.triggerAt && !g.triggerAfter)
        return;
    const Duration period = bindrel::period(way.frequency);
    const Rational share = g.triggerAfter ? g.triggerAfter->value / period.value : g.triggerAt->value;
    // On the way up the count passes half a period.
    const std::int64_t count = (share * (g.centre ? 2 : 1) * way.period).round();
    const Duration got(Rational(count) / (way.period * (g.centre ? 2 : 1)) * period.value);
    Achieved row{"trigger_at",
                 say("ADC trigger at"),
                 g.triggerAfter ? formatIfNeeded(c, *g.triggerAfter) : formatIfNeeded(c, *g.triggerAt),
                 formatIfNeeded(c, got),
                 std::nullopt,
                 true,
                 formatIfNeeded(c, "count {} of {}", count, way.period),
                 {}};
    const std::string& name = c.device.instances[c.bound.instance].name;
    if (!c.has("trigger_at") || !c.has("trigger_early")) {
        row.ok = false;
        row.trouble = formatIfNeeded(
            c,
            "{} triggers converters only at the end of its period. Choose another timer, or leave the position empty.",
            name);
    } else if (!share.defined() || count >= way.period || count < 0) {
        row.ok = false;
        row.trouble =
            g.centre
                ? formatIfNeeded(
                      c, "{} triggers converters only while it counts up: in the first half of the period, before {}.",
                      name, formatIfNeeded(c, period / 2))
                : formatIfNeeded(c, "the period is {}; the position must lie within it.", formatIfNeeded(c, period));
    } else {
        out.roles.push_back({"trigger_at", count, "trigger_at"});
        out.roles.push_back({"trigger_early", 1, "trigger_at"});
    }
    out.achieved.push_back(row);
}

/// What an angle between two widths comes to.
static void solveServo(const PwmGoals& g, const TimerSetting& way, Setting& out)
{
    if (g.servo.degrees <= 0)
        return;
    const Duration period = bindrel::period(way.frequency);
    const Duration span = g.servo.wide - g.servo.narrow;
    Achieved row{"travel",
                 say("Travel"),
                 say("{}\u00b0 from {} to {}", g.servo.degrees, format(g.servo.narrow), format(g.servo.wide)),
                 {},
                 std::nullopt,
                 g.servo.wide > g.servo.narrow && g.servo.wide < period,
                 {},
                 {}};
    if (!row.ok) {
        row.achieved = "none";
        row.trouble = g.servo.wide > g.servo.narrow
                          ? say("a pulse of {1} does not fit into a period of {0}. Choose a lower frequency.",
                                format(period), format(g.servo.wide))
                          : say("the wide pulse must be longer than the narrow one.");
    } else {
        const Rational ticks = span.value / period.value * way.period;
        row.achieved = say("steps of {:.2g}\u00b0", double(g.servo.degrees) / ticks.toDouble());
        row.formula = say("{} / ({} ticks)", format(span), ticks.round());
        row.ok = ticks >= Rational(g.servo.degrees, 10);
        if (!row.ok)
            row.trouble = say("steps are coarser than 10\u00b0. Require more duty steps, or use a faster clock.");
    }
    out.achieved.push_back(row);
}

std::optional<Frequency> pwmBeats(const TuningContext& c)
{
    const PwmGoals& g = goalsOf<PwmGoals>(c.need);
    const std::vector<TimerSetting> ways = waysTo(c, g.frequency, g.centre ? 2 : 1, g.steps, 1);
    return ways.empty() ? std::nullopt : std::optional(ways.front().frequency);
}

namespace {

/// Frequency and steps, as they come out.
void addFrequency(const TuningContext& c, const PwmGoals& g, const TimerSetting& best, Setting& out)
{
    Achieved frequency{"frequency",
                       say("Frequency"),
                       formatIfNeeded(c, g.frequency),
                       formatIfNeeded(c, best.frequency),
                       best.error,
                       best.error.value.abs() <= Rational(10'000),
                       {},
                       {}};
    frequency.formula = g.centre ? formatIfNeeded(c, "{} / (2 \u00d7 {} \u00d7 {})", formatIfNeeded(c, c.kernel().rate),
                                                  best.prescaler, best.period)
                                 : formatIfNeeded(c, "{} / ({} \u00d7 {})", formatIfNeeded(c, c.kernel().rate),
                                                  best.prescaler, best.period);
    if (!frequency.ok)
        frequency.trouble = formatIfNeeded(c, "the nearest frequency is {} off. Choose another clock for {}.",
                                           formatIfNeeded(c, best.error, true), c.kernelName());
    out.achieved.push_back(frequency);
    if (g.activeLow || g.idleHigh)
        out.achieved.push_back({"idle",
                                say("Idle levels"),
                                "",
                                formatIfNeeded(c, "{}, {}", g.restsHigh() ? say("high") : say("low"),
                                               g.restsHigh() == g.activeLow ? say("not active") : "active"),
                                std::nullopt,
                                true,
                                {},
                                {},
                                true});
    out.achieved.push_back(
        {"steps",
         say("Duty steps"),
         "\u2265 " + std::to_string(g.steps),
         formatIfNeeded(c, "{} ({})", best.period, bitsOf(best.period)),
         std::nullopt,
         best.period >= g.steps,
         {},
         best.period >= g.steps
             ? ""
             : formatIfNeeded(c,
                              "{} allows {} duty steps at {}, fewer than the {} required. Use a faster clock "
                              "or a lower frequency.",
                              formatIfNeeded(c, c.kernel().rate), best.period, formatIfNeeded(c, g.frequency),
                              g.steps)});
}

/// What a channel's duty comes to. `longer`: more was asked for than a period holds.
Achieved dutyRow(const TuningContext& c, const PwmGoals& g, const TimerSetting& best, const Channel& channel,
                 bool longer, const DeadTimes& dead)
{
    const Duration period = bindrel::period(best.frequency);
    const std::optional<Duration>& pulse = g.pulse[size_t(channel.output - 1)];
    const std::optional<Voltage>& level = g.level[size_t(channel.output - 1)];
    Achieved row{channel.goal,
                 say("Duty ") + channel.goal.substr(4),
                 formatIfNeeded(c, channel.wanted),
                 formatIfNeeded(c, channel.achieved),
                 std::nullopt,
                 true,
                 formatIfNeeded(c, "{} / {}", channel.compare, best.period),
                 {}};
    if (pulse) {
        const Duration got(channel.achieved.value * period.value);
        row.wanted = formatIfNeeded(c, *pulse);
        row.achieved = formatIfNeeded(c, got);
        if (!pulse->value.isZero())
            row.error = errorOf(got, *pulse);
        row.ok = !longer && (pulse->value.isZero() || row.error->value.abs() <= Rational(50'000));
        if (longer)
            row.trouble = formatIfNeeded(c, "the period is only {}. Choose a shorter pulse or a lower frequency.",
                                         formatIfNeeded(c, period));
        else if (!row.ok)
            row.trouble = formatIfNeeded(
                c, "a tick is {}, too coarse for this. Require more duty steps, or use a faster clock.",
                formatIfNeeded(c, Duration(Rational(best.prescaler) * (g.centre ? 2 : 1) / c.kernel().rate.value)));
    }
    if (level) {
        row.wanted = formatIfNeeded(c, *level);
        row.achieved = formatIfNeeded(c, Voltage(channel.achieved.value * c.rates.supply.value));
        row.formula += formatIfNeeded(c, " \u00d7 {}", formatIfNeeded(c, c.rates.supply));
        row.ok = !longer;
        if (longer)
            row.trouble =
                formatIfNeeded(c, "the outputs reach at most the supply of {}.", formatIfNeeded(c, c.rates.supply));
    }
    const Rational on = period.value * channel.achieved.value;
    const Rational shortest =
        std::min(on, period.value - on, [](const Rational& a, const Rational& b) { return a < b; });
    if (g.pairs && shortest > Rational(0) && shortest <= dead.longest().value) {
        row.ok = false;
        row.trouble =
            formatIfNeeded(c,
                           "the shorter side is on for {}, not longer than the dead time of {}: it would never switch "
                           "on. Change the duty or the dead time.",
                           formatIfNeeded(c, Duration(shortest)), formatIfNeeded(c, dead.longest()));
    }
    return row;
}

/// The registers of a channel.
void setChannel(const TuningContext& c, const PwmGoals& g, const TimerSetting& best, const Channel& channel,
                Setting& out)
{
    const bool opposed = g.opposed && channel.output % 2 == 0;
    const std::string n = std::to_string(channel.number);
    // Opposed: the output is active while the count is above, about the middle of the period.
    out.roles.push_back({"compare" + n, opposed ? best.period - channel.compare : channel.compare, channel.goal});
    out.roles.push_back({"output" + n, 1, ""});
    const bool idleHigh = g.restsHigh();
    out.roles.push_back({"idle" + n, idleHigh, "idle"});
    const bool inverted = g.activeLow != opposed;
    for (const std::string& side : g.pairs ? std::vector<std::string>{"", "n"} : std::vector<std::string>{""})
        if (const std::string role = "invert" + n + side; c.has(role))
            out.roles.push_back({role, inverted, opposed ? "phase" : "polarity"});
        else if (inverted && side.empty())
            out.achieved.push_back(
                {opposed ? "phase" : "polarity",
                 opposed ? "Phase" : "Polarity",
                 opposed ? "opposed" : "inverted",
                 opposed ? "together" : "normal",
                 std::nullopt,
                 false,
                 {},
                 formatIfNeeded(c, "{} cannot invert an output. {}", c.device.instances[c.bound.instance].name,
                                opposed ? say("Choose another timer, or use the same polarity for all.")
                                        : say("Choose another timer, or state the complement of the duty."))});
    if (g.pairs) {
        out.roles.push_back({"output" + n + "n", 1, "outputs"});
        out.roles.push_back({"idle" + n + "n", idleHigh, "idle"});
    }
}

/// From the moment at which the fault input becomes active: what is held back, and then the idle levels at once,
/// whatever the count.
Waveform::Band drawFault(const TuningContext& c, const PwmGoals& g, const Setting& setting, const Duration& period)
{
    const std::int64_t cycles = setting.role("fault_filter").value_or(0);
    const Duration filter = std::min(Duration(Rational(cycles) / c.kernel().rate.value), period);
    Waveform::Band band{say("fault"), {}};
    if (filter > Duration())
        band.parts.push_back({Duration(), filter, say("filtered, ") + format(filter, 3), false});
    if (filter < period)
        band.parts.push_back(
            {filter, period, say("outputs {} until start()", g.restsHigh() ? say("high") : "low"), true});
    return band;
}

void solveFault(const TuningContext& c, const PwmGoals& g, Setting& out)
{
    const Duration asked = g.faultFilter;
    const Rational fastest = shifted(c.kernel().rate, c.kernel().tolerance.high).value;
    const auto most = static_cast<std::int64_t>(c.maxCode("fault_filter"));
    const std::int64_t filter = std::min((asked.value * fastest).ceil(), most);
    const Duration got(Rational(filter) / c.kernel().rate.value);
    Achieved row{"fault_filter",
                 say("Fault filter"),
                 asked.value.isZero() ? "none" : "\u2265 " + formatIfNeeded(c, asked),
                 filter == 0 ? "none" : formatIfNeeded(c, got),
                 std::nullopt,
                 Rational(filter) >= asked.value * fastest,
                 {},
                 {}};
    if (!row.ok)
        row.trouble = formatIfNeeded(c, "the longest filter at {1} is {0}. Filter on the board, or use a slower clock.",
                                     formatIfNeeded(c, got), formatIfNeeded(c, c.kernel().rate));
    out.achieved.push_back(row);
    solveFaultSource(c, out);
    out.roles.push_back({"fault_enable", 1, "fault"});
    out.roles.push_back({"fault_high", g.fault == PwmGoals::Fault::ActiveHigh, "fault"});
    out.roles.push_back({"fault_filter", filter, "fault_filter"});
}

} // namespace

Setting solvePwm(const TuningContext& c)
{
    Setting out;
    const PwmGoals& g = goalsOf<PwmGoals>(c.need);
    const std::vector<TimerSetting> ways = waysTo(c, g.frequency, g.centre ? 2 : 1, g.steps, 4);
    if (ways.empty()) {
        out.notComputed =
            formatIfNeeded(c, "{} cannot be divided to {}; give {} a {} clock", formatIfNeeded(c, c.kernel().rate),
                           formatIfNeeded(c, g.frequency), c.kernelName(),
                           g.frequency.value * 4 > c.kernel().rate.value ? "faster" : "slower");
        return out;
    }
    const TimerSetting& best = ways.front();
    const Duration period = bindrel::period(best.frequency);

    addFrequency(c, g, best, out);
    out.roles = {{"centre", g.centre, "alignment"},
                 {"prescaler", best.prescaler, "frequency"},
                 {"period", best.period, "frequency"}};
    if (c.has("buffered"))
        out.roles.push_back({"buffered", 1, ""});
    if (c.has("hands_on") && isCounted(c))
        out.roles.push_back({"hands_on", 1, ""});

    DeadTimes dead;
    if (g.pairs)
        dead = solveDeadTimes(c, g, out);

    std::vector<Channel> channels;
    for (const Seat& seat : c.bound.seats) {
        if (seat.signal.channel < 0 || seat.signal.id.ends_with('n'))
            continue;
        Channel channel;
        channel.number = seat.channel;
        channel.output = seat.signal.channel + 1;
        channel.goal = "duty" + std::to_string(seat.signal.channel + 1);
        channel.highName = terminalOf(c.need, seat.signal.id, seat.signal.id);
        channel.lowName = terminalOf(c.need, seat.signal.id + "n", seat.signal.id + "n");
        const std::optional<Duration>& pulse = g.pulse[size_t(seat.signal.channel)];
        const std::optional<Voltage>& level = g.level[size_t(seat.signal.channel)];
        channel.wanted = pulse   ? Ratio(pulse->value * best.frequency.value)
                         : level ? Ratio(level->value / c.rates.supply.value)
                                 : g.duty[size_t(seat.signal.channel)];
        const bool longer = channel.wanted.value > Rational(1);
        if (longer)
            channel.wanted = Ratio(Rational(1));
        channel.compare = (channel.wanted.value * best.period).round();
        channel.achieved = Ratio(Rational(channel.compare, best.period));
        channels.push_back(channel);

        out.achieved.push_back(dutyRow(c, g, best, channel, longer, dead));
        if (channel.number > 0) // else no pad yet, so no channel
            setChannel(c, g, best, channel, out);
    }
    if (g.fault != PwmGoals::Fault::None)
        solveFault(c, g, out);
    using When = RoleValue::When;
    if (c.has("update"))
        out.roles.push_back({"update", 1, "", When::Event});
    out.roles.push_back({"on", 1, "", When::Start});
    if (c.has("outputs_enable"))
        out.roles.push_back({"outputs_enable", 1, "", When::Start});
    for (const TimerSetting& way : c.look ? ways : std::vector<TimerSetting>())
        c.look->alternatives.push_back({fmt::format("\u00f7{}, {}", way.prescaler, way.period),
                                        format(way.frequency),
                                        format(way.error, true) + ", " + bitsOf(way.period),
                                        {{"prescaler", way.prescaler}, {"period", way.period}}});
    if (c.look)
        c.look->ranking = say("the smallest error, then the finest duty");
    solveTrigger(c, g, best, out);
    solveServo(g, best, out);
    if (c.look)
        c.look->waveform = draw(channels, period, g, dead, best);
    if (c.look && g.fault != PwmGoals::Fault::None)
        c.look->waveform->bands.push_back(drawFault(c, g, out, period));
    return out;
}

} // namespace bindrel
