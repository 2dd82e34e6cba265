// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/pin_property.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

bool isPinGoal(const Need& need, std::string_view property)
{
    const KindSpec* kind = findKind(need.kind);
    const GoalSpec* goal = kind ? kind->goal(property) : nullptr;
    return goal && goal->ofPin && matters(need, property);
}

const std::vector<PinProperty>& pinProperties()
{
    static const std::vector<PinProperty> all{
        {"name", "Name", {}},
        {"net", "Net", {}},
        {"pull", "Pull", {"none", "up", "down"}},
        {"drive", "Drive", {"weak", "medium", "strong"}},
        {"speed", "Edges", {"slow", "fast"}},
        {"open_drain", "Open drain", {"no", "yes"}},
        {"level", "Initial level", {"low", "high"}},
    };
    return all;
}

const PinProperty* findPinProperty(std::string_view id)
{
    for (const PinProperty& property : pinProperties())
        if (property.id == id)
            return &property;
    return nullptr;
}

Expected<std::string> checkPinProperty(std::string_view id, std::string_view given)
{
    const PinProperty* property = findPinProperty(id);
    if (!property)
        return problemOf(fmt::format("\"{}\" is not a property of a pin.", id));
    const std::string text(trimmed(given));
    if (!property->choices.empty()) {
        const std::string choice = lowered(text);
        if (std::find(property->choices.begin(), property->choices.end(), choice) != property->choices.end())
            return choice;
        return problemOf(fmt::format("\"{}\" is not possible for {}; use {}.{}", text, lowered(say(property->title)),
                                     listed(property->choices), didYouMean(choice, property->choices)));
    }
    const bool word = !text.empty() && text.size() <= 64 && isUtf8(text) &&
                      std::none_of(text.begin(), text.end(),
                                   [](char c) { return static_cast<unsigned char>(c) <= ' ' || c == '"' || c == ','; });
    if (!word)
        return problemOf(
            fmt::format("\"{}\" is not a {}: it is one word of at most 64 characters, without commas and quotes.", text,
                        lowered(say(property->title))));
    return text;
}

std::optional<std::string> pinProperty(const Need& need, std::string_view signal, std::string_view property)
{
    if (isPinGoal(need, property)) {
        const auto goal = need.goals.find(property);
        return goal == need.goals.end() ? std::nullopt : std::optional(goal->second);
    }
    const auto said = need.pins.find(signal);
    if (said == need.pins.end())
        return std::nullopt;
    const auto value = said->second.find(property);
    return value == said->second.end() ? std::nullopt : std::optional(value->second);
}

Change pinPropertyChange(const Need& need, const std::string& signal, const std::string& property,
                         std::optional<std::string> value)
{
    if (isPinGoal(need, property))
        return SetGoal{need.id, property, std::move(value)};
    return SetPin{need.id, signal, property, std::move(value)};
}

} // namespace bindrel
