// SPDX-License-Identifier: GPL-3.0-or-later
// A plan to begin with: what the parts of a board ask for.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/kind.h"
#include "core/plan/plan_file.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

Outcome stateNeeds(Plan& plan, const Part& part)
{
    for (const PartNeed& wanted : part.needs) {
        const KindSpec* kind = findKind(wanted.kind);
        if (!kind) {
            std::vector<std::string> names;
            for (const KindSpec& known : kinds())
                names.push_back(known.id);
            return problemOf(say("{} asks for a \"{}\", which is not a kind of need.{}", part.title, wanted.kind,
                                 didYouMean(wanted.kind, names)));
        }
        Need need;
        need.id = freeNeedId(plan, wanted.id.empty() ? part.id : part.id + "-" + wanted.id);
        need.part = part.id;
        need.title = wanted.title;
        need.kind = wanted.kind;
        for (const auto& [id, text] : wanted.goals) {
            const GoalSpec* goal = kind->goal(id);
            const Expected<std::string> checked =
                goal
                    ? checkGoal(*goal, text)
                    : Expected<std::string>(problemOf(say("\"{}\" is not a goal of a {} need.", id, say(kind->title))));
            if (!checked)
                return problemOf(fmt::format("{}, {}: {}", part.title, wanted.title, checked.problem().message));
            need.goals.state(id, *checked);
        }
        const std::vector<SignalSpec> signals = kind->signals(need);
        for (const auto& [signal, terminal] : wanted.terminals) {
            if (std::none_of(signals.begin(), signals.end(),
                             [&id = signal](const SignalSpec& s) { return s.id == id; }))
                return problemOf(say("{}, {}: \"{}\" is not a signal that this {} need takes.", part.title,
                                     wanted.title, signal, say(kind->title)));
            need.terminals[signal] = terminal;
        }
        plan.needs.push_back(std::move(need));
    }
    return {};
}

Expected<Plan> planFromBoard(const Board& board)
{
    Plan plan = emptyPlan(board);
    for (const Part& part : board.parts)
        if (Outcome stated = stateNeeds(plan, part); !stated)
            return stated.problem();
    return plan;
}

Plan emptyPlan(const Board& board)
{
    Plan plan;
    plan.name = board.name;
    plan.device = board.device;
    plan.board = board.name;
    return plan;
}

} // namespace bindrel
