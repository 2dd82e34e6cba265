// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement.h"

#include "core/pins/placement_optimiser.h"

#include <algorithm>

namespace bindrel {

namespace {

using Needs = std::vector<NeedIndex>;

constexpr long kSoon = 5'000; ///< effort for what is expected to be found at once
constexpr int kUsual = 6'000; ///< variables for which the effort that was asked for is meant

bool contains(const Needs& needs, NeedIndex need)
{
    return std::find(needs.begin(), needs.end(), need) != needs.end();
}

class Search {
public:
    Search(const Device& device, const Board& board, const Plan& plan, const PlacementRequest& request)
        : plan_(plan), board_(board), request_(request),
          space_(device, board, plan, request.needs, request.strictRules), left_(request.effort)
    {
        const Bindings bindings = bind(device, plan);
        for (const NeedIndex n : plan.needs.indices()) {
            const NeedIndex need = static_cast<int>(n);
            if (contains(request.needs, need))
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
                findStuck(contest);
    }

    /// With a reason where there is no way, if that is wanted.
    PlacementResult run(bool explained)
    {
        if (!stuck_.empty())
            out_.proven = true;
        else if (request_.ranked)
            findWays();
        else
            findAnyWays();
        for (Placement& way : out_.ways)
            tellWishes(way);
        if (out_.ways.empty() && out_.proven && explained) {
            if (stuck_.empty()) {
                explain();
            } else {
                out_.culprits = stuck_;
                out_.minimal = true;
            }
        }
        return std::move(out_);
    }

private:
    /// Two that contend and must both stay are all that there is to say.
    void findStuck(const Contest& contest)
    {
        for (size_t a = 0; a < contest.claims.size() && stuck_.empty(); ++a)
            for (size_t b = a + 1; b < contest.claims.size(); ++b) {
                const int one = contest.claims[a].need, other = contest.claims[b].need;
                const bool shared = !contest.as[a].empty() && contest.as[a] == contest.as[b];
                if (shared || !contains(fixed_, one) || !contains(fixed_, other))
                    continue;
                stuck_ = one == other ? Needs{one} : Needs{std::min(one, other), std::max(one, other)};
                return;
            }
    }

    /// A model of more than the usual size gets more in proportion.
    long effortFor(const PlacementModel& model) const
    {
        return left_ / kUsual * std::max(kUsual, model.solver.variables());
    }

    void watch(PlacementModel& model) { model.solver.cancelWhen(request_.cancelled); }

    Placement placementOf(const PlacementModel& model, const PlacementModel::Assignment& way, const PlacementCost& cost,
                          const PlacementProof& proof) const
    {
        Placement out;
        for (const PlacementModel::NeedPlacement& stand : way)
            if (Binding binding = model.bindingOf(stand); binding != plan_.needs[stand.need].binding)
                out.bindings.emplace_back(stand.need, std::move(binding));
        std::sort(out.bindings.begin(), out.bindings.end(),
                  [](const auto& a, const auto& b) { return a.first < b.first; });
        out.cost = cost;
        out.proof = proof;
        if (!space_.swaps.empty())
            out.terminals = bestTerminals(space_.device, board_, withPlacement(plan_, out), space_.swaps);
        return out;
    }

    /// Which wishes a way breaks, if it costs any.
    void tellWishes(Placement& way) const
    {
        if (way.cost.wishes > 0)
            way.notKept = brokenWishes(space_.device, board_, withPlacement(plan_, way));
    }

    PlacementModel::PlacementScope who() const
    {
        return {request_.needs, movable_, fixed_, request_.mayMove && !request_.leaveContests, false};
    }

    void findWays()
    {
        // Who must move in any case often suffices; then nobody else has to be looked at.
        if (request_.mayMove && request_.leaveContests && request_.count == 1)
            if (const std::optional<Needs> must = whoMustMove()) {
                PlacementModel::PlacementScope few = who();
                few.move = *must;
                for (const NeedIndex need : movable_)
                    if (!contains(*must, need))
                        few.stay.push_back(need);
                findWaysFor(few);
                if (!out_.ways.empty() || out_.cancelled)
                    return;
            }
        findWaysFor(who());
    }

    /// Those of whom each alone is in the way wherever what must be placed stands. Nothing when it is not as plain as
    /// that.
    std::optional<Needs> whoMustMove()
    {
        Needs stay = fixed_;
        stay.insert(stay.end(), movable_.begin(), movable_.end());
        std::erase_if(stay, [this](NeedIndex need) { return space_.needs[need].now.empty(); });
        PlacementModel model(space_, {request_.needs, {}, stay, false, true});
        watch(model);
        const auto solveBeside = [&](const Needs& some) {
            std::vector<Literal> assumptions;
            for (const NeedIndex need : request_.needs)
                assumptions.push_back(model.takesPart(need));
            for (const NeedIndex need : stay)
                assumptions.push_back(contains(some, need) ? model.takesPart(need) : ~model.takesPart(need));
            return model.solve(assumptions, left_ / 64);
        };
        Needs out;
        for (Needs staying = stay;;) {
            const Solver::Answer answer = solveBeside(staying);
            if (answer == Solver::Answer::Yes)
                return out;
            if (answer == Solver::Answer::Unknown)
                return std::nullopt;
            // One of the core is enough by itself, or the reason is not plain.
            const std::vector<Literal> core = model.solver.core();
            const auto culprit = std::find_if(staying.begin(), staying.end(), [&](NeedIndex need) {
                if (!contains(movable_, need) ||
                    std::find(core.begin(), core.end(), model.takesPart(need)) == core.end())
                    return false;
                Needs alone = fixed_;
                std::erase_if(alone, [&stay](int n) { return !contains(stay, n); });
                alone.push_back(need);
                return solveBeside(alone) == Solver::Answer::No;
            });
            if (culprit == staying.end())
                return std::nullopt;
            out.push_back(*culprit);
            staying.erase(culprit);
        }
    }

    void findWaysFor(const PlacementModel::PlacementScope& who)
    {
        PlacementModel model(space_, who);
        watch(model);
        std::vector<PlacementModel::Assignment> found;
        // The first way gets the most; others are told from it, not weighed to the last.
        const auto next = [&](PlacementModel& from, long effort) {
            const auto improved = [&](const PlacementModel::Assignment& way, const PlacementCost& cost,
                                      const PlacementProof& proof) {
                if (request_.improved && found.empty())
                    request_.improved(placementOf(from, way, cost, proof));
            };
            PlacementOptimiser::Best best;
            const Solver::Answer answer = PlacementOptimiser(from, improved).run(best, effort);
            out_.cancelled = from.solver.wasCancelled();
            if (answer == Solver::Answer::Yes) {
                out_.ways.push_back(placementOf(from, best.way, best.cost, best.proof));
                found.push_back(best.way);
            }
            return answer;
        };
        const long whole = effortFor(model);
        const Solver::Answer first =
            model.isImpossible() ? Solver::Answer::No : next(model, request_.count > 1 ? whole / 2 : whole);
        tooMany_ = model.tooMany();
        out_.proven = first == Solver::Answer::No ||
                      (first == Solver::Answer::Yes &&
                       out_.ways.front().proof.provenTo(PlacementLevel::Pads, out_.ways.front().cost));
        if (first != Solver::Answer::Yes || request_.count < 2)
            return;
        // Ways that differ in who moves tell more than ways that differ in a pad, as long as no more than one more
        // moves.
        // What wishes cost the first one, the others spare.
        const long others = space_.wishes ? whole * 3 / 8 : effortFor(model) / 2;
        const long each = others / long(request_.count);
        const int most = out_.ways.front().cost.moved + 1;
        while (out_.ways.size() < request_.count && !out_.cancelled && !model.movers().empty()) {
            std::vector<Literal> stays;
            for (const PlacementModel::NeedPlacement& stand : found.back())
                if (stand.site >= 0 && contains(model.movers(), stand.need))
                    stays.push_back(model.stays(stand.need));
            model.solver.atLeastOne(stays);
            if (next(model, each) != Solver::Answer::Yes)
                break;
            if (out_.ways.back().cost.moved > most) {
                out_.ways.pop_back();
                found.pop_back();
                break;
            }
        }
        if (out_.ways.size() < request_.count && !out_.cancelled) {
            PlacementModel again(space_, who);
            watch(again);
            for (const PlacementModel::Assignment& way : found)
                again.exclude(way);
            while (out_.ways.size() < request_.count && !out_.cancelled && next(again, each) == Solver::Answer::Yes) {
                if (out_.ways.back().cost.moved > most) {
                    out_.ways.pop_back();
                    break;
                }
                again.exclude(found.back());
            }
        }
        std::stable_sort(out_.ways.begin() + 1, out_.ways.end(),
                         [](const Placement& a, const Placement& b) { return a.cost < b.cost; });
    }

    void findAnyWays()
    {
        PlacementModel model(space_, who());
        watch(model);
        Solver::Answer answer = Solver::Answer::Yes;
        while (out_.ways.size() < request_.count &&
               (answer = model.solve({}, left_ - model.solver.spent())) == Solver::Answer::Yes) {
            const PlacementModel::Assignment way = model.way();
            out_.ways.push_back(placementOf(model, way, model.costOf(way), {}));
            model.exclude(way);
        }
        out_.cancelled = model.solver.wasCancelled();
        out_.proven = answer == Solver::Answer::No;
    }

    /// A minimal set of needs that cannot stand together, whoever of them is to be placed.
    void explain()
    {
        Needs vars = request_.needs;
        vars.insert(vars.end(), movable_.begin(), movable_.end());
        // What takes nothing is in nobody's way.
        Needs stay = fixed_;
        std::erase_if(stay, [this](NeedIndex need) { return space_.needs[need].now.empty(); });
        // Counting names few; often the reason lies among them and those that stay.
        if (!tooMany_.empty()) {
            Needs few = vars;
            std::erase_if(few, [this](NeedIndex need) { return !contains(tooMany_, need); });
            if (explainAmong(few, stay))
                return;
        }
        explainAmong(vars, stay);
    }

    /// False when these can stand together, or nobody knows.
    bool explainAmong(const Needs& vars, const Needs& stay)
    {
        PlacementModel model(space_, {vars, {}, stay, false, true});
        watch(model);
        Needs all = stay;
        all.insert(all.end(), vars.begin(), vars.end());
        const auto solveFor = [&](const Needs& some, long effort, Solver::Manner manner = Solver::Manner::Guided) {
            std::vector<Literal> assumptions;
            for (const NeedIndex need : all)
                if (contains(some, need))
                    assumptions.push_back(model.takesPart(need));
            for (const NeedIndex need : all)
                if (!contains(some, need))
                    assumptions.push_back(~model.takesPart(need));
            return model.solve(assumptions, effort, manner);
        };
        const auto coreOf = [&](const Needs& some) {
            Needs out;
            const std::vector<Literal>& core = model.solver.core();
            for (const NeedIndex need : some)
                if (std::find(core.begin(), core.end(), model.takesPart(need)) != core.end())
                    out.push_back(need);
            return out;
        };
        if (solveFor(all, left_) != Solver::Answer::No) {
            out_.cancelled = model.solver.wasCancelled();
            return false;
        }
        out_.minimal = true;
        const long end = model.solver.spent() + left_;
        // As few of a set as say it. One that cannot be decided soon keeps its member: the explanation may then name
        // more than it must, but never the wrong ones.
        const auto fewest = [&](const Needs& among) {
            Needs core = coreOf(among);
            // "Three buses on two controllers" says more than whose pads they would have to take.
            for (const NeedIndex culprit : Needs(core)) {
                Needs alike = among;
                std::erase_if(alike,
                              [&](NeedIndex need) { return plan_.needs[need].kind != plan_.needs[culprit].kind; });
                if (contains(vars, culprit) && alike.size() < among.size() &&
                    solveFor(alike, left_ / 8) == Solver::Answer::No) {
                    core = coreOf(alike);
                    break;
                }
            }
            for (size_t at = 0; at < core.size() && !model.solver.wasCancelled();) {
                Needs fewer = core;
                fewer.erase(fewer.begin() + std::ptrdiff_t(at));
                // Most members are needed, and a way without one is like the way without the one before: found at once
                // from there.
                const long each = (end - model.solver.spent()) / long(core.size());
                Solver::Answer answer = solveFor(fewer, std::min(each, kSoon), Solver::Manner::Plain);
                if (answer == Solver::Answer::Unknown)
                    answer = solveFor(fewer, each);
                if (answer == Solver::Answer::No) {
                    // Those before were needed with more beside them; they are needed still.
                    core = coreOf(fewer);
                    continue;
                }
                out_.minimal = out_.minimal && answer == Solver::Answer::Yes;
                ++at;
            }
            std::sort(core.begin(), core.end());
            return core;
        };
        out_.culprits = fewest(all);
        // Whoever mends this must not run into the next reason unwarned.
        constexpr size_t kMore = 3;
        Needs rest = all;
        const Needs* last = &out_.culprits;
        while (out_.moreCulprits.size() < kMore && !model.solver.wasCancelled() && !last->empty()) {
            std::erase_if(rest, [last](NeedIndex need) { return contains(*last, need); });
            if (solveFor(rest, std::min(left_ / 8, kSoon)) != Solver::Answer::No)
                break;
            out_.moreCulprits.push_back(fewest(rest));
            last = &out_.moreCulprits.back();
        }
        out_.minimal = out_.minimal && !model.solver.wasCancelled();
        return true;
    }

    const Plan& plan_;
    const Board& board_;
    const PlacementRequest& request_;
    PlacementSpace space_;
    long left_;
    Needs fixed_, movable_;
    Needs stuck_;   ///< two that contend and must both stay
    Needs tooMany_; ///< see PlacementModel::tooMany()
    PlacementResult out_;
};

/// Rules for the layout without which there would be a way: one after the other is left out, and stays out where there
/// is none even so.
std::vector<std::string> rulesInTheWay(const Device& device, const Board& board, const Plan& plan,
                                       const PlacementRequest& request)
{
    PlacementRequest any = request;
    any.ranked = false;
    any.count = 1;
    any.improved = {};
    const auto isPossible = [&](const Board& trial) {
        return !Search(device, trial, plan, any).run(false).ways.empty();
    };
    Board trial = board;
    std::erase_if(trial.wishes, [](const auto& wish) { return wish.second == WishStrength::Rule; });
    if (trial.wishes.size() == board.wishes.size() || !isPossible(trial))
        return {};
    std::vector<std::string> out;
    trial = board;
    for (const auto& [sentence, strength] : board.wishes) {
        if (strength != WishStrength::Rule || (request.cancelled && request.cancelled()))
            continue;
        trial.wishes.erase(sentence);
        if (isPossible(trial)) {
            trial.wishes.emplace(sentence, strength);
            out.push_back(sentence);
        }
    }
    return out;
}

} // namespace

Plan withPlacement(Plan plan, const Placement& way)
{
    for (const auto& [need, binding] : way.bindings)
        plan.needs[need].binding = binding;
    for (const auto& [need, terminals] : way.terminals)
        plan.needs[need].terminals = terminals;
    return plan;
}

PlacementResult place(const Device& device, const Board& board, const Plan& plan, const PlacementRequest& request)
{
    PlacementResult out = Search(device, board, plan, request).run(true);
    if (out.ways.empty() && out.proven && !out.cancelled)
        out.rules = rulesInTheWay(device, board, plan, request);
    return out;
}

} // namespace bindrel
