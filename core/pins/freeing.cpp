// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/freeing.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/relocate.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// The change, and after it what the search moves; nothing when contention stays even so.
std::optional<RelaxationOption> tried(const Device& device, const Board& board, const Plan& plan,
                                      RelaxationOption::Kind kind, const std::string& what, Edit first,
                                      const std::function<bool()>& cancelled)
{
    const Expected<Plan> changed = applied(plan, first);
    if (!changed)
        return std::nullopt;
    RelaxationOption out{kind, what, std::move(first)};
    if (bind(device, *changed).contests.empty())
        return out;
    Untangling then = untangle(device, board, *changed, 1, cancelled);
    if (then.ways.empty())
        return std::nullopt;
    out.text += ": " + lowered(then.ways.front().edit.title.substr(then.ways.front().edit.title.find(' ') + 1));
    for (Change& change : then.ways.front().edit.changes)
        out.edit.changes.push_back(std::move(change));
    return out;
}

} // namespace

std::vector<RelaxationOption> relaxationOptions(const Device& device, const Board& board, const Board& filed,
                                                const Plan& plan,
                                                const std::vector<std::shared_ptr<const Device>>& others,
                                                const std::function<bool()>& cancelled)
{
    std::vector<RelaxationOption> out;
    const auto stopped = [&cancelled] { return cancelled && cancelled(); };
    for (const Hold& hold : plan.holds) {
        const Need* need = hold.of == Hold::Of::Need ? plan.need(hold.id) : nullptr;
        if (!need || stopped())
            continue;
        const std::string what = say("release ") + need->title + (hold.signal.empty() ? "" : " " + hold.signal);
        if (auto way = tried(device, board, plan, RelaxationOption::Kind::LetGo, what,
                             editOf(say("Untangle: {}", what), SetHold{hold, false}), cancelled))
            out.push_back(std::move(*way));
    }
    PlacementRequest request;
    request.mayMove = true;
    request.cancelled = cancelled;
    for (const NeedIndex culprit : place(device, board, plan, request).culprits) {
        const Need& need = plan.needs[culprit];
        if (stopped())
            break;
        if (auto way =
                tried(device, board, plan, RelaxationOption::Kind::LeaveOut, say("leave out {}", need.title),
                      editOf(say("Resolve conflicts: leave out {}", need.title), SetBinding{need.id, {}}), cancelled))
            out.push_back(std::move(*way));
    }
    std::vector<std::pair<int, RelaxationOption>> elsewhere;
    for (const auto& other : others) {
        if (!other || other->name == device.name || stopped())
            continue;
        Relocation there = relocate(*other, filed, board, plan, cancelled);
        if (there.cancelled || there.count(Relocation::Fate::Opens) > 0)
            continue;
        const int moves = there.count(Relocation::Fate::Moves);
        const bool family = other->family == device.family;
        std::string text =
            say("{} {} ({}): all placed, {} {}", family ? "take" : say("change to"), other->name, other->package.name,
                sayCount(moves, "{} need", "{} needs"), moves == 1 ? "moves" : "move");
        elsewhere.emplace_back(moves + (family ? 0 : 1000), RelaxationOption{RelaxationOption::Kind::OtherDevice,
                                                                             std::move(text), std::move(there.edit)});
    }
    std::stable_sort(elsewhere.begin(), elsewhere.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    for (auto& [rank, way] : elsewhere)
        out.push_back(std::move(way));
    return out;
}

} // namespace bindrel
