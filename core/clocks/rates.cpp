// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/rates.h"

#include "core/base/say.h"
#include "core/plan/clock_decision.h"
#include "core/quantity/parse.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

class Tree {
public:
    Tree(const Device& device, const Board& board, const Plan& plan) : device_(device), board_(board), plan_(plan)
    {
        rates_.clocks.resize(device.clocks.size());
        const int range = device.findRange(plan.range);
        rates_.range = range >= 0 ? range : device.resetRange;
        const Expected<Voltage> supply = parseVoltage(plan.supply);
        rates_.supply = supply ? *supply : board.supply;
    }

    Rates run(const Bindings& bindings)
    {
        for (size_t i = 0; i < device_.clocks.size(); ++i)
            compute(i);
        markUsed(bindings);
        for (size_t i = 0; i < device_.clocks.size(); ++i)
            settleRunning(i);
        for (size_t i = 0; i < device_.clocks.size(); ++i)
            findLimits(i);
        findWaitStates();
        return std::move(rates_);
    }

private:
    const ClockDecision* said(ClockIndex clock) const
    {
        const auto found = plan_.clocks.find(device_.clocks[clock].id);
        return found == plan_.clocks.end() ? nullptr : &found->second;
    }

    /// What is not possible stays as after reset; CLK-17 reports it.
    std::int64_t settingOf(ClockIndex clock) const
    {
        const ClockDecision* decision = said(clock);
        const std::optional<std::int64_t> setting = decision && isPossible(device_, clock, *decision)
                                                        ? bindrel::settingOf(device_, clock, *decision)
                                                        : std::nullopt;
        return setting.value_or(device_.clocks[clock].resetValue);
    }

    RunDecision runOf(ClockIndex clock) const { return runDecision(device_, plan_.clocks, clock); }

    void takeFacts(ClockState& state, const ClockNode& node) const
    {
        const SourceFacts facts = sourceFacts(device_, board_, node, state.setting);
        state.rate = facts.rate;
        state.tolerance = facts.tolerance;
    }

    void stop(ClockState& state, std::string why)
    {
        state.rate = Frequency(Rational(0));
        state.stopped = std::move(why);
    }

    void compute(ClockIndex index)
    {
        const ClockNode& node = device_.clocks[index];
        ClockState& state = rates_.clocks[index];
        state.setting = settingOf(index);
        switch (node.type) {
        case ClockNode::Type::Oscillator:
            takeFacts(state, node);
            break;
        case ClockNode::Type::Crystal:
        case ClockNode::Type::External: {
            const auto fitted = board_.crystals.find(node.id);
            if (fitted == board_.crystals.end())
                return stop(state, say("the board has no {} at {}",
                                       node.type == ClockNode::Type::Crystal ? "crystal" : "clock", node.name));
            takeFacts(state, node);
            state.load = fitted->second.load;
            state.stray = fitted->second.stray;
            state.external = fitted->second.external;
            break;
        }
        case ClockNode::Type::Select:
            state.input = node.inputs[size_t(state.setting)].node;
            if (state.input < 0)
                return stop(state, say("its selector is off"));
            takeOver(state, 1);
            break;
        case ClockNode::Type::Divide:
            state.input = node.inputs.front().node;
            takeOver(state, Rational(node.unit, state.setting));
            break;
        case ClockNode::Type::Multiply:
            state.input = node.inputs.front().node;
            takeOver(state, node.factorOf(state.setting));
            break;
        case ClockNode::Type::Gate:
            state.input = node.inputs.front().node;
            takeOver(state, 1);
            break;
        case ClockNode::Type::Follow:
            state.input = node.inputs.front().node;
            state.setting = followFactor(device_, node, node.follows < 0 ? 0 : rates_.clocks[node.follows].setting);
            takeOver(state, state.setting);
            break;
        }
        if (node.widens())
            state.tolerance = {Ppm((state.tolerance.low.value + node.adds.low.value).within64()),
                               Ppm((state.tolerance.high.value + node.adds.high.value).within64())};
        const RunDecision decision = runOf(int(index));
        state.monitored = decision.monitored;
        trim(state, node, decision);
        if (decision.run == ClockRun::Off)
            stop(state, say("the plan turns it off"));
    }

    /// Trimming helps only while the clock that it goes by can run.
    void trim(ClockState& state, const ClockNode& node, const RunDecision& decision)
    {
        if (!decision.trimmed || !node.trim)
            return;
        const ClockIndex by = node.trim->by;
        if (by >= 0 && (!rates_.clocks[by].stopped.empty() || rates_.clocks[by].rate.value.isZero()))
            return;
        state.trimmed = true;
        const Tolerance own = node.trim->tolerance;
        const Tolerance from = by >= 0 ? rates_.clocks[by].tolerance : Tolerance{};
        state.tolerance = {Ppm((own.low.value + from.low.value).within64()),
                           Ppm((own.high.value + from.high.value).within64())};
    }

    void takeOver(ClockState& state, const Rational& factor)
    {
        const ClockState& from = rates_.clocks[state.input];
        state.rate = Frequency((from.rate.value * factor).within64());
        state.tolerance = from.tolerance;
        state.stopped = from.stopped;
    }

    void use(int index)
    {
        for (ClockIndex i = index; i >= 0 && !rates_.clocks[i].used; i = rates_.clocks[i].input)
            useOne(i);
    }

    void useOne(ClockIndex i)
    {
        rates_.clocks[i].used = true;
        // What trims a clock, or what it falls back to, must run as well.
        const ClockNode& node = device_.clocks[i];
        if (rates_.clocks[i].trimmed && node.trim->by >= 0)
            use(node.trim->by);
        if (rates_.clocks[i].monitored && node.monitor)
            use(node.monitor->fallsBackTo);
    }

    void markUsed(const Bindings& bindings)
    {
        for (const Core& core : device_.cores)
            use(core.clock);
        use(device_.flashClock);
        for (const NeedIndex n : bindings.needs.indices()) {
            const InstanceIndex instance = bindings.needs[n].instance;
            if (instance < 0)
                continue;
            const Instance& facts = device_.instances[instance];
            use(facts.bus);
            use(facts.kernel);
            rates_.clocks[facts.kernel].users.push_back(static_cast<int>(n));
        }
        for (size_t i = 0; i < device_.clocks.size(); ++i)
            if (runOf(int(i)).run == ClockRun::On)
                use(static_cast<int>(i));
    }

    void settleRunning(ClockIndex index)
    {
        const ClockNode& node = device_.clocks[index];
        ClockState& state = rates_.clocks[index];
        if (!state.stopped.empty())
            return;
        if (node.enable.valid() && !state.used) {
            state.stopped = say("nothing uses it");
            return;
        }
        if (state.input >= 0 && !rates_.clocks[state.input].running) {
            state.stopped = rates_.clocks[state.input].stopped;
            return;
        }
        state.running = true;
    }

    int sourceOf(ClockIndex clock) const
    {
        while (rates_.clocks[clock].input >= 0)
            clock = rates_.clocks[clock].input;
        return clock;
    }

    void findLimits(ClockIndex index)
    {
        const ClockNode& node = device_.clocks[index];
        ClockState& state = rates_.clocks[index];
        const RateLimit limit = limitIn(device_, node, rates_.range);
        state.limitSlack = device_.limitSlack;
        state.min = limit.min;
        state.max = limit.max;
        state.minBecause = state.maxBecause = limit.because;
        // The tightest counts; what moves along is compared without its tolerance, so that one that is broken goes
        // before.
        std::optional<Frequency> tightest = state.max;
        bool broken = false;
        for (const RelativeLimit& relative : limit.relative) {
            // Two clocks from one source move together; of two sources the one may be fast while the other is slow.
            const ClockState& other = rates_.clocks[relative.to];
            if (relative.mirrored && other.rate.value.isZero())
                continue;
            const Frequency bound = other.rate * relative.max;
            const bool together = sourceOf(int(index)) == sourceOf(relative.to) && state.tolerance == other.tolerance;
            const Frequency effective = together ? shifted(bound, state.tolerance.high)
                                        : other.tolerance.worst() <= device_.limitSlack
                                            ? bound
                                            : shifted(bound, other.tolerance.low);
            const bool breaks = together && state.rate > bound;
            if (!tightest || breaks > broken || (breaks == broken && effective < *tightest)) {
                tightest = effective;
                broken = breaks;
                state.max = together ? bound : effective;
                state.maxMovesAlong = together;
                state.maxBecause = relative.because;
            }
        }
    }

    void findWaitStates()
    {
        const ClockState& clock = rates_.clocks[device_.flashClock];
        const Frequency fastest = shifted(clock.rate, clock.tolerance.high);
        const std::vector<Frequency>& limits = device_.ranges[size_t(rates_.range)].waitStateLimits;
        for (size_t n = 0; n < limits.size(); ++n)
            // The nominal rate counts: data sheets give these limits with the oscillators' tolerance included.
            if (clock.rate <= limits[n] || fastest <= limits[n]) {
                rates_.waitStates =
                    device_.waitStates.valid() ? static_cast<int>(n) : 0; // else there is nothing to set
                return;
            }
    }

    const Device& device_;
    const Board& board_;
    const Plan& plan_;
    Rates rates_;
};

} // namespace

SourceFacts sourceFacts(const Device& device, const Board& board, const ClockNode& node, std::int64_t rateChoice)
{
    if (node.type == ClockNode::Type::Crystal || node.type == ClockNode::Type::External) {
        const auto fitted = board.crystals.find(node.id);
        return fitted == board.crystals.end()
                   ? SourceFacts{}
                   : SourceFacts{fitted->second.rate, fitted->second.tolerance.value_or(Tolerance())};
    }
    SourceFacts out{node.rate, node.tolerance};
    const TemperatureRange wanted = board.temperature.value_or(device.temperature);
    for (const ClockNode::ToleranceOver& over : node.toleranceOver)
        if (over.range.covers(wanted) && over.tolerance.worst() < out.tolerance.worst())
            out.tolerance = over.tolerance;
    if (!node.rates.empty()) {
        const ClockNode::RateChoice& choice = node.rates[size_t(rateChoice)];
        out.rate = choice.rate;
        out.tolerance = choice.tolerance.value_or(out.tolerance);
    }
    return out;
}

std::int64_t followFactor(const Device& device, const ClockNode& node, std::int64_t followedSetting)
{
    if (node.follows < 0)
        return 1;
    return followedSetting == device.clocks[node.follows].unit ? node.factorWhenOne : node.factorElse;
}

RateLimit limitIn(const Device& device, const ClockNode& node, int range)
{
    RateLimit limit = node.limitIn(device.ranges[size_t(range)].id);
    if ((node.type == ClockNode::Type::Crystal || node.type == ClockNode::Type::External) && !limit.min && !limit.max) {
        limit.min = node.crystalMin;
        limit.max = node.crystalMax;
        limit.because = say("the oscillator's crystal range");
    }
    return limit;
}

Rates computeRates(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings)
{
    return Tree(device, board, plan).run(bindings);
}

bool isSet(const Device& device, const Rates& rates, ClockIndex clock)
{
    const ClockNode& node = device.clocks[clock];
    const ClockState& state = rates.clocks[clock];
    const bool idle =
        !node.frozenBy.empty() && std::none_of(node.frozenBy.begin(), node.frozenBy.end(),
                                               [&rates](ClockIndex by) { return rates.clocks[by].running; });
    return state.used || (state.running && node.tier != "kernel" && !idle);
}

std::optional<LimitBreak> limitBreak(const ClockState& clock)
{
    if (!clock.running)
        return std::nullopt;
    const bool allowedFor = clock.tolerance.worst() <= clock.limitSlack;
    const Frequency fastest = allowedFor ? clock.rate : shifted(clock.rate, clock.tolerance.high);
    const Frequency slowest = allowedFor ? clock.rate : shifted(clock.rate, clock.tolerance.low);
    if (clock.max && (clock.maxMovesAlong ? clock.rate : fastest) > *clock.max)
        return LimitBreak{LimitBreak::Which::Above, *clock.max, clock.rate <= *clock.max, clock.maxBecause};
    if (clock.min && slowest < *clock.min)
        return LimitBreak{LimitBreak::Which::Below, *clock.min, clock.rate >= *clock.min, clock.minBecause};
    return std::nullopt;
}

std::optional<Ratio> headRoom(const ClockState& clock)
{
    std::optional<Ratio> out;
    if (!clock.running)
        return out;
    if (clock.max && !clock.max->value.isZero())
        out = Ratio((clock.max->value - clock.rate.value) / clock.max->value);
    if (clock.min && !clock.min->value.isZero())
        if (const Ratio above((clock.rate.value - clock.min->value) / clock.min->value); !out || above < *out)
            out = above;
    return out;
}

std::optional<Capacitance> loadCapacitor(const ClockState& crystal)
{
    if (crystal.external || crystal.load.value.isZero() || crystal.load <= crystal.stray)
        return std::nullopt;
    return Capacitance((crystal.load.value - crystal.stray.value) * 2);
}

const std::pair<Capacitance, std::uint32_t>* nearestLoad(const ClockNode& node, const Capacitance& wanted)
{
    const std::pair<Capacitance, std::uint32_t>* best = nullptr;
    if (wanted.value.isZero())
        return best;
    const auto off = [&wanted](const auto& load) { return (load.first.value - wanted.value).abs(); };
    for (const auto& load : node.loads)
        if (!best || off(load) < off(*best))
            best = &load;
    return best;
}

const std::pair<Frequency, std::uint32_t>* driveFor(const ClockNode& node, const Frequency& rate)
{
    const auto enough = std::find_if(node.drives.begin(), node.drives.end(),
                                     [&rate](const auto& drive) { return rate <= drive.first; });
    return enough == node.drives.end() ? nullptr : &*enough;
}

std::vector<ClockIndex> pathToSource(const Rates& rates, ClockIndex clock)
{
    std::vector<ClockIndex> path;
    for (ClockIndex i = clock; i >= 0 && path.size() <= rates.clocks.size(); i = rates.clocks[i].input)
        path.push_back(i);
    return path;
}

std::string operationText(const Device& device, const Rates& rates, ClockIndex clock)
{
    const ClockNode& node = device.clocks[clock];
    const ClockState& state = rates.clocks[clock];
    switch (node.type) {
    case ClockNode::Type::Divide:
        return "\u00f7" + factorText(node, state.setting);
    case ClockNode::Type::Multiply:
        return "\u00d7" + factorText(node, state.setting);
    case ClockNode::Type::Gate:
        return "gate";
    case ClockNode::Type::Follow:
        return fmt::format("\u00d7{}", state.setting);
    case ClockNode::Type::Select:
        return state.input < 0 ? "none" : say("from ") + device.clocks[state.input].name;
    case ClockNode::Type::Oscillator:
    case ClockNode::Type::Crystal:
    case ClockNode::Type::External:
        break;
    }
    return {};
}

} // namespace bindrel
