// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement.h"

#include "core/pins/placer.h"

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

using Needs = std::vector<int>;
using Core = std::set<int>; ///< bound needs of which at least one must move

class Search {
public:
    Search(const Device& device, const Board& board, const Plan& plan, const PlacementRequest& request)
        : plan_(plan), request_(request), space_(device, board, plan, request.needs), placer_(space_, request.maxSteps, request.cancelled)
    {
        const Bindings bindings = bind(device, plan);
        for (size_t n = 0; n < plan.needs.size(); ++n) {
            const int need = static_cast<int>(n);
            if (std::find(request.needs.begin(), request.needs.end(), need) != request.needs.end())
                continue;
            const bool held = plan.held(holdOfNeed(plan.needs[n].id));
            const bool open = bindings.needs[n].state == BoundNeed::State::Open;
            // An open need is in the way of others only with the pads that it has; with these it can move.
            if (request.mayMove && !held && !(open && plan.needs[n].binding.pads.empty()))
                movable_.push_back(need);
            else
                fixed_.push_back(need);
        }
        if (request.mayMove && !request.leaveContests)
            for (const Contest& contest : bindings.contests)
                learnContest(contest), learnGroup(contest);
    }

    PlacementResult run()
    {
        if (request_.mayMove)
            movingFewest();
        else
            inPlace();
        out_.cancelled = placer_.wasCancelled();
        if (out_.ways.empty() && out_.proven)
        {
            out_.culprits = stuck_.empty() ? explain() : stuck_;
            out_.minimal = stuck_.empty() ? reduced_ : true;
        }
        return std::move(out_);
    }

private:
    Needs others(const Core& moved) const
    {
        Needs stay = fixed_;
        for (const int need : movable_)
            if (!moved.contains(need))
                stay.push_back(need);
        return stay;
    }

    Needs placedWith(const Core& moved) const
    {
        Needs vars = request_.needs;
        vars.insert(vars.end(), moved.begin(), moved.end());
        return vars;
    }

    void keep(const Placer::Answer& answer, const Needs& vars)
    {
        for (const Placer::Found& found : answer.found) {
            Placement way;
            way.cost = found.cost;
            for (size_t v = 0; v < vars.size(); ++v)
                if (found.bindings[v] != plan_.needs[size_t(vars[v])].binding)
                    way.bindings.emplace_back(vars[v], found.bindings[v]);
            const auto same = [&way](const Placement& other) { return other.bindings == way.bindings; };
            if (std::none_of(out_.ways.begin(), out_.ways.end(), same))
                out_.ways.push_back(std::move(way));
        }
        std::stable_sort(out_.ways.begin(), out_.ways.end(), [](const Placement& a, const Placement& b) { return a.cost < b.cost; });
        if (out_.ways.size() > request_.count)
            out_.ways.resize(request_.count);
    }

    void inPlace()
    {
        const Placer::Answer answer = placer_.solve(request_.needs, fixed_, request_.count, true);
        keep(answer, request_.needs);
        out_.proven = answer.exhausted;
    }

    /// Of two bound needs that contend one must move, if it may.
    void learnContest(const Contest& contest)
    {
        for (size_t a = 0; a < contest.claims.size(); ++a)
            for (size_t b = a + 1; b < contest.claims.size(); ++b) {
                const bool shared = !contest.as[a].empty() && contest.as[a] == contest.as[b];
                if (shared)
                    continue;
                Core core; // of one need with itself: that need
                bool placedAnyway = false;
                for (const Claim& claim : {contest.claims[a], contest.claims[b]}) {
                    if (std::find(movable_.begin(), movable_.end(), claim.need) != movable_.end())
                        core.insert(claim.need);
                    placedAnyway = placedAnyway || std::find(request_.needs.begin(), request_.needs.end(), claim.need) != request_.needs.end();
                }
                // Neither may move: the two are all that there is to say.
                if (!placedAnyway && core.empty() && stuck_.empty())
                    stuck_ = contest.claims[a].need == contest.claims[b].need ? Needs{contest.claims[a].need}
                                                                              : Needs{std::min(contest.claims[a].need, contest.claims[b].need), std::max(contest.claims[a].need, contest.claims[b].need)};
                if (!placedAnyway)
                    cores_.push_back(std::move(core));
            }
    }

    /// Of needs that all contend with each other for one thing at most one stays. Such a group says at once what its pairs, as cores,
    /// would only say after all sets that are too small had been looked at.
    void learnGroup(const Contest& contest)
    {
        std::vector<size_t> group;
        for (size_t a = 0; a < contest.claims.size(); ++a) {
            const auto apart = [&](size_t b) { return contest.claims[a].need != contest.claims[b].need && (contest.as[a].empty() || contest.as[a] != contest.as[b]); };
            const int need = contest.claims[a].need;
            if (std::find(movable_.begin(), movable_.end(), need) != movable_.end() && std::all_of(group.begin(), group.end(), apart))
                group.push_back(a);
        }
        Core members;
        for (const size_t a : group)
            members.insert(contest.claims[a].need);
        if (members.size() > 2)
            groups_.push_back(std::move(members));
    }

    /// How many more must move at least, given those that do: from groups that have nobody in common.
    size_t mustStillMove(const Core& chosen) const
    {
        size_t out = 0;
        Core counted;
        for (const Core& group : groups_) {
            size_t left = 0;
            bool fresh = true;
            for (const int need : group) {
                left += !chosen.contains(need);
                fresh = fresh && !counted.contains(need);
            }
            if (!fresh || left < 2)
                continue;
            out += left - 1;
            counted.insert(group.begin(), group.end());
        }
        return out;
    }

    /// The next smallest set of needs that has one of every core and contains none that was tried. Cores are learnt from
    /// failures, so the sets grow only as far as they must.
    bool nextSet(Core& out, size_t size)
    {
        Core chosen;
        return extend(chosen, size, out);
    }

    bool extend(Core& chosen, size_t size, Core& out)
    {
        // A search that grows with every core must be able to end: it asks as the placing does.
        if (placer_.wasCancelled() || ((++looks_ & 255) == 0 && request_.cancelled && request_.cancelled())) {
            placer_.cancel();
            return false;
        }
        if (chosen.size() + mustStillMove(chosen) > size)
            return false;
        for (const std::vector<Core>* list : {&tried_, &placeless_})
            for (const Core& used : *list)
                if (std::includes(chosen.begin(), chosen.end(), used.begin(), used.end()))
                    return false;
        const Core* open = nullptr;
        for (const Core& core : cores_)
            if (std::none_of(core.begin(), core.end(), [&chosen](int need) { return chosen.contains(need); }) && (!open || core.size() < open->size()))
                open = &core;
        if (!open) {
            // Fewer than asked for were tried in an earlier round; sets with a needless member say nothing new.
            out = chosen;
            return true;
        }
        if (chosen.size() == size)
            return false;
        for (const int need : *open) {
            chosen.insert(need);
            if (extend(chosen, size, out))
                return true;
            chosen.erase(need);
        }
        return false;
    }

    void movingFewest()
    {
        bool certain = true;
        for (size_t size = mustStillMove({}); size <= movable_.size() && !placer_.wasCancelled(); ++size) {
            // More ways are looked for among sets one larger than the smallest; beyond that nobody wants to look.
            if (!out_.ways.empty() && (out_.ways.size() >= request_.count || int(size) > out_.ways.front().cost.moved + 1))
                break;
            Core moved;
            while (!placer_.wasCancelled() && attempts_ < kMaxAttempts && nextSet(moved, size)) {
                ++attempts_;
                const Needs vars = placedWith(moved);
                const Needs stay = others(moved);
                // The best of each set: ways that differ in who moves tell more than ways that differ in a pad.
                const Placer::Answer answer = placer_.solve(vars, stay, 1);
                if (!answer.found.empty()) {
                    keep(answer, vars);
                    tried_.push_back(moved);
                    certain = certain && answer.exhausted;
                    continue;
                }
                if (!answer.exhausted) {
                    certain = false;
                    tried_.push_back(moved);
                    continue;
                }
                Core core = whoIsInTheWay(vars, moved);
                if (!core.empty()) {
                    cores_.push_back(std::move(core));
                    continue;
                }
                // Not even with everything else gone. Some of the movers have no place; others may.
                Core without = whoHasNoPlace(moved);
                if (without.empty()) {
                    out_.proven = out_.ways.empty();
                    return;
                }
                placeless_.push_back(std::move(without));
            }
            if (request_.count == 1 && !out_.ways.empty())
                break;
        }
        if (attempts_ >= kMaxAttempts)
            certain = false;
        // Fewer sets than ways were asked for: the best sets have other pads to offer.
        const std::vector<Core> sets = tried_;
        for (size_t i = 0; i < sets.size() && !out_.ways.empty() && out_.ways.size() < request_.count && !placer_.wasCancelled(); ++i)
            keep(placer_.solve(placedWith(sets[i]), others(sets[i]), request_.count), placedWith(sets[i]));
        out_.proven = certain && !placer_.wasCancelled();
    }

    /// Which of the movable needs that stay keep the others from finding a place: a set that cannot all stay, made small by
    /// leaving out one after the other.
    Core whoIsInTheWay(const Needs& vars, const Core& moved)
    {
        Needs rest;
        for (const int need : movable_)
            if (!moved.contains(need))
                rest.push_back(need);
        const auto impossibleWith = [&](const Needs& stay) {
            Needs all = fixed_;
            all.insert(all.end(), stay.begin(), stay.end());
            const Placer::Answer answer = placer_.solve(vars, all, 0);
            return answer.found.empty() && answer.exhausted;
        };
        if (impossibleWith({}))
            return {};
        // Halving finds a small set in few searches; then each member is tried by itself.
        for (size_t chunk = std::max<size_t>(1, rest.size() / 2);; chunk = std::max<size_t>(1, chunk / 2)) {
            for (size_t at = 0; at < rest.size();) {
                Needs without(rest.begin(), rest.begin() + std::ptrdiff_t(at));
                without.insert(without.end(), rest.begin() + std::ptrdiff_t(std::min(at + chunk, rest.size())), rest.end());
                if (without.size() < rest.size() && impossibleWith(without))
                    rest = std::move(without);
                else
                    at += chunk;
            }
            if (chunk == 1)
                break;
        }
        return Core(rest.begin(), rest.end());
    }

    /// Movers that cannot all be placed beside what must be placed, whatever else goes; empty when what must be placed cannot by itself.
    Core whoHasNoPlace(const Core& moved)
    {
        const auto impossible = [&](const Needs& movers) {
            Needs vars = request_.needs;
            vars.insert(vars.end(), movers.begin(), movers.end());
            const Placer::Answer answer = placer_.solve(vars, fixed_, 0);
            return answer.found.empty() && answer.exhausted;
        };
        Needs rest(moved.begin(), moved.end());
        for (size_t at = 0; at < rest.size();) {
            Needs fewer = rest;
            fewer.erase(fewer.begin() + std::ptrdiff_t(at));
            if (impossible(fewer))
                rest = std::move(fewer);
            else
                ++at;
        }
        return Core(rest.begin(), rest.end());
    }

    /// A minimal set of needs that cannot stand together, whoever of them is to be placed.
    std::vector<int> explain()
    {
        Needs vars = request_.needs;
        Needs stay = fixed_;
        if (request_.mayMove)
            vars.insert(vars.end(), movable_.begin(), movable_.end());
        // What takes nothing is in nobody's way.
        std::erase_if(stay, [this](int need) { return space_.needs[size_t(need)].now.empty(); });
        bool decided = true;
        const auto impossible = [&](const Needs& v, const Needs& s) {
            const Placer::Answer answer = placer_.solve(v, s, 0);
            decided = decided && !answer.feasibleUnknown();
            return answer.found.empty() && answer.exhausted;
        };
        if (!impossible(vars, stay))
            return {};
        // Some subsets are harder than the whole. One that is not decided soon keeps its member: the explanation may then
        // name more than it must, but never the wrong ones.
        for (Needs* list : {&stay, &vars})
            for (size_t chunk = std::max<size_t>(1, list->size() / 2);; chunk = std::max<size_t>(1, chunk / 2)) {
                for (size_t at = 0; at < list->size();) {
                    const Needs before = *list;
                    list->erase(list->begin() + std::ptrdiff_t(at), list->begin() + std::ptrdiff_t(std::min(at + chunk, list->size())));
                    // Large pieces are tried in haste; the members by themselves with all the time that there is.
                    placer_.limit(chunk > 1 ? std::min(request_.maxSteps, kStepsToExplain) : request_.maxSteps);
                    if (chunk == 1)
                        decided = true;
                    if (!impossible(vars, stay)) {
                        *list = before;
                        at += chunk;
                        reduced_ = reduced_ && (chunk > 1 || decided);
                    }
                }
                if (chunk == 1)
                    break;
            }
        vars.insert(vars.end(), stay.begin(), stay.end());
        std::sort(vars.begin(), vars.end());
        return vars;
    }

    static constexpr int kMaxAttempts = 400;
    static constexpr long kStepsToExplain = 1'000;
    const Plan& plan_;
    const PlacementRequest& request_;
    PlacementSpace space_;
    Placer placer_;
    Needs fixed_, movable_;
    Needs stuck_; ///< two that contend and are both held
    std::vector<Core> cores_, tried_, groups_;
    std::vector<Core> placeless_; ///< that cannot all move: they would find no place
    bool reduced_ = true;         ///< the explanation names nobody who could be spared
    long looks_ = 0;
    int attempts_ = 0;
    PlacementResult out_;
};

} // namespace

PlacementResult place(const Device& device, const Board& board, const Plan& plan, const PlacementRequest& request)
{
    return Search(device, board, plan, request).run();
}

} // namespace bindrel
