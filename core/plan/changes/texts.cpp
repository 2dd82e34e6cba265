// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of the texts of the plan itself.
#include "core/base/say.h"
#include "core/device/board_place.h"
#include "core/plan/board_entry.h"
#include "core/plan/changes/lookup.h"
#include "core/plan/memory_size.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

const char* nameOf(SetText::What what)
{
    switch (what) {
    case SetText::What::Name:
        return "name";
    case SetText::What::Device:
        return "device";
    case SetText::What::Board:
        return "board";
    case SetText::What::Supply:
        return "supply";
    case SetText::What::Temperature:
        return "temperature";
    case SetText::What::Outline:
        return say("board size");
    case SetText::What::ChipPlace:
        return say("chip position");
    case SetText::What::Stack:
        return "stack";
    case SetText::What::Heap:
        return "heap";
    case SetText::What::Range:
        return say("operating range");
    case SetText::What::Regulator:
        return "regulator";
    case SetText::What::Prefix:
        break;
    }
    return "prefix";
}

} // namespace

Outcome SetText::apply(Plan& plan) const
{
    if (what == SetText::What::Supply && !value.empty())
        if (const Expected<Voltage> supply = parseVoltage(value); !supply)
            return supply.problem();
    if (what == SetText::What::Temperature && !value.empty())
        if (const Expected<TemperatureRange> range = parseTemperatures(value); !range)
            return range.problem();
    if (what == SetText::What::Outline && !value.empty())
        if (const Expected<BoardOutline> outline = parseOutline(value); !outline)
            return outline.problem();
    if (what == SetText::What::ChipPlace && !value.empty())
        if (const Expected<BoardPlace> place = parsePlace(value); !place)
            return place.problem();
    if ((what == SetText::What::Stack || what == SetText::What::Heap) && !value.empty())
        if (const Expected<std::uint32_t> size = parseMemorySize(value); !size)
            return size.problem();
    textOf(plan, what) = value;
    return {};
}

Change SetText::undo(const Plan& before) const
{
    return SetText{what, textOf(before, what)};
}

std::string SetText::words(const Plan& before) const
{
    using What = SetText::What;
    if (what != What::Supply && what != What::Temperature && what != What::Outline && what != What::ChipPlace &&
        what != What::Stack && what != What::Heap)
        return fmt::format("{}: {}", nameOf(what), arrow(textOf(before, what), value));
    const bool memory = what == What::Stack || what == What::Heap;
    const auto said = [memory](const std::string& text) {
        return !text.empty() ? text : memory ? say("not stated") : say("as the board says");
    };
    return fmt::format("{}: {} \u2192 {}", nameOf(what), said(textOf(before, what)), said(value));
}

} // namespace bindrel
