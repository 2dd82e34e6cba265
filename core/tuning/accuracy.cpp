// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/tuning/one_need.h"

#include "core/quantity/format.h"
#include "core/tuning/words.h"

#include <fmt/format.h>

namespace bindrel {

std::string plusMinus(const Ppm& off)
{
    return "\u00b1" + format(off);
}

Ppm worstOf(const TuningContext& c)
{
    return c.kernel().tolerance.worst();
}

/// "5 ms may be 4.95 ms to 5.05 ms": a time counted in periods of the clock.
static std::string spread(const TuningContext& c, const Duration& nominal)
{
    const Tolerance& t = c.kernel().tolerance;
    const Duration shortest(nominal.value / (Rational(1) + t.high.value / 1'000'000));
    const Duration longest(nominal.value / (Rational(1) + t.low.value / 1'000'000));
    if (shortest == longest)
        return {};
    // Enough digits for the two to differ.
    const int digits = worstOf(c).value < Rational(100) ? 8 : 5;
    return formatIfNeeded(c, "{} may be {} to {}", formatIfNeeded(c, nominal), formatIfNeeded(c, shortest, digits),
                          formatIfNeeded(c, longest, digits));
}

Accuracy timeAccuracy(const TuningContext& c)
{
    Accuracy out;
    out.given = worstOf(c);
    if (const std::optional<Duration> period = goalAs<Duration>(c.need, "period"))
        out.effect = spread(c, *period);
    return out;
}

/// Nothing is demanded, and all that is timed is off alike.
Accuracy passedOn(const TuningContext& c, const char* what)
{
    Accuracy out;
    out.given = worstOf(c);
    if (!out.given.value.isZero())
        out.effect = formatIfNeeded(c, "{} {}", what, plusMinus(out.given));
    return out;
}

namespace {

/// The clocks that one can come from, by way of any selects.
std::vector<bool> sourcesOf(const Device& device, ClockIndex clock)
{
    std::vector<bool> out(device.clocks.size(), false);
    out[size_t(clock)] = true;
    // Inputs stand before what comes from them.
    for (ClockIndex i = clock; i >= 0; --i)
        if (out[size_t(i)])
            for (const ClockInput& input : device.clocks[i].inputs)
                if (input.node >= 0)
                    out[size_t(input.node)] = true;
    return out;
}

} // namespace

Duration driftPerMonth(const Ppm& off)
{
    return Duration(off.value.abs() / 1'000'000 * 2'629'746);
}

Accuracy accuracyOfNeed(const Device& device, const Plan& plan, const Bindings& bindings, const Rates& rates,
                        NeedIndex n, bool worded)
{
    Accuracy out;
    const InstanceIndex instance = bindings.needs[n].instance;
    const ClockIndex kernel = instance < 0 ? ClockIndex() : device.instances[instance].kernel;
    if (kernel < 0 || !rates.clocks[kernel].running || !rates.clocks[kernel].rate.defined())
        return out;
    if (const auto judge = tuningOf(plan.needs[n].kind).accuracy) {
        out = judge({device, rates, plan.needs[n], bindings.needs[n], plan, bindings, nullptr, worded});
        out.clock = kernel;
    }
    return out;
}

IndexVector<NeedIndex, Accuracy> accuracyOf(const Device& device, const Plan& plan, const Bindings& bindings,
                                            const Rates& rates)
{
    IndexVector<NeedIndex, Accuracy> out;
    for (size_t n = 0; n < plan.needs.size(); ++n)
        out.push_back(accuracyOfNeed(device, plan, bindings, rates, n));
    return out;
}

std::string moreAccurate(const Device& device, const Board& board, const Rates& rates, const Accuracy& accuracy)
{
    if (!accuracy.allowed || accuracy.clock < 0)
        return {};
    std::string out;
    const auto add = [&out](const std::string& way) { out += (out.empty() ? "" : say(", or ")) + way; };
    const int now = pathToSource(rates, accuracy.clock).back();
    const std::vector<bool> reachable = sourcesOf(device, accuracy.clock);
    const Frequency slow(Rational(1'000'000));
    const bool wantsSlow = rates.clocks[accuracy.clock].rate < slow;
    for (const ClockIndex i : device.clocks.indices()) {
        const ClockNode& node = device.clocks[i];
        const SourceFacts facts =
            node.isSource() ? sourceFacts(device, board, node, rates.clocks[i].setting) : SourceFacts{};
        // A watch crystal times no bus, and no fast crystal a calendar: what lies between them is for the search to
        // say.
        if (!reachable[i] || facts.rate.value.isZero() || (facts.rate < slow) != wantsSlow)
            continue;
        if (int(i) != now && facts.tolerance.worst() <= *accuracy.allowed)
            add(say("take it from {}", node.name));
        else if (node.trim && !rates.clocks[i].trimmed && node.trim->by < 0) {
            if (int(i) == now && node.trim->tolerance.worst() <= *accuracy.allowed)
                add(say("trim {} by {}", node.name, node.trim->bySignal));
        } else if (node.trim && !rates.clocks[i].trimmed) {
            const ClockNode& by = device.clocks[node.trim->by];
            const SourceFacts reference = sourceFacts(device, board, by, rates.clocks[node.trim->by].setting);
            if (!reference.rate.value.isZero() &&
                node.trim->tolerance.worst().value + reference.tolerance.worst().value <= accuracy.allowed->value)
                add(int(i) == now ? say("trim {} by {}", node.name, by.name)
                                  : say("take it from {}, trimmed by {}", node.name, by.name));
        }
    }
    if (!out.empty())
        out[0] = char(std::toupper(static_cast<unsigned char>(out[0])));
    return out.empty() ? out : out + ".";
}

} // namespace bindrel
