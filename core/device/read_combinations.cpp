// SPDX-License-Identifier: GPL-3.0-or-later
// "never_together": settings of several clocks that must not stand at the same time.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device_reader.h"
#include "core/quantity/format.h"

#include <algorithm>

namespace bindrel {

/// The settings of one clock as a plan would say them: inputs of a select, factors, rates of an oscillator; one or a
/// list.
std::vector<std::int64_t> DeviceReader::clockSettings(ClockIndex clock, const JsonNode& node)
{
    const ClockNode& facts = device_.clocks[clock];
    std::vector<std::int64_t> out;
    const auto choose = [&](const JsonNode& item, size_t count, const auto& isIt,
                            const std::vector<std::string>& names) {
        for (size_t k = 0; k < count; ++k)
            if (isIt(k)) {
                out.push_back(std::int64_t(k));
                return;
            }
        item.fail(
            say("is no setting of {}; it has {}.{}", facts.id, listed(names), didYouMean(item.asString(), names)));
    };
    const std::vector<JsonNode> items = node.isArray() ? node.items() : std::vector<JsonNode>{node};
    std::vector<std::string> names;
    if (facts.type == ClockNode::Type::Select) {
        for (const ClockInput& input : facts.inputs)
            names.push_back(input.node < 0 ? "none" : device_.clocks[input.node].id);
        for (const JsonNode& item : items)
            choose(
                item, names.size(), [&, text = item.asString()](size_t k) { return names[k] == text; }, names);
    } else if (!facts.rates.empty()) {
        for (const ClockNode::RateChoice& rate : facts.rates)
            names.push_back(format(rate.rate));
        for (const JsonNode& item : items)
            choose(
                item, names.size(), [&, rate = item.asFrequency()](size_t k) { return facts.rates[k].rate == rate; },
                names);
    } else if (!facts.factors.empty() && facts.control.valid()) {
        for (const Rational& factor : readFactors(node)) {
            const Rational setting = factor * facts.unit;
            if (!setting.isInteger() || !facts.canBe(setting.floor()))
                node.fail(say("{} is no factor of {}.", factor.text(), facts.id));
            else
                out.push_back(setting.floor());
        }
    } else {
        node.fail(say("{} has nothing to set; name the clock whose setting matters.", facts.id));
    }
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

void DeviceReader::readCombinations()
{
    for (const JsonNode& row : section("never_together").items()) {
        row.allowOnly({"clocks", "because"});
        ClockCombination combination;
        combination.because = row.string("because", "");
        const JsonNode clocks = row.child("clocks");
        for (const auto& [id, settings] : clocks.members()) {
            std::vector<std::string> ids;
            for (const ClockNode& known : device_.clocks)
                ids.push_back(known.id);
            if (const ClockIndex clock = device_.findClock(id); clock < 0)
                settings.fail(say("\"{}\" is not a clock of this device.{}", id, didYouMean(id, ids)));
            else
                combination.terms.push_back({clock, clockSettings(clock, settings)});
        }
        if (combination.terms.size() < 2)
            clocks.fail(say(
                "must name at least two clocks; what a single one must not be is left out of its factors or inputs."));
        std::sort(combination.terms.begin(), combination.terms.end(),
                  [](const auto& a, const auto& b) { return a.clock < b.clock; });
        device_.neverTogether.push_back(std::move(combination));
    }
}

} // namespace bindrel
