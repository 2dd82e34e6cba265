// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/completion.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace bindrel {

namespace {
/// Trees on which the exact answer would take longer than this get the best found so far.
constexpr long kMostSteps = 12'000;
constexpr std::ptrdiff_t kMostSettings = 64;
/// Parts are joined by what a select could take, not only by what it takes, as long as they are no larger than this.
constexpr std::size_t kLargePart = 14;
} // namespace

Completion::Completion(const ClockTrial& now) : now_(now), dependents_(now.size())
{
    for (ClockIndex i = 0; i < int(now.size()); ++i) {
        wasRates_.push_back(now.clocks[i].hertz);
        brokeBefore_.push_back(now.breaks(i));
        outsideBefore_.push_back(now.outside(i));
    }
    const IndexVector<ClockIndex, ClockNode>& nodes = now.device().clocks;
    for (ClockIndex i = 0; i < int(nodes.size()); ++i) {
        const ClockNode& node = nodes[i];
        const auto on = [&](int other) {
            if (other >= 0)
                dependents_[size_t(other)].push_back(int(i));
        };
        on(node.follows);
        const auto beside = [&](const RelativeLimit& limit) {
            beside_ = true;
            on(limit.to);
            // What is measured by a later clock is judged there.
            if (limit.to > int(i))
                dependents_[i].push_back(limit.to);
        };
        for (const RelativeLimit& relative : node.limit.relative)
            beside(relative);
        on(node.trim ? node.trim->by : ClockIndex());
        for (const ClockInput& input : node.inputs)
            on(input.node);
        for (const auto& [range, limit] : node.limitByRange)
            for (const RelativeLimit& relative : limit.relative)
                beside(relative);
    }
    stoodBefore_.assign(now.device().neverTogether.size(), false);
    for (const int c : now.forbiddenNow())
        stoodBefore_[size_t(c)] = true;
    // What must not stand together is judged at its last clock, so that one depends on the others.
    for (const ClockCombination& combination : now.device().neverTogether)
        for (const ClockCombination::Term& term : combination.terms)
            if (const int last = combination.terms.back().clock; term.clock != last)
                dependents_[size_t(term.clock)].push_back(last);
}

void Completion::begin(const std::vector<bool>& decided, const ClockTrial& trial)
{
    decided_ = decided;
    others_.clear();
    ceilings_.assign(decided.size(), {});
    bests_.resize(decided.size());
    if (trial.range() != bestsRange_)
        for (auto& bests : bests_)
            bests.clear();
    bestsRange_ = trial.range();
    alone_.assign(decided.size(), false);
    looksAhead_ = false;
    for (size_t i = 0; i < decided.size(); ++i) {
        if (!decided[i])
            others_.push_back(int(i));
        for (const RelativeLimit& ceiling : trial.relative(i)) {
            looksAhead_ = looksAhead_ || ahead(int(i), ceiling);
            if (!decided[size_t(ceiling.to)] && (decided[i] || ahead(int(i), ceiling)))
                ceilings_[size_t(ceiling.to)].push_back(int(i));
        }
    }
    const std::vector<ClockCombination>& combinations = now_.device().neverTogether;
    for (const ClockIndex i : others_) {
        const ClockNode& node = now_.device().clocks[i];
        // Whether one that stands still may run depends on the whole way to it.
        alone_[i] = (node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply) &&
                    now_.clocks[i].running && trial.relative(i).empty() && ceilings_[i].empty() &&
                    std::none_of(combinations.begin(), combinations.end(),
                                 [i](const ClockCombination& combination) { return combination.concerns(i); });
    }
}

/// All settings; of very many those whose rates are nearest to what the rate was.
const std::vector<std::int64_t>& Completion::nearest(const ClockTrial& trial, ClockIndex index,
                                                     std::vector<std::int64_t>& out) const
{
    const ClockIndex i = size_t(index);
    const ClockNode& node = now_.device().clocks[i];
    if (trial.settings(i).size() <= kMostSettings)
        return trial.settings(i);
    out = trial.settings(i);
    const double input = trial.clocks[trial.inputOf(i)].hertz;
    const double was = now_.clocks[i].hertz;
    const double ideal = node.type == ClockNode::Type::Divide ? input / was : was / input;
    if (node.dense && ideal > 0 && ideal < 1e9)
        for (const std::int64_t fine :
             {std::int64_t(ideal * double(node.unit)), std::int64_t(ideal * double(node.unit)) + 1})
            if (node.canBe(fine))
                out.push_back(fine);
    const auto off = [&](std::int64_t setting) { return std::abs(double(setting) / double(node.unit) - ideal); };
    std::nth_element(out.begin(), out.begin() + kMostSettings, out.end(),
                     [&off](std::int64_t a, std::int64_t b) { return off(a) < off(b); });
    out.resize(kMostSettings);
    return out;
}

/// Whether taking a clock would wake something beyond its limits: itself, or what it comes from. What runs or is
/// decided has been judged.
bool Completion::wakesOutside(const ClockTrial& trial, ClockIndex clock) const
{
    for (ClockIndex at = clock; at >= 0 && !now_.clocks[at].running && !decided_[size_t(at)];
         at = trial.inputOf(size_t(at)))
        if (outside(trial, at))
            return true;
    return false;
}

/// What a setting costs; empty for an input that a select must not take.
std::optional<Completion::Row> Completion::rowOf(ClockTrial& trial, ClockIndex index, std::int64_t setting)
{
    const ClockIndex i = size_t(index);
    ++steps_;
    trial.clocks[i].setting = setting;
    if (now_.device().clocks[i].type == ClockNode::Type::Select && setting != now_.clocks[i].setting) {
        const ClockIndex input = trial.inputOf(i);
        if (input < 0 || trial.clocks[input].rate.value.isZero() || wakesOutside(trial, input))
            return std::nullopt;
    }
    trial.compute(i);
    return Row{costOf(trial, index), offBy(i, trial.clocks[i].hertz), trial.clocks[i]};
}

/// How many times faster or slower than it was; 0 where it stands still before or after.
double Completion::offBy(ClockIndex clock, double rate) const
{
    const double was = wasRates_[clock];
    return was > 0 && rate > 0 ? std::max(rate / was, was / rate) : 0;
}

/// Settings from the most promising on: cheap first, then those that keep the rate nearest to what it was. Without
/// those that cost too much after what has been decided `before`.
std::vector<Completion::Row> Completion::ordered(ClockTrial& trial, ClockIndex index, const Cost& before)
{
    const ClockIndex i = size_t(index);
    std::vector<Row> rows;
    rows.reserve(std::min<std::size_t>(trial.settings(i).size(), kMostSettings) + 1);
    const auto add = [&](std::int64_t setting) {
        if (const std::optional<Row> row = rowOf(trial, index, setting); row && before + row->cost < toBeat())
            rows.push_back(*row);
    };
    add(now_.clocks[i].setting);
    std::vector<std::int64_t> few;
    for (const std::int64_t setting : nearest(trial, index, few))
        if (setting != now_.clocks[i].setting)
            add(setting);
    std::stable_sort(rows.begin(), rows.end(), [](const Row& a, const Row& b) { return a < b; });
    return rows;
}

std::size_t Completion::InputHash::operator()(const Input& input) const
{
    std::size_t hash = 0;
    for (const Rational& number : {input.rate.value, input.tolerance.low.value, input.tolerance.high.value})
        for (const std::int64_t half : {number.num(), number.den()})
            hash = (hash ^ std::size_t(half)) * 0x9E3779B97F4A7C15u + (hash >> 29);
    return hash;
}

/// The first of ordered(). What a factor alone comes to is looked for once for each rate that it gets.
Completion::Row Completion::bestOf(ClockTrial& trial, ClockIndex index)
{
    if (!alone_[index])
        return lookForBest(trial, index);
    const TrialClock& input = trial.clocks[now_.device().clocks[index].inputs.front().node];
    const auto [at, fresh] = bests_[index].try_emplace({input.rate, input.tolerance});
    if (fresh)
        at->second = lookForBest(trial, index);
    return at->second;
}

/// Without looking at all: what costs nothing but being set anew is not beaten by one that is further off.
Completion::Row Completion::lookForBest(ClockTrial& trial, ClockIndex index)
{
    const ClockIndex i = size_t(index);
    const ClockNode& node = now_.device().clocks[i];
    Row best = *rowOf(trial, index, now_.clocks[i].setting);
    // Nothing else can cost less than staying where that costs only what must be.
    if (best.cost == Cost{0, 0, dependents_[i].empty() && mustChange(trial, index), 0, 0})
        return best;
    std::vector<std::pair<double, std::int64_t>> rows;
    const double input =
        node.inputs.empty() || node.type == ClockNode::Type::Select ? 0 : trial.clocks[node.inputs.front().node].hertz;
    std::vector<std::int64_t> few;
    for (const std::int64_t setting : nearest(trial, index, few)) {
        if (setting == now_.clocks[i].setting)
            continue;
        double rate = 0;
        if (node.type == ClockNode::Type::Divide || node.type == ClockNode::Type::Multiply) {
            const double factor = double(setting) / double(node.unit);
            rate = node.type == ClockNode::Type::Divide ? input / factor : input * factor;
        } else {
            trial.clocks[i].setting = setting;
            trial.compute(i);
            rate = trial.clocks[i].hertz;
        }
        rows.emplace_back(offBy(i, rate), setting);
    }
    std::stable_sort(rows.begin(), rows.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    // Of rates that floating point cannot tell apart one may be the old one exactly.
    constexpr double kAlike = 1 + 1e-12;
    double enough = std::numeric_limits<double>::max();
    for (const auto& [off, setting] : rows) {
        if (off > enough)
            break;
        const std::optional<Row> row = rowOf(trial, index, setting);
        if (!row)
            continue;
        if (*row < best)
            best = *row;
        if (row->cost.broken == 0 && row->cost.forbidden == 0 && row->cost.outside == 0 &&
            enough == std::numeric_limits<double>::max())
            enough = off * kAlike;
    }
    return best;
}

void Completion::decide(ClockTrial& trial, const std::vector<ClockIndex>& part, size_t at, Cost cost)
{
    if (cost >= toBeat() || steps_ > kMostSteps)
        return;
    if (at == part.size()) {
        best_ = cost;
        bestSettings_.clear();
        for (const ClockIndex i : part)
            bestSettings_.emplace_back(i, trial.clocks[i].setting);
        return;
    }
    const int index = part[at];
    const ClockIndex i = size_t(index);
    if (dependents_[i].empty() && (at == 0 || !dependents_[part[at - 1]].empty())) {
        // Those that nothing depends on stand together behind what they depend on; what they cost at least may be too
        // much already.
        Cost least = cost;
        for (std::size_t k = at; k < part.size() && dependents_[part[k]].empty(); ++k)
            least.changed += mustChange(trial, part[k]);
        if (least >= toBeat())
            return;
    }
    trial.clocks[i].setting = now_.clocks[i].setting;
    const auto go = [&](const Cost& own, const TrialClock& clock) {
        trial.clocks[i] = clock;
        decide(trial, part, at + 1, cost + own);
    };
    trial.compute(i);
    const bool open = trial.free(i) && !trial.settings(i).empty() && touched(trial, index);
    if (open && dependents_[i].empty()) {
        const Row best = bestOf(trial, index);
        go(best.cost, best.clock);
        return;
    }
    // Staying as it is comes first where that costs nothing, and what then costs no more than all before is not beaten.
    const Cost staying = costOf(trial, index);
    if (!open || staying == Cost()) {
        go(staying, TrialClock(trial.clocks[i]));
        if (!open || (best_ && *best_ <= cost))
            return;
    }
    for (const Row& row : ordered(trial, index, cost)) {
        if (cost + row.cost >= toBeat())
            break; // those behind it cost no less
        go(row.cost, row.clock);
    }
}

/// Whether a clock in use that nothing depends on surely cannot keep its rate, whatever it is set to. Its inputs have
/// been decided.
bool Completion::mustChange(const ClockTrial& trial, ClockIndex index) const
{
    const ClockNode& node = now_.device().clocks[index];
    const double was = wasRates_[index];
    if (!now_.clocks[index].used || !(was > 0) || node.isSource())
        return false;
    // Far more than floating point is wrong by, and far less than two rates of one clock ever differ.
    const auto alike = [](double a, double b) { return std::abs(a - b) <= 1e-12 * std::abs(b); };
    if (node.type == ClockNode::Type::Select)
        return std::none_of(node.inputs.begin(), node.inputs.end(), [&](const ClockInput& input) {
            return input.node >= 0 && alike(trial.clocks[input.node].hertz, was);
        });
    if (node.type != ClockNode::Type::Divide && node.type != ClockNode::Type::Multiply)
        return false;
    const double input = trial.clocks[node.inputs.front().node].hertz;
    const double factor = (node.type == ClockNode::Type::Divide ? input / was : was / input) * double(node.unit);
    return !alike(std::round(factor), factor);
}

/// As they are decided: a clock that nothing depends on at once after the last that it depends on, so that its cost is
/// known early.
std::vector<ClockIndex> Completion::orderOf(const std::vector<ClockIndex>& part) const
{
    std::vector<int> waits(now_.size(), 0); // for so many of the part
    for (const ClockIndex clock : part)
        for (const ClockIndex after : dependents_[clock])
            ++waits[std::size_t(int(after))];
    const auto add = [&](std::vector<ClockIndex>& out, ClockIndex clock) {
        out.push_back(clock);
        for (const ClockIndex after : dependents_[clock])
            if (--waits[std::size_t(int(after))] == 0 && dependents_[after].empty() &&
                std::binary_search(part.begin(), part.end(), after))
                out.push_back(after);
    };
    std::vector<ClockIndex> out;
    for (const ClockIndex clock : part)
        if (dependents_[clock].empty() && waits[std::size_t(int(clock))] == 0)
            out.push_back(clock);
    for (const ClockIndex clock : part)
        if (!dependents_[clock].empty())
            add(out, clock);
    return out;
}

/// Clocks that something decided reaches, in parts that do not depend on each other.
std::vector<std::vector<ClockIndex>> Completion::parts(const ClockTrial& trial, bool large) const
{
    std::vector<int> leader(trial.size(), -1); // -1: nothing reaches it
    const auto find = [&leader](int i) {
        while (leader[size_t(i)] != i)
            i = leader[size_t(i)] = leader[size_t(leader[size_t(i)])];
        return i;
    };
    const auto visit = [&](int index) {
        const ClockIndex i = size_t(index);
        const ClockNode& node = now_.device().clocks[i];
        const ClockIndex input = now_.inputOf(i);
        const auto moved = [&](ClockIndex other) {
            return other >= 0 && (leader[size_t(other)] >= 0 || trial.clocks[other].rate != now_.clocks[other].rate ||
                                  !(trial.clocks[other].tolerance == now_.clocks[other].tolerance));
        };
        const std::vector<RelativeLimit>& ceilings = trial.relative(i);
        const bool ceilingMoved = std::any_of(ceilings.begin(), ceilings.end(),
                                              [&moved](const RelativeLimit& ceiling) { return moved(ceiling.to); }) ||
                                  std::any_of(ceilings_[i].begin(), ceilings_[i].end(),
                                              [&](int below) { return !decided_[size_t(below)] && moved(below); });
        const auto besideMoved = [&](const ClockCombination& combination) {
            return combination.concerns(index) && std::any_of(combination.terms.begin(), combination.terms.end(),
                                                              [&](const ClockCombination::Term& term) {
                                                                  return term.clock != index && moved(term.clock);
                                                              });
        };
        const std::vector<ClockCombination>& combinations = now_.device().neverTogether;
        if (!strained_[i] && !moved(input) && !moved(node.follows) && !factorMoved(trial, i) && !ceilingMoved &&
            !(node.trim && moved(node.trim->by)) && std::none_of(combinations.begin(), combinations.end(), besideMoved))
            return;
        leader[i] = index;
        // A select that nothing depends on may find its old rate in another part; that makes large parts of many.
        const bool leaf = dependents_[i].empty() && node.type == ClockNode::Type::Select;
        const auto join = [&](int other) {
            if (other >= 0 && leader[size_t(other)] >= 0)
                leader[size_t(find(other))] = find(index);
        };
        for (const ClockInput& choice : node.inputs)
            if (!large || !leaf || choice.node == input)
                join(choice.node);
        join(node.follows);
        for (const RelativeLimit& ceiling : ceilings)
            join(ceiling.to);
        for (const int below : ceilings_[i])
            join(below);
        for (const ClockCombination& combination : combinations)
            if (combination.concerns(index))
                for (const ClockCombination::Term& term : combination.terms)
                    join(term.clock);
    };
    // A clock that is measured by a later one is reached from there: again until nothing new is.
    for (bool more = true; more;) {
        more = false;
        for (const int index : others_)
            if (leader[size_t(index)] < 0) {
                visit(index);
                more = more || ((looksAhead_ || !now_.device().neverTogether.empty()) && leader[size_t(index)] >= 0);
            }
    }
    std::map<int, std::vector<ClockIndex>> byLeader;
    for (const int index : others_)
        if (leader[size_t(index)] >= 0)
            byLeader[find(index)].push_back(index);
    std::vector<std::vector<ClockIndex>> out;
    for (auto& [first, part] : byLeader)
        out.push_back(std::move(part));
    return out;
}

/// All that the answer for a part depends on.
void Completion::keyOf(const ClockTrial& trial, const std::vector<ClockIndex>& part, Reach reach)
{
    std::vector<std::int64_t>& key = key_;
    key.assign({trial.range(), int(reach)});
    const auto add = [&](ClockIndex clock) {
        if (clock < 0)
            return;
        const TrialClock& c = trial.clocks[clock];
        key.insert(key.end(), {clock, c.rate.value.num(), c.rate.value.den(), c.tolerance.low.value.num(),
                               c.tolerance.low.value.den(), c.tolerance.high.value.num(), c.tolerance.high.value.den(),
                               c.setting});
        // Of two clocks from one source the tolerance does not count against each other.
        if (beside_)
            key.push_back(trial.sourceOf(size_t(clock)));
    };
    for (const ClockIndex index : part) {
        const ClockNode& node = now_.device().clocks[index];
        key.push_back(index);
        for (const ClockInput& input : node.inputs)
            if (!std::binary_search(part.begin(), part.end(), input.node))
                add(input.node);
        const auto addOutside = [&](int other) {
            if (!std::binary_search(part.begin(), part.end(), other))
                add(other);
        };
        addOutside(node.follows);
        for (const RelativeLimit& ceiling : trial.relative(size_t(index)))
            addOutside(ceiling.to);
        for (const int below : ceilings_[size_t(index)])
            addOutside(below);
        for (const ClockCombination& combination : now_.device().neverTogether)
            if (combination.concerns(index))
                for (const ClockCombination::Term& term : combination.terms)
                    addOutside(term.clock);
    }
}

Completion::Outcome Completion::search(ClockTrial& trial, Reach reach, const Bounds& bounds)
{
    for (const ClockIndex i : others_)
        trial.clocks[i] = now_.clocks[i];
    markAdjustableClocks(trial, reach);
    bool broken = false;
    std::vector<std::vector<ClockIndex>> all = parts(trial, false);
    if (std::any_of(all.begin(), all.end(),
                    [](const std::vector<ClockIndex>& part) { return part.size() > kLargePart; }))
        all = parts(trial, true);
    int changed = 0;
    for (const std::vector<ClockIndex>& part : all) {
        constexpr int kAny = std::numeric_limits<int>::max();
        const Cost under =
            bounds.whole ? Cost{0, now_.device().neverTogether.empty() ? 0 : kAny,
                                bounds.changed == kAny || reach == Reach::Touched ? kAny : bounds.changed - changed + 1}
                         : Cost{kAny};
        keyOf(trial, part, reach);
        auto found = known_.find(key_);
        const bool fresh = found == known_.end();
        if (fresh)
            found = known_.try_emplace(key_).first;
        if (fresh || (!found->second.cost && under > found->second.under)) {
            best_.reset();
            steps_ = 0;
            under_ = under;
            decide(trial, orderOf(part), 0, {});
            found->second = {best_, bestSettings_, under};
        }
        if (!found->second.cost || *found->second.cost >= under)
            return Outcome::None;
        changed += found->second.cost->changed;
        if (changed > bounds.changed)
            return Outcome::TooMuch;
        for (const auto& [clock, setting] : found->second.settings) {
            trial.clocks[clock].setting = setting;
            trial.compute(clock);
        }
        broken = broken || found->second.cost->broken > 0;
    }
    return broken ? Outcome::Broken : Outcome::Whole;
}

bool Completion::apply(ClockTrial& trial, const Bounds& bounds)
{
    const Outcome first = search(trial, Reach::Touched, bounds);
    if (first == Outcome::TooMuch)
        return false;
    if (first != Outcome::Whole) {
        // One that was changed may have become too fast for another that nothing has touched.
        const Outcome second = search(trial, Reach::Ceilings, bounds);
        if (second != Outcome::Whole && !bounds.whole)
            return second == Outcome::Broken;
        // Or the clock that it could take instead does not have a rate that would do, yet.
        if (second != Outcome::Whole)
            return search(trial, Reach::Inputs, bounds) == Outcome::Whole;
    }
    // What a select could take instead may, set anew, give an old rate back.
    int changed = 0;
    for (const ClockIndex i : others_)
        changed += now_.clocks[i].used && trial.clocks[i].rate != now_.clocks[i].rate;
    if (changed == 0)
        return true;
    const IndexVector<ClockIndex, TrialClock> kept = trial.clocks;
    if (search(trial, Reach::Inputs, {true, changed - 1}) != Outcome::Whole)
        trial.clocks = kept;
    return true;
}

} // namespace bindrel
