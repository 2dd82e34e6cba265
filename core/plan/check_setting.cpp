// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/check_setting.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

std::vector<std::string> clockChoices(const Device& device, int index)
{
    const ClockNode& node = device.clocks[size_t(index)];
    std::vector<std::string> out;
    switch (node.type) {
    case ClockNode::Type::Oscillator:
    case ClockNode::Type::Crystal:
        if (node.enable.valid())
            out = {"auto", "on", "off"};
        break;
    case ClockNode::Type::Select:
        for (const ClockInput& input : node.inputs)
            out.push_back(input.node < 0 ? "none" : device.clocks[size_t(input.node)].id);
        break;
    case ClockNode::Type::Divide:
    case ClockNode::Type::Multiply:
        if (node.factors.size() > 1)
            for (const std::int64_t factor : node.factors)
                out.push_back(std::to_string(factor));
        break;
    case ClockNode::Type::Follow:
        break;
    }
    return out;
}

namespace {
/// "1..16", "1, 2, 4, 8".
std::string factorsInWords(const std::vector<std::int64_t>& factors)
{
    const bool dense = factors.back() - factors.front() + 1 == static_cast<std::int64_t>(factors.size());
    if (dense)
        return fmt::format("a whole number from {} to {}", factors.front(), factors.back());
    std::vector<std::string> parts;
    for (const std::int64_t f : factors)
        parts.push_back(std::to_string(f));
    return "one of " + joined(parts, ", ");
}
} // namespace

Expected<std::string> checkClockSetting(const Device& device, int index, std::string_view given)
{
    const ClockNode& node = device.clocks[size_t(index)];
    std::string text(trimmed(given));
    const std::vector<std::string> choices = clockChoices(device, index);
    if (choices.empty())
        return problemOf(fmt::format("{} has nothing to decide; it follows its input.", node.name));
    if (!node.factors.empty()) {
        for (const char* mark : {"\u00f7", "\u00d7", "/", "*", "x"})
            if (text.starts_with(mark)) {
                text = std::string(trimmed(std::string_view(text).substr(std::string_view(mark).size())));
                break;
            }
        if (std::find(choices.begin(), choices.end(), text) == choices.end())
            return problemOf(fmt::format("\"{}\" is not possible for {}; it must be {}.", given, node.name, factorsInWords(node.factors)));
        return text;
    }
    for (const std::string& choice : choices)
        if (lowered(choice) == lowered(text))
            return choice;
    // People also type the clock's title.
    for (const ClockInput& input : node.inputs)
        if (input.node >= 0 && lowered(device.clocks[size_t(input.node)].name) == lowered(text))
            return device.clocks[size_t(input.node)].id;
    return problemOf(fmt::format("\"{}\" is not possible for {}; it can be {}.{}", given, node.name, listed(choices), didYouMean(text, choices)));
}

} // namespace bindrel
