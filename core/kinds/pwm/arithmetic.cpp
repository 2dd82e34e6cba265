// SPDX-License-Identifier: GPL-3.0-or-later
// PWM: prescaler and period from the frequency, compares from the duties, dead time and fault filter in kernel cycles.
//
// Edge aligned, one period is PRE x TOP kernel cycles; centre aligned the counter runs up and down, 2 x PRE x TOP.
// A larger TOP gives finer duties, a suitable PRE can meet the frequency exactly; the best way is the one with the least
// error among those with enough duty steps, and the finer of two as good.
#include "core/kinds/common/division.h"
#include "core/kinds/pwm/pwm.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace bindrel {

namespace {

struct Way {
    std::int64_t prescaler = 1;
    std::int64_t period = 1; ///< TOP, in prescaled ticks
    Frequency frequency;
    Ppm error;
};

Frequency frequencyOfWay(const Frequency& kernel, std::int64_t prescaler, std::int64_t period, int slopes)
{
    return Frequency(kernel.value / (Rational(prescaler) * period * slopes));
}

/// Those nearest to the wanted frequency with enough duty steps, best first; where none has enough, those nearest all the same.
std::vector<Way> waysTo(const TuningContext& c, const Frequency& wanted, int slopes, std::int64_t steps, std::size_t most)
{
    const Rational ticks = c.kernel().rate.value / (wanted.value * slopes);
    std::vector<Way> out;
    if (!ticks.defined() || ticks < Rational(2))
        return out;
    DividedBy divider{"prescaler", "period", std::max<std::int64_t>(steps, 2), DividedBy::Error::OfRate};
    std::vector<Division> divisions = divisionsNear(c, ticks, divider, most);
    divider.leastCount = 2;
    // Fewer steps than asked for are told of; a frequency that is far off is worse.
    if (divisions.empty() || Rational(divisions.front().prescaler) * divisions.front().count > ticks * 2)
        divisions = divisionsNear(c, ticks, divider, most);
    for (const Division& division : divisions) {
        Way way{division.prescaler, division.count, frequencyOfWay(c.kernel().rate, division.prescaler, division.count, slopes), {}};
        way.error = errorOf(way.frequency, wanted);
        out.push_back(way);
    }
    return out;
}

std::string bitsOf(std::int64_t steps) { return fmt::format("{:.1f} bit", std::log2(static_cast<double>(steps))); }

struct Channel {
    int number = 0; ///< of the timer
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

/// One period of the outputs. `dead` shortens the beginning of each active phase of a pair.
Waveform draw(const std::vector<Channel>& channels, const Duration& period, bool centre, const Duration& dead, bool pairs, const Way& way)
{
    Waveform wave;
    wave.title = "one period as it will be";
    wave.span = period;
    Waveform::Ramp ramp{"count", {}, {}};
    if (centre)
        ramp.points = {{Duration(Rational(0)), 0}, {period / 2, 1}, {period, 0}};
    else
        ramp.points = {{Duration(Rational(0)), 0}, {period, 1}, {period, 0}};
    for (size_t i = 0; i < channels.size(); ++i) {
        const Channel& channel = channels[i];
        ramp.levels.emplace_back(fmt::format("{} of {}", channel.compare, way.period), Rational(channel.compare, way.period));
        const Rational on = period.value * channel.achieved.value;
        // Active while the count is below the compare value.
        Waveform::Trace high{channel.highName, !on.isZero(), {}};
        Waveform::Trace low{channel.lowName, on.isZero(), {}};
        const Rational fall = centre ? on / 2 : on;
        const Rational again = period.value - on / 2;
        const int traceHigh = static_cast<int>(wave.traces.size());
        const bool switches = on > Rational(0) && on < period.value;
        if (switches) {
            high.edges.push_back({Duration(fall), false});
            low.edges.push_back({Duration(fall + dead.value), true});
            if (centre) {
                low.edges.push_back({Duration(again), false});
                high.edges.push_back({Duration(again + (pairs ? dead.value : Rational(0))), true});
            } else {
                high.high = !pairs || dead.value.isZero();
                if (!high.high)
                    high.edges.insert(high.edges.begin(), {dead, true});
            }
        }
        wave.traces.push_back(high);
        if (!pairs)
            continue;
        wave.traces.push_back(low);
        if (switches) {
            wave.marks.push_back({Duration(fall), Duration(fall + dead.value), traceHigh, "dead " + format(dead), true});
            const Rational back = centre ? again : Rational(0);
            wave.marks.push_back({Duration(back), Duration(back + dead.value), traceHigh, "", true});
        }
    }
    wave.ramp = ramp;
    return wave;
}

} // namespace

Setting solvePwm(const TuningContext& c)
{
    Setting out;
    const PwmGoals g = PwmGoals::of(c.need);
    const Frequency wanted = g.frequency;
    const bool centre = g.centre, pairs = g.pairs;
    const int slopes = centre ? 2 : 1;
    const std::int64_t steps = g.steps;
    const std::vector<Way> ways = waysTo(c, wanted, slopes, steps, 4);
    if (ways.empty()) {
        out.notComputed = fmt::format("{} cannot be divided to {}; give {} a {} clock", format(c.kernel().rate), format(wanted), c.kernelName(),
                                      wanted.value * 4 > c.kernel().rate.value ? "faster" : "slower");
        return out;
    }
    const Way& best = ways.front();
    const Duration period = bindrel::period(best.frequency);

    Achieved frequency{"frequency", "Frequency", format(wanted), format(best.frequency), best.error, best.error.value.abs() <= Rational(10'000), {}, {}};
    frequency.formula = centre ? fmt::format("{} / (2 \u00d7 {} \u00d7 {})", format(c.kernel().rate), best.prescaler, best.period)
                               : fmt::format("{} / ({} \u00d7 {})", format(c.kernel().rate), best.prescaler, best.period);
    if (!frequency.ok)
        frequency.trouble = fmt::format("the nearest frequency is {} off. Choose another clock for {}.", format(best.error, true), c.kernelName());
    out.achieved.push_back(frequency);
    out.achieved.push_back({"steps", "Duty steps", "\u2265 " + std::to_string(steps), fmt::format("{} ({})", best.period, bitsOf(best.period)), std::nullopt,
                            best.period >= steps, {},
                            best.period >= steps ? "" : fmt::format("{} allows {} duty steps at {}, fewer than the {} asked for. Use a faster clock or a lower frequency.",
                                                                     format(c.kernel().rate), best.period, format(wanted), steps)});

    out.roles = {{"centre", centre, "alignment"}, {"prescaler", best.prescaler, "frequency"}, {"period", best.period, "frequency"}};
    if (c.has("buffered"))
        out.roles.push_back({"buffered", 1, ""});

    Duration dead;
    if (pairs) {
        const Duration asked = g.dead;
        const Rational ideal = asked.value * c.kernel().rate.value;
        const std::int64_t least = ideal.defined() ? ideal.ceil() : INT32_MAX;
        const Encoding& encoding = c.encoding("dead_time");
        const auto ticks = encoding.atLeast(least, c.maxCode("dead_time"));
        const std::int64_t used = ticks.value_or(encoding.largest(c.maxCode("dead_time")));
        dead = Duration(Rational(used) / c.kernel().rate.value);
        Achieved row{"dead", "Dead time", "\u2265 " + format(asked), format(dead), asked.value.isZero() ? std::optional<Ppm>() : errorOf(dead, asked), ticks.has_value(),
                     fmt::format("{} / {}", used, format(c.kernel().rate)), {}};
        if (!row.ok)
            row.trouble = fmt::format("{} is out of reach: the longest at {} is {}. The bridge could shoot through; use a slower clock for {}.", format(asked),
                                      format(c.kernel().rate), format(dead), c.kernelName());
        out.achieved.push_back(row);
        out.roles.push_back({"dead_time", used, "dead"});
    }

    std::vector<Channel> channels;
    for (const Seat& seat : c.bound.seats) {
        if (seat.signal.channel < 0 || seat.signal.id.ends_with('n'))
            continue;
        Channel channel;
        channel.number = seat.channel;
        channel.goal = "duty" + std::to_string(seat.signal.channel + 1);
        channel.highName = terminalOf(c.need, seat.signal.id, seat.signal.id);
        channel.lowName = terminalOf(c.need, seat.signal.id + "n", seat.signal.id + "n");
        const std::optional<Duration>& pulse = g.pulse[size_t(seat.signal.channel)];
        channel.wanted = pulse ? Ratio(pulse->value * best.frequency.value) : g.duty[size_t(seat.signal.channel)];
        const bool longer = channel.wanted.value > Rational(1);
        if (longer)
            channel.wanted = Ratio(Rational(1));
        channel.compare = (channel.wanted.value * best.period).round();
        channel.achieved = Ratio(Rational(channel.compare, best.period));
        channels.push_back(channel);

        Achieved row{channel.goal, "Duty " + channel.goal.substr(4), format(channel.wanted), format(channel.achieved), std::nullopt, true,
                     fmt::format("{} / {}", channel.compare, best.period), {}};
        if (pulse) {
            const Duration got(channel.achieved.value * period.value);
            row.wanted = format(*pulse);
            row.achieved = format(got);
            if (!pulse->value.isZero())
                row.error = errorOf(got, *pulse);
            row.ok = !longer && (pulse->value.isZero() || row.error->value.abs() <= Rational(50'000));
            if (longer)
                row.trouble = fmt::format("a period lasts {} and no longer. Ask for a shorter pulse or a lower frequency.", format(period));
            else if (!row.ok)
                row.trouble = fmt::format("a tick is {}, too coarse for it. Ask for more duty steps, or use a faster clock.", format(Duration(Rational(best.prescaler) * slopes / c.kernel().rate.value)));
        }
        const Rational on = period.value * channel.achieved.value;
        const Rational shortest = std::min(on, period.value - on, [](const Rational& a, const Rational& b) { return a < b; });
        if (pairs && shortest > Rational(0) && shortest <= dead.value) {
            row.ok = false;
            row.trouble = fmt::format("the shorter side is on for {}, no longer than the dead time of {}: it would never switch on. Change the duty or the dead time.",
                                      format(Duration(shortest)), format(dead));
        }
        out.achieved.push_back(row);
        if (channel.number <= 0)
            continue; // no pad yet, so no channel
        const std::string n = std::to_string(channel.number);
        out.roles.push_back({"compare" + n, channel.compare, channel.goal});
        out.roles.push_back({"output" + n, 1, ""});
        const bool idleHigh = g.idleHigh;
        out.roles.push_back({"idle" + n, idleHigh, "idle"});
        if (pairs) {
            out.roles.push_back({"output" + n + "n", 1, "outputs"});
            out.roles.push_back({"idle" + n + "n", idleHigh, "idle"});
        }
    }
    if (g.fault != PwmGoals::Fault::None) {
        const Duration asked = g.faultFilter;
        const Rational ideal = asked.value * c.kernel().rate.value;
        const auto most = static_cast<std::int64_t>(c.maxCode("fault_filter"));
        const std::int64_t filter = ideal.defined() ? std::min(ideal.ceil(), most) : most;
        const Duration got(Rational(filter) / c.kernel().rate.value);
        Achieved row{"fault_filter", "Fault filter", "\u2265 " + format(asked), format(got), std::nullopt, got >= asked, {}, {}};
        if (!row.ok)
            row.trouble = fmt::format("the filter reaches {} at {}. Filter on the board, or use a slower clock.", format(got), format(c.kernel().rate));
        out.achieved.push_back(row);
        out.roles.push_back({"fault_enable", 1, "fault"});
        out.roles.push_back({"fault_high", g.fault == PwmGoals::Fault::ActiveHigh, "fault"});
        out.roles.push_back({"fault_filter", filter, "fault_filter"});
    }
    using When = RoleValue::When;
    if (c.has("update"))
        out.roles.push_back({"update", 1, "", When::Event});
    out.roles.push_back({"on", 1, "", When::Start});
    if (c.has("outputs_enable"))
        out.roles.push_back({"outputs_enable", 1, "", When::Start});
    for (const Way& way : ways)
        out.otherWays.push_back({fmt::format("\u00f7{}, {}", way.prescaler, way.period), format(way.frequency), format(way.error, true) + ", " + bitsOf(way.period)});
    out.waveform = draw(channels, period, centre, dead, pairs, best);
    return out;
}

} // namespace bindrel
