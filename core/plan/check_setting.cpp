// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/check_setting.h"

#include "core/base/text.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// Words that a source's decision can be made of.
std::vector<std::string> sourceWords(const ClockNode& node)
{
    std::vector<std::string> out;
    for (const ClockNode::RateChoice& choice : node.rates)
        out.push_back(exactText(choice.rate));
    if (node.enable.valid())
        for (const char* word : {"auto", "on", "off"})
            out.push_back(word);
    if (node.trim)
        out.push_back("trimmed");
    if (node.monitor)
        out.push_back("monitored");
    return out;
}

} // namespace

Expected<SourceDecision> readSourceDecision(const ClockNode& node, std::string_view text)
{
    SourceDecision out;
    const std::vector<std::string> words = sourceWords(node);
    const auto can = [&words](const char* word) { return std::find(words.begin(), words.end(), word) != words.end(); };
    for (const std::string& part : splitted(text, ',')) {
        const std::string word = lowered(trimmed(part));
        const Expected<Frequency> rate = parseFrequency(trimmed(part));
        bool known = true;
        if (word == "on" && can("on"))
            out.on = true;
        else if (word == "off" && can("off"))
            out.off = true;
        else if (word == "trimmed" && node.trim)
            out.trimmed = true;
        else if (word == "monitored" && node.monitor)
            out.monitored = true;
        else if (word != "auto" || !can("auto"))
            known = false;
        if (!known && rate)
            for (size_t i = 0; i < node.rates.size() && !known; ++i)
                if (node.rates[i].rate == *rate) {
                    out.rate = static_cast<int>(i);
                    known = true;
                }
        if (!known)
            return problemOf(fmt::format("\"{}\" is not possible for {}; use {}, separated by commas.{}", trimmed(part),
                                         node.name, listed(words), didYouMean(word, words)));
    }
    if (out.on && out.off)
        return problemOf(fmt::format("{} cannot be both on and off.", node.name));
    return out;
}

std::optional<std::int64_t> readFactor(const ClockNode& node, std::string_view text)
{
    // Whole and decimal part, or whole + numerator/denominator; both exact.
    const auto number = [](std::string_view digits) -> std::optional<Rational> {
        if (digits.empty() || digits.size() > 17)
            return std::nullopt;
        std::int64_t mantissa = 0;
        std::int64_t scale = 1;
        bool point = false;
        for (const char c : digits) {
            if (c == '.' && !point) {
                point = true;
            } else if (c >= '0' && c <= '9') {
                mantissa = mantissa * 10 + (c - '0');
                scale *= point ? 10 : 1;
            } else {
                return std::nullopt;
            }
        }
        return digits == "." ? std::nullopt : std::optional(Rational(mantissa, scale));
    };
    const size_t plus = text.find('+');
    std::optional<Rational> value = number(trimmed(text.substr(0, plus)));
    if (value && plus != std::string_view::npos) {
        const std::string_view part = text.substr(plus + 1);
        const size_t slash = part.find('/');
        const auto above = number(trimmed(part.substr(0, slash)));
        const auto below = slash == std::string_view::npos ? std::nullopt : number(trimmed(part.substr(slash + 1)));
        if (!above || !below || below->isZero())
            return std::nullopt;
        value = *value + *above / *below;
    }
    if (!value)
        return std::nullopt;
    const Rational setting = *value * node.unit;
    if (!setting.isInteger() || !node.canBe(setting.floor()))
        return std::nullopt;
    return setting.floor();
}

std::string factorText(const ClockNode& node, std::int64_t setting)
{
    const std::int64_t whole = setting / node.unit;
    const std::int64_t rest = setting % node.unit;
    if (rest == 0)
        return std::to_string(whole);
    // Decimals where they end soon; they do for a power of two up to 1/64.
    if (node.unit <= 64 && (node.unit & (node.unit - 1)) == 0) {
        std::string digits = fmt::format("{:06}", rest * (1'000'000 / node.unit));
        while (digits.ends_with('0'))
            digits.pop_back();
        return fmt::format("{}.{}", whole, digits);
    }
    return fmt::format("{}+{}/{}", whole, rest, node.unit);
}

std::vector<std::string> clockChoices(const Device& device, ClockIndex index)
{
    const ClockNode& node = device.clocks[size_t(index)];
    std::vector<std::string> out;
    switch (node.type) {
    case ClockNode::Type::Oscillator:
    case ClockNode::Type::Crystal:
    case ClockNode::Type::External:
        out = sourceWords(node);
        break;
    case ClockNode::Type::Gate:
        out = {"auto", "on", "off"};
        break;
    case ClockNode::Type::Select:
        for (const ClockInput& input : node.inputs)
            out.push_back(input.node < 0 ? "none" : device.clocks[size_t(input.node)].id);
        break;
    case ClockNode::Type::Divide:
    case ClockNode::Type::Multiply:
        // A fraction's steps are too many to list; the whole factors stand for them.
        if (node.factors.size() > 1)
            for (const std::int64_t factor : node.factors)
                out.push_back(factorText(node, node.settingOf(factor)));
        break;
    case ClockNode::Type::Follow:
        break;
    }
    return out;
}

namespace {
/// "1..16", "1, 2.5, 4, 8".
std::string factorsInWords(const ClockNode& node)
{
    const std::vector<std::int64_t>& factors = node.factors;
    const bool dense =
        node.unit == 1 && factors.back() - factors.front() + 1 == static_cast<std::int64_t>(factors.size());
    if (dense)
        return fmt::format("a whole number from {} to {}", factors.front(), factors.back());
    std::vector<std::string> parts;
    for (const std::int64_t f : factors)
        parts.push_back(factorText(node, f));
    return "one of " + joined(parts, ", ");
}
} // namespace

Expected<std::string> checkClockSetting(const Device& device, ClockIndex index, std::string_view given)
{
    const ClockNode& node = device.clocks[size_t(index)];
    std::string text(trimmed(given));
    const std::vector<std::string> choices = clockChoices(device, index);
    if (choices.empty())
        return problemOf(fmt::format("{} has no setting; it follows its input.", node.name));
    if (!node.factors.empty()) {
        for (const char* mark : {"\u00f7", "\u00d7", "/", "*", "x"})
            if (text.starts_with(mark)) {
                text = std::string(trimmed(std::string_view(text).substr(std::string_view(mark).size())));
                break;
            }
        const std::optional<std::int64_t> setting = readFactor(node, text);
        if (!setting && node.dense)
            return problemOf(fmt::format(
                "\"{}\" is not possible for {}; it must be from {} to {} in steps of 1/{}, as 40.5 or 40+1/{}.", given,
                node.name, node.factors.front(), node.factors.back(), node.unit, node.unit));
        if (!setting)
            return problemOf(
                fmt::format("\"{}\" is not possible for {}; it must be {}.", given, node.name, factorsInWords(node)));
        return factorText(node, *setting);
    }
    if (node.isSource()) {
        const Expected<SourceDecision> decision = readSourceDecision(node, text);
        if (!decision)
            return decision.problem();
        std::vector<std::string> words;
        if (decision->rate)
            words.push_back(exactText(node.rates[size_t(*decision->rate)].rate));
        if (decision->on || decision->off)
            words.push_back(decision->on ? "on" : "off");
        if (decision->trimmed)
            words.push_back("trimmed");
        if (decision->monitored)
            words.push_back("monitored");
        return words.empty() ? std::string("auto") : joined(words, ", ");
    }
    for (const std::string& choice : choices)
        if (lowered(choice) == lowered(text))
            return choice;
    // People also type the clock's title.
    for (const ClockInput& input : node.inputs)
        if (input.node >= 0 && lowered(device.clocks[size_t(input.node)].name) == lowered(text))
            return device.clocks[size_t(input.node)].id;
    return problemOf(fmt::format("\"{}\" is not possible for {}; it can be {}.{}", given, node.name, listed(choices),
                                 didYouMean(text, choices)));
}

} // namespace bindrel
