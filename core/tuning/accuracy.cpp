// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tuning/accuracy.h"

#include "core/quantity/format.h"
#include "core/quantity/parse.h"
#include "core/tuning/can_timing.h"

#include <fmt/format.h>

#include <charconv>

namespace bindrel {

namespace {

std::string plusMinus(const Ppm& off) { return "\u00b1" + format(off); }

Ppm worstOf(const TuningContext& c) { return c.kernel().tolerance.worst(); }

/// "5 ms may be 4.95 ms to 5.05 ms": a time counted in periods of the clock.
std::string spread(const TuningContext& c, const Duration& nominal)
{
    const Tolerance& t = c.kernel().tolerance;
    const Duration shortest(nominal.value / (Rational(1) + t.high.value / 1'000'000));
    const Duration longest(nominal.value / (Rational(1) + t.low.value / 1'000'000));
    if (shortest == longest)
        return {};
    // Enough digits for the two to differ.
    const int digits = worstOf(c).value < Rational(100) ? 8 : 5;
    return fmt::format("{} may be {} to {}", format(nominal), format(shortest, digits), format(longest, digits));
}

Accuracy usbAccuracy(const TuningContext& c)
{
    const bool full = goalText(c.need, "speed") == "full";
    const Frequency wanted = megahertz(48);
    Accuracy out;
    out.rate = wanted;
    out.allowed = Ppm(full ? 2'500 : 15'000);
    out.given = Ppm(errorOf(c.kernel().rate, wanted).value.abs() + worstOf(c).value);
    out.asks = fmt::format("48 MHz {}", plusMinus(*out.allowed));
    out.effect = fmt::format("{} data rate, {} speed", plusMinus(out.given), full ? "full" : "low");
    return out;
}

/// What is led out is meant for an instrument or another chip: a per cent tells one rate from the next.
Accuracy outputAccuracy(const TuningContext& c)
{
    Accuracy out;
    out.given = worstOf(c);
    const Expected<Frequency> wanted = parseFrequency(goalText(c.need, "rate"));
    if (!wanted)
        return out;
    out.rate = *wanted;
    out.allowed = Ppm(10'000);
    out.stated = c.need.goals.contains("rate");
    out.given = Ppm(errorOf(c.kernel().rate, *wanted).value.abs() + worstOf(c).value);
    out.asks = fmt::format("{} {}", format(*wanted), plusMinus(*out.allowed));
    out.effect = fmt::format("{} {} at the pad", format(c.kernel().rate), format(c.kernel().tolerance));
    return out;
}

Accuracy canAccuracy(const TuningContext& c)
{
    const Expected<Frequency> wanted = parseFrequency(goalText(c.need, "rate"));
    const Expected<Ratio> sample = parseRatio(goalText(c.need, "sample"));
    std::int64_t jump = 1;
    const std::string jumpText = goalText(c.need, "jump");
    std::from_chars(jumpText.data(), jumpText.data() + jumpText.size(), jump);
    const auto most = [&c](std::string_view role) { return c.has(role) ? c.encoding(role).largest(c.maxCode(role)) : 0; };
    const CanFields fields{most("prescaler"), most("propagation"), most("segment1"), most("segment2"), most("jump")};
    Accuracy out;
    out.given = worstOf(c);
    if (!wanted || !sample)
        return out;
    const std::optional<CanTiming> timing = bestCanTiming(c.kernel().rate, *wanted, *sample, jump, fields);
    if (!timing) {
        out.asks = formatBaud(*wanted);
        out.trouble = fmt::format("{} at {} cannot be split into a bit of {}: it must give 8 to {} quanta a bit with a prescaler of at most {}.", c.kernelName(),
                                  format(c.kernel().rate), formatBaud(*wanted), 1 + fields.propagation + fields.segment1 + fields.segment2, fields.prescaler);
        return out;
    }
    out.given = Ppm(timing->error.value.abs() + worstOf(c).value);
    out.allowed = timing->tolerance();
    out.asks = fmt::format("{} with {} quanta a bit, jump {}: {}", formatBaud(*wanted), timing->quanta(), timing->jump, plusMinus(*out.allowed));
    out.effect = fmt::format("{}, sample at {}", formatBaud(timing->rate), format(timing->samplePoint()));
    return out;
}

Accuracy rtcAccuracy(const TuningContext& c)
{
    Accuracy out;
    out.given = worstOf(c);
    out.stated = c.need.goals.contains("drift");
    if (const Expected<Ppm> drift = parsePpm(goalText(c.need, "drift")))
        out.allowed = *drift;
    out.asks = out.allowed ? fmt::format("{}, {} a month", plusMinus(*out.allowed), format(driftPerMonth(*out.allowed), 3)) : std::string();
    out.effect = fmt::format("up to {} a month", format(driftPerMonth(out.given), 3));
    return out;
}

Accuracy timeAccuracy(const TuningContext& c)
{
    Accuracy out;
    out.given = worstOf(c);
    if (const Expected<Duration> period = parseDuration(goalText(c.need, "period")))
        out.effect = spread(c, *period);
    return out;
}

/// Nothing is demanded, and all that is timed is off alike.
Accuracy passedOn(const TuningContext& c, const char* what)
{
    Accuracy out;
    out.given = worstOf(c);
    if (!out.given.value.isZero())
        out.effect = fmt::format("{} {}", what, plusMinus(out.given));
    return out;
}
Accuracy pwmAccuracy(const TuningContext& c) { return passedOn(c, "frequency and times"); }
Accuracy measureAccuracy(const TuningContext& c) { return passedOn(c, "times are read"); }

struct Judge {
    const char* kind;
    Accuracy (*judge)(const TuningContext& context);
};
constexpr Judge kJudges[]{{"usb", usbAccuracy},      {"can", canAccuracy},   {"uart", uartAccuracy},      {"rtc", rtcAccuracy},  {"clockout", outputAccuracy},
                          {"watchdog", timeAccuracy}, {"interval", timeAccuracy}, {"pwm", pwmAccuracy}, {"capture", measureAccuracy}};

/// The clocks that one can come from, by way of any selects.
std::vector<bool> sourcesOf(const Device& device, int clock)
{
    std::vector<bool> out(device.clocks.size(), false);
    out[size_t(clock)] = true;
    // Inputs stand before what comes from them.
    for (int i = clock; i >= 0; --i)
        if (out[size_t(i)])
            for (const ClockInput& input : device.clocks[size_t(i)].inputs)
                if (input.node >= 0)
                    out[size_t(input.node)] = true;
    return out;
}

} // namespace

Duration driftPerMonth(const Ppm& off) { return Duration(off.value.abs() / 1'000'000 * 2'629'746); }

std::vector<Accuracy> accuracyOf(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates)
{
    std::vector<Accuracy> out(plan.needs.size());
    for (size_t n = 0; n < plan.needs.size(); ++n) {
        const int instance = bindings.needs[n].instance;
        if (instance < 0)
            continue;
        const int kernel = device.instances[size_t(instance)].kernel;
        const ClockState& clock = rates.clocks[size_t(kernel)];
        if (!clock.running || !clock.rate.defined())
            continue;
        for (const Judge& one : kJudges)
            if (one.kind == plan.needs[n].kind) {
                out[n] = one.judge({device, rates, plan.needs[n], bindings.needs[n]});
                out[n].clock = kernel;
            }
    }
    return out;
}

std::string moreAccurate(const Device& device, const Board& board, const Rates& rates, const Accuracy& accuracy)
{
    if (!accuracy.allowed || accuracy.clock < 0)
        return {};
    std::string out;
    const auto add = [&out](const std::string& way) { out += (out.empty() ? "" : ", or ") + way; };
    const int now = pathToSource(rates, accuracy.clock).back();
    const std::vector<bool> reachable = sourcesOf(device, accuracy.clock);
    const Frequency slow(Rational(1'000'000));
    const bool wantsSlow = rates.clocks[size_t(accuracy.clock)].rate < slow;
    for (size_t i = 0; i < device.clocks.size(); ++i) {
        const ClockNode& node = device.clocks[i];
        const SourceFacts facts = node.isSource() ? sourceFacts(device, board, node, rates.clocks[i].setting) : SourceFacts{};
        // A watch crystal times no bus, and no fast crystal a calendar: what lies between them is for the search to say.
        if (!reachable[i] || facts.rate.value.isZero() || (facts.rate < slow) != wantsSlow)
            continue;
        if (int(i) != now && facts.tolerance.worst() <= *accuracy.allowed)
            add("take it from " + node.name);
        else if (node.trim && !rates.clocks[i].trimmed && node.trim->by < 0) {
            if (int(i) == now && node.trim->tolerance.worst() <= *accuracy.allowed)
                add(fmt::format("trim {} by {}", node.name, node.trim->bySignal));
        } else if (node.trim && !rates.clocks[i].trimmed) {
            const ClockNode& by = device.clocks[size_t(node.trim->by)];
            const SourceFacts reference = sourceFacts(device, board, by, rates.clocks[size_t(node.trim->by)].setting);
            if (!reference.rate.value.isZero() && node.trim->tolerance.worst().value + reference.tolerance.worst().value <= accuracy.allowed->value)
                add(int(i) == now ? fmt::format("trim {} by {}", node.name, by.name) : fmt::format("take it from {}, trimmed by {}", node.name, by.name));
        }
    }
    if (!out.empty())
        out[0] = char(std::toupper(static_cast<unsigned char>(out[0])));
    return out.empty() ? out : out + ".";
}

} // namespace bindrel
