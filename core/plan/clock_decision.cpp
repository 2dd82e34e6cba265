// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/clock_decision.h"

#include "core/base/overloaded.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/device.h"
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

Expected<ClockDecision> readRun(const ClockNode& node, std::string_view text)
{
    RunDecision out;
    bool on = false, off = false;
    const std::vector<std::string> words = sourceWords(node);
    const auto can = [&words](const std::string& word) {
        return std::find(words.begin(), words.end(), word) != words.end();
    };
    for (const std::string& part : splitted(text, ',')) {
        const std::string word = lowered(trimmed(part));
        bool known = can(word);
        if (known) {
            on = on || word == "on";
            off = off || word == "off";
            out.trimmed = out.trimmed || word == "trimmed";
            out.monitored = out.monitored || word == "monitored";
        }
        if (const Expected<Frequency> rate = parseFrequency(trimmed(part)))
            for (const ClockNode::RateChoice& choice : node.rates)
                if (choice.rate == *rate) {
                    out.rate = *rate;
                    known = true;
                }
        if (!known)
            return problemOf(say("\"{}\" is not possible for {}; use {}, separated by commas.{}", trimmed(part),
                                 node.name, listed(words), didYouMean(word, words)));
    }
    if (on && off)
        return problemOf(say("{} cannot be both on and off.", node.name));
    out.run = on ? ClockRun::On : off ? ClockRun::Off : ClockRun::WhenUsed;
    return ClockDecision(out);
}

/// Whole and decimal part, or whole + numerator/denominator; both exact.
std::optional<Rational> readFactor(std::string_view text)
{
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
    return value;
}

/// Decimals where they end soon, as they do for a power of two up to 1/64.
std::string factorText(const FactorDecision& decision)
{
    const std::int64_t unit = decision.unit;
    const std::int64_t whole = decision.setting / unit, rest = decision.setting % unit;
    if (rest == 0)
        return std::to_string(whole);
    if (unit <= 64 && (unit & (unit - 1)) == 0) {
        std::string digits = fmt::format("{:06}", rest * (1'000'000 / unit));
        while (digits.ends_with('0'))
            digits.pop_back();
        return fmt::format("{}.{}", whole, digits);
    }
    return fmt::format("{}+{}/{}", whole, rest, unit);
}

/// "a whole number from 1 to 16", "one of 1, 2.5, 4, 8".
std::string factorsInWords(const ClockNode& node)
{
    const std::vector<std::int64_t>& factors = node.factors;
    const bool consecutive =
        node.unit == 1 && factors.back() - factors.front() + 1 == static_cast<std::int64_t>(factors.size());
    if (consecutive)
        return say("a whole number from {} to {}", factors.front(), factors.back());
    std::vector<std::string> parts;
    for (const std::int64_t f : factors)
        parts.push_back(factorText(node, node.settingOf(f)));
    return say("one of ") + joined(parts, ", ");
}

Expected<ClockDecision> readFactorOf(const Device& device, ClockIndex clock, std::string_view given)
{
    const ClockNode& node = device.clocks[clock];
    std::string_view text = trimmed(given);
    for (const std::string_view mark : {"\u00f7", "\u00d7", "/", "*", "x"})
        if (text.starts_with(mark)) {
            text = trimmed(text.substr(mark.size()));
            break;
        }
    if (const std::optional<Rational> factor = readFactor(text))
        if (const Rational setting = *factor * node.unit; setting.isInteger() && node.canBe(setting.floor()))
            return ClockDecision(factorDecision(node, setting.floor()));
    if (node.dense)
        return problemOf(
            say("\"{}\" is not possible for {}; it must be from {} to {} in steps of 1/{}, as 40.5 or 40+1/{}.", given,
                node.name, node.factors.front(), node.factors.back(), node.unit, node.unit));
    return problemOf(say("\"{}\" is not possible for {}; it must be {}.", given, node.name, factorsInWords(node)));
}

} // namespace

FactorDecision factorDecision(const ClockNode& node, std::int64_t setting)
{
    return {setting, node.unit};
}

std::string factorText(const ClockNode& node, std::int64_t setting)
{
    return factorText(factorDecision(node, setting));
}

std::string clockDecisionText(const ClockDecision& decision)
{
    return std::visit(
        Overloaded{[](const RunDecision& d) {
                       std::vector<std::string> words;
                       if (d.rate)
                           words.push_back(exactText(*d.rate));
                       if (d.run != ClockRun::WhenUsed)
                           words.push_back(d.run == ClockRun::On ? "on" : "off");
                       if (d.trimmed)
                           words.push_back("trimmed");
                       if (d.monitored)
                           words.push_back("monitored");
                       return words.empty() ? std::string("auto") : joined(words, ", ");
                   },
                   [](const FactorDecision& d) { return factorText(d); },
                   [](const InputDecision& d) { return d.clock.empty() ? std::string("none") : d.clock; }},
        decision);
}

std::string clockDecisionText(const std::optional<ClockDecision>& decision)
{
    return decision ? clockDecisionText(*decision) : std::string();
}

std::vector<ClockDecision> clockChoices(const Device& device, ClockIndex clock)
{
    const ClockNode& node = device.clocks[clock];
    std::vector<ClockDecision> out;
    switch (node.type) {
    case ClockNode::Type::Oscillator:
    case ClockNode::Type::Crystal:
    case ClockNode::Type::External:
        for (const ClockNode::RateChoice& choice : node.rates)
            out.push_back(RunDecision{choice.rate, {}, {}, {}});
        if (node.enable.valid())
            for (const ClockRun run : {ClockRun::WhenUsed, ClockRun::On, ClockRun::Off})
                out.push_back(RunDecision{{}, run, {}, {}});
        if (node.trim)
            out.push_back(RunDecision{{}, {}, true, {}});
        if (node.monitor)
            out.push_back(RunDecision{{}, {}, {}, true});
        break;
    case ClockNode::Type::Gate:
        for (const ClockRun run : {ClockRun::WhenUsed, ClockRun::On, ClockRun::Off})
            out.push_back(RunDecision{{}, run, {}, {}});
        break;
    case ClockNode::Type::Select:
        for (const ClockInput& input : node.inputs)
            out.push_back(InputDecision{input.node < 0 ? std::string() : device.clocks[input.node].id});
        break;
    case ClockNode::Type::Divide:
    case ClockNode::Type::Multiply:
        if (node.factors.size() > 1)
            for (const std::int64_t factor : node.factors)
                out.push_back(factorDecision(node, node.settingOf(factor)));
        break;
    case ClockNode::Type::Follow:
        break;
    }
    return out;
}

Expected<ClockDecision> readClockDecision(const Device& device, ClockIndex clock, std::string_view given)
{
    const ClockNode& node = device.clocks[clock];
    const std::string text(trimmed(given));
    const std::vector<ClockDecision> choices = clockChoices(device, clock);
    if (choices.empty())
        return problemOf(say("{} has no setting; it follows its input.", node.name));
    if (!node.factors.empty())
        return readFactorOf(device, clock, given);
    if (node.isSource())
        return readRun(node, text);
    std::vector<std::string> texts;
    for (const ClockDecision& choice : choices) {
        texts.push_back(clockDecisionText(choice));
        if (lowered(texts.back()) == lowered(text))
            return choice;
    }
    // People also type the clock's title.
    for (const ClockInput& input : node.inputs)
        if (input.node >= 0 && lowered(device.clocks[input.node].name) == lowered(text))
            return ClockDecision(InputDecision{device.clocks[input.node].id});
    return problemOf(say("\"{}\" is not possible for {}; it can be {}.{}", given, node.name, listed(texts),
                         didYouMean(text, texts)));
}

std::optional<std::int64_t> settingOf(const Device& device, ClockIndex clock, const ClockDecision& decision)
{
    const ClockNode& node = device.clocks[clock];
    if (const auto* run = std::get_if<RunDecision>(&decision); run && run->rate && node.isSource()) {
        for (size_t i = 0; i < node.rates.size(); ++i)
            if (node.rates[i].rate == *run->rate)
                return std::int64_t(i);
    } else if (const auto* from = std::get_if<InputDecision>(&decision); from && node.type == ClockNode::Type::Select) {
        for (size_t i = 0; i < node.inputs.size(); ++i) {
            const ClockIndex input = node.inputs[i].node;
            if (from->clock == (input < 0 ? std::string() : device.clocks[input].id))
                return std::int64_t(i);
        }
    } else if (const auto* by = std::get_if<FactorDecision>(&decision); by && !node.factors.empty()) {
        const Rational setting = by->factor() * node.unit;
        if (setting.isInteger() && node.canBe(setting.floor()))
            return setting.floor();
    }
    return std::nullopt;
}

RunDecision runDecision(const Device& device, const ClockDecisions& decisions, ClockIndex clock)
{
    const auto said = decisions.find(device.clocks[clock].id);
    const auto* run = said == decisions.end() ? nullptr : std::get_if<RunDecision>(&said->second);
    if (!run)
        return {};
    if (isPossible(device, clock, *run))
        return *run;
    // What the bring-up does when a PLL does not start is tried out as a plan that has it off.
    return {{}, device.clocks[clock].isSource() ? ClockRun::WhenUsed : run->run, {}, {}};
}

ClockDecision withChoice(const std::optional<ClockDecision>& said, const ClockDecision& choice)
{
    const auto* word = std::get_if<RunDecision>(&choice);
    const auto* before = said ? std::get_if<RunDecision>(&*said) : nullptr;
    if (!word || !before)
        return choice;
    RunDecision out = *before;
    if (word->rate)
        out.rate = word->rate;
    else if (word->trimmed)
        out.trimmed = !out.trimmed;
    else if (word->monitored)
        out.monitored = !out.monitored;
    else
        out.run = word->run;
    return out;
}

bool holdsChoice(const std::optional<ClockDecision>& said, const ClockDecision& choice)
{
    const auto* word = std::get_if<RunDecision>(&choice);
    if (!word)
        return said == choice;
    const auto* now = said ? std::get_if<RunDecision>(&*said) : nullptr;
    const RunDecision is = now ? *now : RunDecision();
    return word->rate        ? is.rate == word->rate
           : word->trimmed   ? is.trimmed
           : word->monitored ? is.monitored
                             : is.run == word->run;
}

bool isPossible(const Device& device, ClockIndex clock, const ClockDecision& decision)
{
    const ClockNode& node = device.clocks[clock];
    const auto* run = std::get_if<RunDecision>(&decision);
    if (!run)
        return settingOf(device, clock, decision).has_value();
    const bool switched = run->run != ClockRun::WhenUsed;
    if (!node.isSource())
        return node.type == ClockNode::Type::Gate && !run->rate && !run->trimmed && !run->monitored;
    return (!run->rate || settingOf(device, clock, decision)) && (!switched || node.enable.valid()) &&
           (!run->trimmed || node.trim) && (!run->monitored || node.monitor);
}

} // namespace bindrel
