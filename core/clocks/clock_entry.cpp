// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/clock_entry.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/board_facts.h"
#include "core/plan/clock_decision.h"
#include "core/plan/crystal_text.h"

#include <fmt/format.h>

namespace bindrel {

Expected<ClockEntry> readClockEntry(const Device& device, ClockIndex clock, std::string_view given)
{
    const ClockNode& node = device.clocks[clock];
    const std::string_view text = trimmed(given);
    if (text.empty())
        return takesCrystal(node)
                   ? ClockEntry{Edit{node.name + say(": as the board says"),
                                     {SetClock{node.id, std::nullopt}, SetCrystal{node.id, std::nullopt}}},
                                std::nullopt}
                   : ClockEntry{editOf(node.name + say(": reset value"), SetClock{node.id, std::nullopt}),
                                std::nullopt};
    // What drives an oscillator from outside is a fact of the board and no wish.
    if (takesCrystal(node) && looksLikeCrystal(text)) {
        const Expected<FittedCrystal> crystal = parseCrystal(text);
        if (!crystal)
            return crystal.problem();
        return ClockEntry{
            editOf(fmt::format("{}: {}", node.name, crystalText(*crystal)), SetCrystal{node.id, *crystal}),
            std::nullopt};
    }
    const Expected<ClockDecision> decision = readClockDecision(device, clock, text);
    if (decision)
        return ClockEntry{
            editOf(fmt::format("{}: {}", node.name, clockDecisionText(*decision)), SetClock{node.id, *decision}),
            std::nullopt};
    // A bare number is meant as a setting; a rate has a prefix or a unit.
    const bool bare = text.find_first_not_of("0123456789") == std::string_view::npos;
    const Expected<ReachTarget> wish = bare ? Expected<ReachTarget>(decision.problem()) : readReachWish(clock, text);
    if (!wish)
        return decision.problem();
    return ClockEntry{{}, *wish};
}

} // namespace bindrel
