// SPDX-License-Identifier: GPL-3.0-or-later
// I2C controller timing, after the I2C-bus specification (UM10204), table "Characteristics of the SDA and SCL bus
// lines".
//
// One SCL period on the wire is
//     LOW x PRE / f  +  rise  +  (SYNC + FILTER) / f  +  HIGH x PRE / f
// since the controller starts to count the high phase when it has seen the line rise. The low phase on the wire is
// shorter than the counted one by the fall time. A controller can make both phases from one number N: LOW and HIGH are
// then fixed multiples of it. Both phase minima of the speed class must hold, and the rate must not
// be exceeded; the remaining time goes to the low phase first, whose minimum is the tighter one in practice.
#include "core/base/say.h"
#include "core/kinds/i2c/i2c.h"
#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

struct SpeedClass {
    const char* name;
    Frequency most;
    Duration low, high;  ///< tLOW, tHIGH minima
    Duration rise, fall; ///< tr, tf maxima
    Duration setup;      ///< tSU;DAT minimum
    Duration hold;       ///< what a transmitter must bridge of the clock's fall, note 3 to tHD;DAT
};

const SpeedClass& classOf(I2cSpeed speed)
{
    static const SpeedClass all[]{
        {"standard", Frequency(Rational(100'000)), nanoseconds(4700), nanoseconds(4000), nanoseconds(1000),
         nanoseconds(300), nanoseconds(250), nanoseconds(300)},
        {"fast", Frequency(Rational(400'000)), nanoseconds(1300), nanoseconds(600), nanoseconds(300), nanoseconds(300),
         nanoseconds(100), nanoseconds(300)},
        {"fast plus", Frequency(Rational(1'000'000)), nanoseconds(500), nanoseconds(260), nanoseconds(120),
         nanoseconds(120), nanoseconds(50), nanoseconds(120)},
    };
    return all[size_t(speed)];
}

struct Phases {
    std::int64_t prescaler = 0, low = 0, high = 0; ///< phases in ticks
    std::int64_t count = 0;                        ///< of a controller that makes both phases from one number
};

struct Wants {
    Rational rate, riseFall, fall, sync; ///< SCL limit in Hz; times in seconds
    Rational lowMin, highMin;
};

/// The smallest value of a role that is at least so much; of one that is set by hand that value, where it is.
std::optional<std::int64_t> valueAtLeast(const TuningContext& c, bool heeds, const char* role, std::int64_t least)
{
    if (const std::optional<std::int64_t> only = heeds ? c.byHand(role) : std::nullopt)
        return *only >= least ? only : std::nullopt;
    return c.encoding(role).atLeast(least, c.maxCode(role));
}

/// Both phases from one number: the smallest count that keeps both minima and the rate.
std::optional<Phases> fitOneCount(const TuningContext& c, const Wants& w, std::int64_t prescaler, bool heeds)
{
    const std::int64_t lowTicks = std::max<std::int64_t>(1, c.device.ability(c.bound.instance, "low_ticks", 1));
    const std::int64_t highTicks = std::max<std::int64_t>(1, c.device.ability(c.bound.instance, "high_ticks", 1));
    const Rational tick = Rational(prescaler) / c.kernel().rate.value;
    const std::int64_t least =
        std::max({std::int64_t(1), ((w.lowMin + w.fall) / (tick * lowTicks)).ceil(),
                  ((w.highMin - w.sync) / (tick * highTicks)).ceil(),
                  ((Rational(1) / w.rate - w.sync - w.riseFall) / (tick * (lowTicks + highTicks))).ceil()});
    const std::optional<std::int64_t> count = valueAtLeast(c, heeds, "phases", least);
    if (!count)
        return std::nullopt;
    return Phases{prescaler, *count * lowTicks, *count * highTicks, *count};
}

/// The finest prescaler from `from` on at which both counts fit; 0 when none does. `heeds`: what is set by hand.
Phases fitPhases(const TuningContext& c, const Wants& w, bool heeds, std::int64_t from = 1)
{
    const Rational f = c.kernel().rate.value;
    const bool one = c.has("phases");
    const std::int64_t lowMax = c.encoding("low").largest(c.maxCode("low"));
    const std::int64_t highMax = c.encoding("high").largest(c.maxCode("high"));
    // A controller without a prescaler counts its clock as it is.
    const bool scales = c.has("prescaler");
    const auto next = [&](std::int64_t least) {
        return scales       ? valueAtLeast(c, heeds, "prescaler", least)
               : least == 1 ? std::optional<std::int64_t>(1)
                            : std::nullopt;
    };
    for (std::optional<std::int64_t> pre = next(from); pre && *pre > 0; pre = next(*pre + 1)) {
        if (one) {
            if (const std::optional<Phases> found = fitOneCount(c, w, *pre, heeds))
                return *found;
            continue;
        }
        const Rational tick = Rational(*pre) / f;
        const std::int64_t lowLeast = std::max<std::int64_t>(1, ((w.lowMin + w.fall) / tick).ceil());
        const std::int64_t highLeast = std::max<std::int64_t>(1, ((w.highMin - w.sync) / tick).ceil());
        std::int64_t low = lowLeast, high = highLeast;
        const auto spareFor = [&](std::int64_t both) {
            const Rational spare = Rational(1) / w.rate - (tick * both + w.sync + w.riseFall);
            return spare > Rational(0) ? (spare / tick).ceil() : 0;
        };
        const std::optional<std::int64_t> onlyLow = heeds ? c.byHand("low") : std::nullopt,
                                          onlyHigh = heeds ? c.byHand("high") : std::nullopt;
        if (onlyLow || onlyHigh) {
            // What is not set by hand makes up for the time that the rate asks for.
            low = onlyLow.value_or(low);
            high = onlyHigh.value_or(high);
            const std::int64_t more = spareFor(low + high);
            (onlyLow ? high : low) += onlyLow && onlyHigh ? 0 : more;
            if (low < lowLeast || high < highLeast || (onlyLow && onlyHigh && more > 0))
                continue;
        } else {
            const std::int64_t more = spareFor(low + high);
            low += (more + 1) / 2;
            high += more / 2;
        }
        if (low > lowMax || high > highMax)
            continue;
        const std::optional<std::int64_t> lowCount = valueAtLeast(c, heeds, "low", low),
                                          highCount = valueAtLeast(c, heeds, "high", high);
        if (lowCount && highCount)
            return {*pre, *lowCount, *highCount};
    }
    return {};
}

/// One SCL period on the wire.
Duration periodOf(const TuningContext& c, const Wants& w, const Phases& p)
{
    return Duration(Rational(p.prescaler) / c.kernel().rate.value * (p.low + p.high) + w.sync + w.riseFall);
}

/// What the arithmetic takes, and the next coarser prescalers.
void listAlternatives(const TuningContext& c, const Wants& w, const Frequency& wanted)
{
    constexpr std::size_t kShown = 4;
    c.look->ranking = say("the finest prescaler at which both phases fit their counters");
    for (Phases p = fitPhases(c, w, false); p.prescaler > 0 && c.look->alternatives.size() < kShown;
         p = fitPhases(c, w, false, p.prescaler + 1)) {
        const Frequency rate = frequencyOf(periodOf(c, w, p));
        std::vector<std::pair<std::string, std::int64_t>> roles;
        if (c.has("prescaler"))
            roles.emplace_back("prescaler", p.prescaler);
        if (c.has("phases"))
            roles.emplace_back("phases", p.count);
        else
            roles.insert(roles.end(), {{"low", p.low}, {"high", p.high}});
        c.look->alternatives.push_back({say("\u00f7{}, {} low, {} high", p.prescaler, p.low, p.high), format(rate),
                                        format(errorOf(rate, wanted), true), std::move(roles)});
    }
}

} // namespace

/// A target follows the controller's clock: what is its own is the filter, the hold of its data, and the address.
static Setting solveTarget(const TuningContext& c, const I2cGoals& g)
{
    Setting out;
    const std::string& name = c.device.instances[c.bound.instance].name;
    for (const char* role : {"target", "own_address", "called", "byte_came", "byte_wanted", "ended"})
        if (!c.has(role)) {
            out.notComputed =
                formatIfNeeded(c, "{} is controller only and cannot be a target; choose another instance", name);
            return out;
        }
    const SpeedClass& speed = classOf(g.speed);
    const Rational fastest = shifted(c.kernel().rate, c.kernel().tolerance.high).value;
    const std::int64_t filter = std::min<std::int64_t>((g.spike.value * fastest).ceil(), c.maxCode("filter"));
    const std::int64_t hold = std::min<std::int64_t>((speed.hold.value * fastest).ceil(), c.maxCode("hold"));
    out.achieved.push_back(
        {"role", "Role", "target", formatIfNeeded(c, "target 0x{:02X}", g.address), std::nullopt, true, {}, {}});
    Achieved all{"general_call",
                 say("General call"),
                 g.generalCall ? "yes" : "no",
                 g.generalCall && c.has("general_call") ? "yes" : "no",
                 std::nullopt,
                 !g.generalCall || c.has("general_call"),
                 {},
                 {}};
    if (!all.ok)
        all.trouble = formatIfNeeded(c, "{} answers only to its own address.", name);
    out.achieved.push_back(all);
    const Duration filtered(Rational(filter) / c.kernel().rate.value);
    out.achieved.push_back({"filter",
                            say("Spike filter"),
                            "\u2265 " + formatIfNeeded(c, g.spike),
                            formatIfNeeded(c, filtered),
                            std::nullopt,
                            filter == (g.spike.value * fastest).ceil(),
                            {},
                            filter == (g.spike.value * fastest).ceil()
                                ? ""
                                : formatIfNeeded(c, "the longest filter at this clock is {}. Give {} a slower clock.",
                                                 formatIfNeeded(c, filtered), c.kernelName())});
    out.roles = {{"filter", filter, "filter"},
                 {"hold", hold, "class"},
                 {"own_address", g.address, "address"},
                 {"target", 1, "role"},
                 {"on", 1, ""}};
    if (c.has("general_call"))
        out.roles.push_back({"general_call", g.generalCall, "general_call"});
    if (g.interrupts)
        out.events.push_back(
            {"event",
             "target_interrupt",
             "",
             "bus",
             say("Called by the interrupt on bus events for this target: poll for events until there are none."),
             {},
             false});
    addDmaRoles(out, c);
    return out;
}

namespace {

/// SCL against the class and what was asked for. `sync`: how much later an edge is seen.
Achieved sclRow(const TuningContext& c, const I2cGoals& g, const Phases& p, const Rational& sync, const Duration& cycle)
{
    const SpeedClass& speed = classOf(g.speed);
    const Frequency wanted = g.most;
    const Duration rise = g.rise;
    const Frequency rate = frequencyOf(cycle);
    Achieved scl{
        "rate", say("SCL"), formatIfNeeded(c, wanted), formatIfNeeded(c, rate), errorOf(rate, wanted), rate <= wanted,
        {},     {}};
    scl.formula =
        formatIfNeeded(c, "1 / (({} + {}) \u00d7 {} / {} + {} seen late + {} rise)", p.low, p.high, p.prescaler,
                       formatIfNeeded(c, c.kernel().rate), formatIfNeeded(c, Duration(sync)), formatIfNeeded(c, rise));
    if (wanted > speed.most) {
        scl.ok = false;
        scl.trouble = formatIfNeeded(
            c, "{} mode permits at most {}. Choose a faster class if every device on the bus supports it.", speed.name,
            formatIfNeeded(c, speed.most));
    } else if (isFarBelow(rate, wanted)) {
        scl.ok = false;
        scl.trouble =
            formatIfNeeded(c,
                           "the phase minima of {} mode, with these rise and fall times and the counts of {}, allow "
                           "only {}. Give {} a faster clock, choose another class, or lower the goal.",
                           speed.name, formatIfNeeded(c, c.kernel().rate), formatIfNeeded(c, rate), c.kernelName());
    }
    return scl;
}

/// What is asked of the edges on the bus: their rise, and spikes that the filter takes away.
void tellEdges(const TuningContext& c, const I2cGoals& g, std::int64_t filter, const Rational& fastest, Setting& out)
{
    const SpeedClass& speed = classOf(g.speed);
    const Duration rise = g.rise, spike = g.spike;
    Achieved riseRow{"rise",
                     say("Rise time"),
                     "\u2264 " + formatIfNeeded(c, speed.rise),
                     formatIfNeeded(c, rise),
                     std::nullopt,
                     rise <= speed.rise,
                     {},
                     {}};
    if (!riseRow.ok)
        riseRow.trouble = formatIfNeeded(c, "{} mode permits a rise time of at most {}. Use smaller pull-up resistors.",
                                         speed.name, formatIfNeeded(c, speed.rise));
    out.achieved.push_back(riseRow);
    const Duration filtered(Rational(filter) / c.kernel().rate.value);
    Achieved filterRow{"filter",
                       say("Spike filter"),
                       "\u2265 " + formatIfNeeded(c, spike),
                       formatIfNeeded(c, filtered),
                       std::nullopt,
                       filtered >= spike || filter == (spike.value * fastest).ceil(),
                       {},
                       {}};
    if (!filterRow.ok)
        filterRow.trouble = formatIfNeeded(c, "the longest filter at this clock is {}. Give {} a slower clock.",
                                           formatIfNeeded(c, filtered), c.kernelName());
    out.achieved.push_back(filterRow);
}

/// Two clocks of one byte, with what the bus specification asks for at least.
Waveform drawClocks(const I2cGoals& g, const Duration& low, const Duration& cycle, const Duration& held)
{
    const SpeedClass& speed = classOf(g.speed);
    const Duration rise = g.rise, fall = g.fall;
    Waveform wave;
    wave.title = say("two clocks of one byte");
    wave.span = cycle * 2;
    const Rational half = cycle.value / 4;
    Waveform::Trace clock{"SCL", true, {}};
    for (int i = 0; i < 2; ++i) {
        const Rational start = half + cycle.value * i;
        clock.edges.push_back({Duration(start), false});
        clock.edges.push_back({Duration(start + low.value + fall.value), true});
        wave.marks.push_back(
            {Duration(start), Duration(start + fall.value + low.value), 0, say("low ") + format(low, 3), i == 0});
    }
    // What the bus specification asks for at least, on the second clock, beside what it is.
    const Rational second = half + cycle.value, risen = second + fall.value + low.value;
    for (const auto& [from, least, name] : {std::tuple{second + fall.value, speed.low, say("least low ")},
                                            {risen + rise.value, speed.high, say("least high ")}})
        if (const Duration end(from + least.value); end < wave.span)
            wave.marks.push_back({end, end, 0, name + format(least, 3), false});
    wave.marks.push_back({Duration(risen), Duration(risen + rise.value), 0, say("rise ") + format(rise, 3), true});
    Waveform::Trace data{"SDA", true, {}};
    for (int i = 0; i < 2; ++i)
        data.edges.push_back({Duration(half + cycle.value * i + held.value), i == 1});
    wave.marks.push_back({Duration(half), Duration(half + held.value), 1, say("hold ") + format(held, 3), true});
    wave.traces = {clock, data};
    wave.handles = {{"rate", Duration(half) + cycle, Duration(half), Waveform::Handle::States::Rate, 1, 0}};
    return wave;
}

} // namespace

Setting solveI2c(const TuningContext& c)
{
    Setting out;
    const I2cGoals& g = goalsOf<I2cGoals>(c.need);
    if (g.target)
        return solveTarget(c, g);
    const Frequency wanted = g.most;
    const SpeedClass& speed = classOf(g.speed);
    const Duration rise = g.rise, fall = g.fall, spike = g.spike;
    const Rational f = c.kernel().rate.value;
    // The clock may run fast within its tolerance, and the minima must hold even then.
    const Rational fastest = shifted(c.kernel().rate, c.kernel().tolerance.high).value;

    const auto filterMax = static_cast<std::int64_t>(c.maxCode("filter"));
    const std::int64_t filter = std::min((spike.value * fastest).ceil(), filterMax);
    const Rational sync = Rational(c.device.ability(c.bound.instance, "sync_cycles", 0) + filter) / f;
    const Rational margin = fastest / f;
    const Frequency limit = std::min(wanted, speed.most, [](const Frequency& a, const Frequency& b) { return a < b; });
    Wants wants{limit.value / margin,     rise.value, fall.value, sync, speed.low.value * margin,
                speed.high.value * margin};
    Phases p = fitPhases(c, wants, true);
    if (p.prescaler == 0)
        p = fitPhases(c, wants, false);
    if (p.prescaler == 0 || !wants.rate.defined()) {
        out.notComputed = formatIfNeeded(c, "{} is too fast to divide down to {}; give {} a slower clock",
                                         formatIfNeeded(c, c.kernel().rate), formatIfNeeded(c, wanted), c.kernelName());
        return out;
    }
    const Rational tick = Rational(p.prescaler) / f;
    const Duration low(tick * p.low - fall.value);
    const Duration high(tick * p.high + sync);
    const Duration cycle = periodOf(c, wants, p);
    const std::int64_t hold = std::min<std::int64_t>((speed.hold.value * fastest).ceil(), c.maxCode("hold"));
    const Duration setup(tick * p.low - rise.value - Rational(hold) / f);

    const auto phase = [&](const char* goal, const char* title, const Duration& got, const Duration& least,
                           const std::string& formula) {
        Achieved row{goal,
                     title,
                     "\u2265 " + formatIfNeeded(c, least),
                     formatIfNeeded(c, got),
                     std::nullopt,
                     got >= least,
                     formula,
                     {},
                     true};
        if (!row.ok)
            row.trouble = formatIfNeeded(c, "{} is {}, less than the {} of {} mode. Give {} a faster clock.", title,
                                         formatIfNeeded(c, got), formatIfNeeded(c, least), speed.name, c.kernelName());
        out.achieved.push_back(row);
    };
    out.achieved.push_back(sclRow(c, g, p, sync, cycle));
    phase("class", say("Low phase"), low, speed.low,
          formatIfNeeded(c, "{} \u00d7 {} / {} - {}", p.low, p.prescaler, formatIfNeeded(c, c.kernel().rate),
                         formatIfNeeded(c, fall)));
    phase("class", say("High phase"), high, speed.high,
          formatIfNeeded(c, "{} \u00d7 {} / {} + {}", p.high, p.prescaler, formatIfNeeded(c, c.kernel().rate),
                         formatIfNeeded(c, Duration(sync))));
    phase("class", say("Data set-up"), setup, speed.setup,
          formatIfNeeded(c, "low - rise - {} / {}", hold, formatIfNeeded(c, c.kernel().rate)));
    tellEdges(c, g, filter, fastest, out);
    out.roles = {{"filter", filter, "filter"}, {"hold", hold, "class"}, {"on", 1, ""}};
    if (c.has("phases")) {
        out.roles.push_back({"phases", p.count, "rate"});
    } else {
        out.roles.push_back({"low", p.low, "rate"});
        out.roles.push_back({"high", p.high, "rate"});
    }
    if (c.has("target"))
        out.roles.push_back({"target", 0, "role"});
    addDmaRoles(out, c);
    if (c.has("prescaler"))
        out.roles.push_back({"prescaler", p.prescaler, "rate"});

    if (c.look) {
        listAlternatives(c, wants, wanted);
        c.look->waveform = drawClocks(g, low, cycle, Duration(Rational(hold) / f));
    }
    return out;
}

} // namespace bindrel
