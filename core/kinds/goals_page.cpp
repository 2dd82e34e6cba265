// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/kinds/goals_page.h"

#include "core/base/text.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

std::string valuesText(const GoalSpec& goal)
{
    using Type = GoalSpec::Type;
    const auto kindOf = [&]() -> std::string {
        switch (goal.type) {
        case Type::Frequency:
            return "rate";
        case Type::Baud:
            return "rate in baud";
        case Type::BitRate:
            return "rate in bit/s";
        case Type::Duration:
            return "time";
        case Type::Ratio:
            return goal.orTime ? "share, time or voltage" : "share";
        case Type::Tolerance:
            return "tolerance";
        case Type::Integer:
            return fmt::format("{} to {}", goal.min, goal.max);
        case Type::Choice:
            return joined(goal.choices, ", ");
        case Type::Name:
            return "name";
        case Type::Text:
            break;
        }
        return "text";
    };
    return kindOf() + (goal.orNone ? ", or `none`" : "");
}

} // namespace

std::string goalsPage()
{
    std::string out = R"(# Goals of needs

Made from what the kinds declare in the code; a test holds the two together. In a plan a goal is a text under `goals` of
its need; what is not stated has its default. What a kind makes of its goals is in [kinds](../kinds.md), how quantities
are written in [the plan file](plan.md#quantities).
)";
    for (const KindSpec& kind : kinds()) {
        if (kind.goals.empty())
            continue;
        out += fmt::format("\n## {}\n\n| goal | name | values | default | meaning |\n|---|---|---|---|---|\n", kind.id);
        for (const GoalSpec& goal : kind.goals)
            out += fmt::format("| `{}` | {} | {} | {} | {} |\n", goal.id, goal.title, valuesText(goal),
                               goal.fallback.empty() ? "" : "`" + goal.fallback + "`", goal.about);
    }
    return out;
}

} // namespace bindrel
