// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/trial.h"

#include "core/base/text.h"
#include "core/plan/clock_decision.h"
#include "core/quantity/format.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace bindrel {

namespace {
/// A fraction with at most so many settings is listed in full.
constexpr std::int64_t kMostListed = 2048;
} // namespace

ClockTrial::ClockTrial(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings)
    : device_(&device), board_(&board)
{
    const size_t count = device.clocks.size();
    const Rates now = computeRates(device, board, plan, bindings);
    supply_ = now.supply;
    clocks.resize(count);
    for (auto* flags : {&free_, &canRun_, &fine_, &root_, &kernel_, &monitored_})
        flags->assign(count, false);
    std::vector<std::vector<std::int64_t>> settings(count);
    for (ClockIndex i = 0; i < int(count); ++i) {
        const ClockNode& node = device.clocks[i];
        const bool held = plan.held(holdOfClock(node.id));
        const RunDecision decision = runDecision(device, plan.clocks, i);
        clocks[i].setting = now.clocks[i].setting;
        clocks[i].trimmed = decision.trimmed;
        clocks[i].off = decision.run == ClockRun::Off;
        monitored_[i] = decision.monitored;
        kernel_[i] = node.tier == "kernel";
        const bool fitted = (node.type != ClockNode::Type::Crystal && node.type != ClockNode::Type::External) ||
                            board.crystals.contains(node.id);
        canRun_[i] = fitted && !(clocks[i].off && held);
        free_[i] = !held && (node.control.valid() || node.trim);
        for (const std::int64_t factor : node.factors)
            settings[i].push_back(node.settingOf(factor));
        if (node.dense && !node.factors.empty()) {
            const std::int64_t first = node.factors.front() * node.unit, last = node.factors.back() * node.unit;
            fine_[i] = last - first > kMostListed;
            if (!fine_[i]) {
                settings[i].clear();
                for (std::int64_t s = first; s <= last; ++s)
                    if (node.canBe(s))
                        settings[i].push_back(s);
            }
        }
        for (size_t k = 0;
             k < std::max(node.type == ClockNode::Type::Select ? node.inputs.size() : 0, node.rates.size()); ++k)
            settings[i].push_back(std::int64_t(k));
        if (decision.run == ClockRun::On)
            root_[i] = true;
    }
    settings_ = std::make_shared<const std::vector<std::vector<std::int64_t>>>(std::move(settings));
    for (const Core& core : device.cores)
        root_[size_t(core.clock)] = true;
    root_[size_t(device.flashClock)] = true;
    for (const BoundNeed& need : bindings.needs)
        if (need.instance >= 0) {
            root_[size_t(device.instances[need.instance].bus)] = true;
            root_[size_t(device.instances[need.instance].kernel)] = true;
        }
    for (size_t i = 0; i < count; ++i)
        if (root_[i])
            roots_.push_back(int(i));
    setRange(now.range);
    computeAll();
    settle();
}

namespace {
constexpr std::int64_t kUsual = 1000; ///< ppm; most clocks that are limited come from a crystal
constexpr double kAbove = 1 + 2e-6 * double(kUsual);
bool accurate(const Tolerance& tolerance)
{
    const auto within = [](const Ppm& off) {
        return off.value.defined() && std::abs(double(off.value.num())) <= double(kUsual) * double(off.value.den());
    };
    return within(tolerance.low) && within(tolerance.high);
}
} // namespace

void ClockTrial::setRange(int range)
{
    range_ = range;
    limits_.clear();
    innerLimits_.clear();
    for (const ClockNode& node : device_->clocks) {
        limits_.push_back(limitIn(*device_, node, range));
        const RateLimit& limit = limits_.back();
        innerLimits_.push_back({limit.min ? limit.min->toDouble() * kAbove : 0,
                                limit.max ? limit.max->toDouble() / kAbove : std::numeric_limits<double>::infinity()});
    }
    flashMost_ = device_->ranges[size_t(range)].waitStateLimits.back();
}

bool ClockTrial::supplyFits(int range) const
{
    const OperatingRange& facts = device_->ranges[size_t(range)];
    return supply_ >= facts.supplyMin && supply_ <= facts.supplyMax;
}

ClockIndex ClockTrial::inputOf(ClockIndex clock) const
{
    const ClockNode& node = device_->clocks[clock];
    if (node.isSource())
        return -1;
    return node.inputs[node.type == ClockNode::Type::Select ? size_t(clocks[clock].setting) : 0].node;
}

void ClockTrial::compute(ClockIndex index)
{
    computeExactly(index);
    clocks[index].hertz = clocks[index].rate.toDouble();
}

void ClockTrial::computeExactly(ClockIndex index)
{
    const ClockNode& node = device_->clocks[index];
    TrialClock& clock = clocks[index];
    if (node.isSource()) {
        const bool runs = canRun_[index] && !clock.off;
        const SourceFacts facts = sourceFacts(*device_, *board_, node, clock.setting);
        clock.rate = runs ? facts.rate : Frequency();
        clock.tolerance = facts.tolerance;
        const bool by = node.trim && node.trim->by >= 0;
        if (clock.trimmed && node.trim && (!by || !clocks[node.trim->by].rate.value.isZero())) {
            const Tolerance from = by ? clocks[node.trim->by].tolerance : Tolerance{};
            clock.tolerance = {Ppm((node.trim->tolerance.low.value + from.low.value).within64()),
                               Ppm((node.trim->tolerance.high.value + from.high.value).within64())};
        }
        clock.accurate = accurate(clock.tolerance);
        clock.withinSlack = clock.tolerance.worst() <= device_->limitSlack;
        return;
    }
    const ClockIndex input = inputOf(index);
    if (input < 0 || clock.off) {
        clock.rate = Frequency();
        return;
    }
    const TrialClock& from = clocks[input];
    clock.tolerance = from.tolerance;
    clock.accurate = from.accurate;
    clock.withinSlack = from.withinSlack;
    if (node.widens()) {
        clock.tolerance = {Ppm((clock.tolerance.low.value + node.adds.low.value).within64()),
                           Ppm((clock.tolerance.high.value + node.adds.high.value).within64())};
        clock.accurate = accurate(clock.tolerance);
        clock.withinSlack = clock.tolerance.worst() <= device_->limitSlack;
    }
    switch (node.type) {
    case ClockNode::Type::Divide:
        clock.rate = Frequency(from.rate.value.times(node.unit, clock.setting).within64());
        break;
    case ClockNode::Type::Multiply:
        clock.rate = Frequency(from.rate.value.times(clock.setting, node.unit).within64());
        break;
    case ClockNode::Type::Follow:
        clock.setting = followFactor(*device_, node, node.follows < 0 ? 0 : clocks[node.follows].setting);
        clock.rate = Frequency(from.rate.value.times(clock.setting, 1).within64());
        break;
    default:
        clock.rate = from.rate;
        break;
    }
}

void ClockTrial::computeAll()
{
    for (size_t i = 0; i < clocks.size(); ++i)
        compute(i);
}

void ClockTrial::use(ClockIndex first)
{
    for (ClockIndex i = first; i >= 0 && !clocks[i].used; i = inputOf(size_t(i))) {
        clocks[i].used = true;
        const ClockNode& node = device_->clocks[i];
        if (!node.isSource())
            continue;
        if (clocks[i].trimmed && node.trim && node.trim->by >= 0)
            use(node.trim->by);
        if (monitored_[size_t(i)] && node.monitor)
            use(node.monitor->fallsBackTo);
    }
}

void ClockTrial::settle()
{
    for (TrialClock& clock : clocks)
        clock.used = false;
    for (const int root : roots_)
        use(root);
    for (const ClockIndex i : clocks.indices()) {
        const ClockIndex input = inputOf(i);
        clocks[i].running = !clocks[i].rate.value.isZero() && clocks[i].rate.defined() &&
                            (clocks[i].used || !device_->clocks[i].enable.valid()) &&
                            (input < 0 || clocks[input].running);
    }
}

int ClockTrial::sourceOf(ClockIndex clock) const
{
    int at = int(clock);
    for (int input = inputOf(clock); input >= 0; input = inputOf(size_t(at)))
        at = input;
    return at;
}

std::optional<Frequency> ClockTrial::max(ClockIndex clock) const
{
    const RateLimit& limit = limits_[clock];
    std::optional<Frequency> most = limit.max;
    const auto lower = [&most](const Frequency& bound) { most = most && *most <= bound ? *most : bound; };
    for (const RelativeLimit& relative : limit.relative)
        if (const Frequency& other = clocks[relative.to].rate; !relative.mirrored || !other.value.isZero())
            lower(other * relative.max);
    if (int(clock) == device_->flashClock)
        lower(flashMost_);
    return most;
}

bool ClockTrial::outside(ClockIndex index, bool relative) const
{
    const TrialClock& clock = clocks[index];
    const RateLimit& limit = limits_[index];
    // Wait states are given for nominal rates.
    if (int(index) == device_->flashClock && clock.rate > flashMost_)
        return true;
    if (limit.empty())
        return false;
    if (!relative || limit.relative.empty()) {
        const double rate = clock.hertz;
        if (rate > innerLimits_[index].min && rate < innerLimits_[index].max && clock.accurate)
            return false;
    }
    const bool allowedFor = clock.withinSlack;
    const Frequency fastest = allowedFor ? clock.rate : shifted(clock.rate, clock.tolerance.high);
    if (limit.max && fastest > *limit.max)
        return true;
    if (relative)
        for (const RelativeLimit& to : limit.relative)
            if (exceeds(index, to))
                return true;
    return limit.min && (allowedFor ? clock.rate : shifted(clock.rate, clock.tolerance.low)) < *limit.min;
}

bool ClockTrial::exceeds(ClockIndex index, const RelativeLimit& limit) const
{
    const TrialClock& clock = clocks[index];
    const TrialClock& other = clocks[limit.to];
    if (limit.mirrored && other.rate.value.isZero())
        return false;
    // Far enough below, with both as far off as is usual, nothing exact need be computed; nor where it is clearly
    // above.
    const double most = other.hertz * limit.max.toDouble();
    if (clock.hertz * (kAbove * kAbove) < most && clock.accurate && other.accurate)
        return false;
    constexpr double kClearly = 1 + 1e-9; // far more than floating point is wrong by
    if (clock.hertz > most * kClearly)
        return true;
    const bool unit = limit.max == Rational(1);
    const bool same = unit && clock.rate == other.rate;
    const Frequency bound = unit ? other.rate : other.rate * limit.max;
    if (!same && clock.rate > bound)
        return true;
    if (clock.withinSlack && other.withinSlack)
        return false;
    // As computeRates() has it: what comes from one source moves together.
    if (clock.tolerance == other.tolerance && sourceOf(index) == sourceOf(size_t(limit.to)))
        return false;
    const Frequency fastest = clock.withinSlack ? clock.rate : shifted(clock.rate, clock.tolerance.high);
    return fastest > (other.withinSlack ? bound : shifted(bound, other.tolerance.low));
}

bool ClockTrial::forbidden(const ClockCombination& combination) const
{
    return std::all_of(combination.terms.begin(), combination.terms.end(), [this](const ClockCombination::Term& term) {
        const TrialClock& clock = clocks[term.clock];
        return !clock.rate.value.isZero() && term.has(clock.setting);
    });
}

std::vector<int> ClockTrial::forbiddenNow(const std::vector<bool>& wanted) const
{
    std::vector<int> out;
    for (size_t c = 0; c < device_->neverTogether.size(); ++c) {
        const std::vector<ClockCombination::Term>& terms = device_->neverTogether[c].terms;
        if (forbidden(device_->neverTogether[c]) &&
            std::all_of(terms.begin(), terms.end(), [&](const ClockCombination::Term& term) {
                const ClockIndex i = size_t(term.clock);
                return (!wanted.empty() && wanted[i]) || (clocks[i].running && (clocks[i].used || !kernel_[i]));
            }))
            out.push_back(int(c));
    }
    return out;
}

int ClockTrial::forbiddenBeyond(const ClockTrial& other, const std::vector<bool>& wanted) const
{
    if (device_->neverTogether.empty())
        return 0;
    const std::vector<int> known = other.forbiddenNow();
    const std::vector<int> now = forbiddenNow(wanted);
    return int(std::count_if(now.begin(), now.end(),
                             [&known](int c) { return std::find(known.begin(), known.end(), c) == known.end(); }));
}

Current ClockTrial::current() const
{
    Rational sum;
    for (const ClockIndex i : clocks.indices()) {
        const ClockNode& node = device_->clocks[i];
        if (!clocks[i].running)
            continue;
        if (!node.draws.value.isZero())
            sum = sum + node.draws.value;
        // Only what is used toggles gates behind it.
        if (!node.drawsPerMegahertz.value.isZero() && clocks[i].used)
            sum = sum + node.drawsPerMegahertz.value * clocks[i].rate.value *
                            device_->ranges[size_t(range_)].draws.value / 1'000'000;
    }
    return Current(sum);
}

Frequency ClockTrial::fastestMultiplier() const
{
    Frequency out;
    for (const ClockIndex i : clocks.indices())
        if (device_->clocks[i].type == ClockNode::Type::Multiply && clocks[i].running && clocks[i].rate > out)
            out = clocks[i].rate;
    return out;
}

std::vector<std::pair<std::string, std::optional<ClockDecision>>> ClockTrial::decisions(const ClockTrial& before,
                                                                                        const Plan& plan) const
{
    std::vector<std::pair<std::string, std::optional<ClockDecision>>> out;
    for (const ClockIndex i : clocks.indices()) {
        const ClockNode& node = device_->clocks[i];
        if (node.type == ClockNode::Type::Follow || clocks[i].sameDecision(before.clocks[i]))
            continue;
        if (node.isSource() || node.type == ClockNode::Type::Gate || clocks[i].off) {
            RunDecision decision;
            if (!node.rates.empty() && clocks[i].setting != node.resetValue)
                decision.rate = node.rates[size_t(clocks[i].setting)].rate;
            const bool on = runDecision(*device_, plan.clocks, i).run == ClockRun::On;
            decision.run = on ? ClockRun::On : clocks[i].off ? ClockRun::Off : ClockRun::WhenUsed;
            decision.trimmed = clocks[i].trimmed;
            decision.monitored = monitored_[i];
            out.emplace_back(node.id,
                             decision == RunDecision() ? std::nullopt : std::optional<ClockDecision>(decision));
        } else if (node.type == ClockNode::Type::Select) {
            const ClockIndex input = inputOf(i);
            out.emplace_back(node.id, InputDecision{input < 0 ? std::string() : device_->clocks[input].id});
        } else {
            out.emplace_back(node.id, factorDecision(node, clocks[i].setting));
        }
    }
    return out;
}

} // namespace bindrel
