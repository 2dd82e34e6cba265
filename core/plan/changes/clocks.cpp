// SPDX-License-Identifier: GPL-3.0-or-later
// Changes of what is decided about clocks, and of what drives them.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/board_facts.h"
#include "core/plan/changes/lookup.h"
#include "core/plan/crystal_text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

Outcome SetClock::apply(Plan& plan) const
{
    // "As after reset" is what the plan does not say.
    const bool asAfterReset = value == ClockDecision(RunDecision());
    setOrErase(plan.clocks, node, asAfterReset ? std::nullopt : value);
    return {};
}

Change SetClock::undo(const Plan& before) const
{
    return SetClock{node, found(before.clocks, node)};
}

std::string SetClock::words(const Plan& before) const
{
    return fmt::format("{}: {}", node, arrow(clockDecisionText(found(before.clocks, node)), clockDecisionText(value)));
}

Outcome SetSlow::apply(Plan& plan) const
{
    plan.slow = set;
    return {};
}

Change SetSlow::undo(const Plan& before) const
{
    return SetSlow{before.slow};
}

std::string SetSlow::words(const Plan& before) const
{
    return say("low-speed clock set: {} \u2192 {}",
               before.slow ? sayCount(long(before.slow->clocks.size()), "{} decision", "{} decisions") : "none",
               set ? sayCount(long(set->clocks.size()), "{} decision", "{} decisions") : "none");
}

Outcome SetCrystal::apply(Plan& plan) const
{
    if (crystal)
        plan.crystals[clock] = *crystal;
    else
        plan.crystals.erase(clock);
    return {};
}

Change SetCrystal::undo(const Plan& before) const
{
    return SetCrystal{clock, fittedIn(before, clock)};
}

std::string SetCrystal::words(const Plan& before) const
{
    const auto text = [](const std::optional<std::optional<CrystalFact>>& fitted) {
        return fitted ? crystalText(*fitted) : std::string(say("from the board"));
    };
    return say("at {}: {} \u2192 {}", clock, text(fittedIn(before, clock)), text(crystal));
}

} // namespace bindrel
