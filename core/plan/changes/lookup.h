// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/say.h"
#include "core/plan/edit.h"

#include <fmt/format.h>

#include <map>
#include <optional>
#include <string>
#include <string_view>

/// What a plan says at the place that a change names: for applying, taking back and describing it.
namespace bindrel {

template <typename AnyPlan> auto& textOf(AnyPlan& plan, SetText::What what)
{
    switch (what) {
    case SetText::What::Name:
        return plan.name;
    case SetText::What::Device:
        return plan.device;
    case SetText::What::Board:
        return plan.board;
    case SetText::What::Supply:
        return plan.supply;
    case SetText::What::Temperature:
        return plan.temperature;
    case SetText::What::Outline:
        return plan.outline;
    case SetText::What::ChipPlace:
        return plan.chipPlace;
    case SetText::What::Stack:
        return plan.stack;
    case SetText::What::Heap:
        return plan.heap;
    case SetText::What::Range:
        return plan.range;
    case SetText::What::Regulator:
        return plan.regulator;
    case SetText::What::Prefix:
        break;
    }
    return plan.prefix;
}

using Texts = std::map<std::string, std::string, std::less<>>;

template <typename Value>
std::optional<Value> found(const std::map<std::string, Value, std::less<>>& values, std::string_view key)
{
    const auto it = values.find(key);
    return it == values.end() ? std::nullopt : std::optional<Value>(std::in_place, it->second);
}

/// What the plan says of the resistors at a pad, of the crystal at a clock; empty when it says nothing.
inline std::optional<NetResistors> resistorsIn(const Plan& plan, const std::string& pad)
{
    return found(plan.resistors, pad);
}
inline std::optional<WishStrength> wishIn(const Plan& plan, const std::string& sentence)
{
    return found(plan.wishes, sentence);
}
inline std::optional<std::optional<CrystalFact>> fittedIn(const Plan& plan, const std::string& clock)
{
    return found(plan.crystals, clock);
}

template <typename Value>
void setOrErase(std::map<std::string, Value, std::less<>>& values, const std::string& key,
                const std::optional<Value>& value)
{
    if (value)
        values[key] = *value;
    else
        values.erase(key);
}

/// "4 → reset value", where an empty text says nothing.
inline std::string arrow(const std::string& from, const std::string& to)
{
    return fmt::format("{} \u2192 {}", from.empty() ? say("reset value") : from, to.empty() ? say("reset value") : to);
}
/// Whether the plan has what a hold names; clocks are the device's business.
bool isThere(const Plan& plan, const Hold& hold);

/// Of a need, or its id where the plan does not have it.
inline std::string titleIn(const Plan& plan, const std::string& id)
{
    const Need* need = plan.need(id);
    return need ? need->title : id;
}

} // namespace bindrel
