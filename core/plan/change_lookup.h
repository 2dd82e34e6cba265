// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/edit.h"

#include <map>
#include <optional>
#include <string>
#include <string_view>

/// What a plan says at the place that a change names: for applying, taking back and describing it.
namespace bindrel {

/// One function object of several, for std::visit.
template <typename... Ts> struct Overloaded : Ts... {
    using Ts::operator()...;
};
template <typename... Ts> Overloaded(Ts...) -> Overloaded<Ts...>;

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

/// What the plan says of the resistors at a pad, of the crystal at a clock; empty when it says nothing.
inline std::optional<NetResistors> resistorsIn(const Plan& plan, const std::string& pad)
{
    const auto said = plan.resistors.find(pad);
    return said == plan.resistors.end() ? std::nullopt : std::optional(said->second);
}
inline std::optional<WishStrength> wishIn(const Plan& plan, const std::string& sentence)
{
    const auto said = plan.wishes.find(sentence);
    return said == plan.wishes.end() ? std::nullopt : std::optional(said->second);
}
inline std::optional<std::optional<CrystalFact>> fittedIn(const Plan& plan, const std::string& clock)
{
    const auto it = plan.crystals.find(clock);
    if (it == plan.crystals.end())
        return std::nullopt;
    return std::optional<std::optional<CrystalFact>>(std::in_place, it->second);
}

inline std::optional<std::string> found(const Texts& texts, std::string_view key)
{
    const auto it = texts.find(key);
    return it == texts.end() ? std::nullopt : std::optional(it->second);
}

} // namespace bindrel
