// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/simulated_clocks.h"

#include <algorithm>

namespace bindrel {

namespace {
/// No data sheet here gives the time of a regulator; this one takes long enough to be waited for.
constexpr Moment kRegulatorTime = 10 * kMicrosecond;

Moment picoseconds(const Duration& span)
{
    return (span.value * kSecond).ceil();
}
} // namespace

SimulatedClocks::SimulatedClocks(SimulatedRegisters& registers, const Board& board, const Voltage& supply,
                                 std::set<ClockIndex> dead)
    : registers_(registers), device_(registers.device()), board_(board), supply_(supply), dead_(std::move(dead)),
      clocks_(device_.clocks.size()), done_(device_.clocks.size(), 0)
{
    const auto mark = [this](const FieldRef& ref) {
        if (ref.valid())
            relevant_.emplace(ref.instance, ref.reg);
    };
    for (const ClockNode& node : device_.clocks) {
        for (const FieldRef& ref :
             {node.control, node.fraction, node.status, node.enable.ref, node.ready.ref, node.bypass.ref})
            mark(ref);
        if (node.monitor)
            mark(node.monitor->enable.ref);
        registers.stopTracking(node.ready.ref);
        registers.stopTracking(node.status);
    }
    registers.stopTracking(device_.rangeStatus);
    registers.stopTracking(device_.rangeReady.ref);
    mark(device_.rangeControl);
    mark(device_.waitStates);
    mark(device_.rangeStatus);
    mark(device_.rangeReady.ref);
    reset(0);
}

void SimulatedClocks::reset(Moment now)
{
    range_ = device_.resetRange;
    // Without a regulator to choose, the supply alone decides what the silicon bears.
    for (size_t r = 0; r < device_.ranges.size() && !device_.rangeControl.valid(); ++r)
        if (const OperatingRange& range = device_.ranges[r]; range.supplyMin <= supply_ && supply_ <= range.supplyMax)
            if (const OperatingRange& known = device_.ranges[size_t(range_)];
                !(known.supplyMin <= supply_ && supply_ <= known.supplyMax) ||
                range.waitStateLimits.back() > known.waitStateLimits.back())
                range_ = int(r);
    wantedRange_ = range_;
    rangeAt_ = now;
    for (ClockIndex i = 0; i < int(clocks_.size()); ++i) {
        // What runs from reset has started before the core does.
        const bool stays = clocks_[i].on && clocks_[i].readyAt <= now && now > 0;
        clocks_[i].on = isOn(device_.clocks[i]);
        clocks_[i].readyAt = clocks_[i].on && (stays || device_.clocks[i].onAtReset)
                                 ? now
                                 : now + picoseconds(device_.clocks[i].startup);
        if (device_.clocks[i].type == ClockNode::Type::Select)
            clocks_[i].setting = -1;
    }
    settle(now);
}

bool SimulatedClocks::concerns(InstanceIndex instance, RegisterIndex reg) const
{
    return relevant_.contains({instance, reg});
}

bool SimulatedClocks::isOn(const ClockNode& node) const
{
    return !node.enable.valid() || registers_.holds(node.enable);
}

void SimulatedClocks::compute(ClockIndex index, Moment now)
{
    if (done_[size_t(index)])
        return;
    done_[size_t(index)] = 1;
    const ClockNode& node = device_.clocks[index];
    Clock& clock = clocks_[index];
    const bool on = isOn(node);
    if (on && !clock.on)
        clock.readyAt = now + picoseconds(node.startup);
    clock.on = on;
    const bool starts = node.isSource() || (node.type == ClockNode::Type::Multiply && node.enable.valid());
    Rational rate = 0;
    const auto code = node.control.valid() ? registers_.code(node.control) : 0;
    const auto settingOf = [&]() -> std::int64_t {
        if (!node.control.valid())
            return node.resetValue;
        const std::optional<std::int64_t> value = meaningOf(node.encoding, code);
        if (!value)
            return 0;
        // Without a field of its own a fraction is the low end of the control's value.
        return node.fraction.valid() ? *value * node.unit + registers_.code(node.fraction) : *value;
    };
    const auto inputRate = [&](int input) -> Rational {
        if (input < 0)
            return 0;
        compute(input, now);
        return clocks_[input].rate;
    };
    switch (node.type) {
    case ClockNode::Type::Oscillator:
        rate = node.rate.value;
        for (const ClockNode::RateChoice& choice : node.rates)
            if (!node.control.valid() || choice.code == code) {
                rate = choice.rate.value;
                break;
            }
        break;
    case ClockNode::Type::Crystal:
    case ClockNode::Type::External: {
        const auto fitted = board_.crystals.find(node.id);
        if (fitted != board_.crystals.end())
            rate = fitted->second.rate.value;
        // A clock that is fed in is there at once; a crystal's amplifier alone starts nothing then.
        if (fitted != board_.crystals.end() && fitted->second.external && node.bypass.valid() &&
            !registers_.holds(node.bypass))
            rate = 0;
        break;
    }
    case ClockNode::Type::Select: {
        int wanted = -1;
        bool known = false;
        for (size_t k = 0; k < node.inputs.size(); ++k)
            if (!node.control.valid() ? std::int64_t(k) == node.resetValue : node.inputs[k].code == code) {
                wanted = node.inputs[k].node;
                clock.setting = std::int64_t(k);
                known = true;
                break;
            }
        const Rational next = inputRate(wanted);
        // A select that shows what it has in use changes over only when the new clock runs.
        const bool waits = known && wanted >= 0 && next.isZero() && node.status.valid() && clock.input >= 0 &&
                           !inputRate(clock.input).isZero();
        if (!waits)
            clock.input = wanted;
        rate = inputRate(clock.input);
        break;
    }
    case ClockNode::Type::Divide:
        clock.input = node.inputs.front().node;
        clock.setting = settingOf();
        rate = clock.setting > 0 ? inputRate(clock.input) * Rational(node.unit, clock.setting) : Rational(0);
        break;
    case ClockNode::Type::Multiply:
        clock.input = node.inputs.front().node;
        clock.setting = settingOf();
        rate = inputRate(clock.input) * Rational(clock.setting, node.unit);
        break;
    case ClockNode::Type::Follow:
        clock.input = node.inputs.front().node;
        rate = inputRate(clock.input);
        if (node.follows >= 0) {
            compute(node.follows, now);
            const ClockNode& followed = device_.clocks[node.follows];
            rate = rate * (clocks_[node.follows].setting == followed.unit ? node.factorWhenOne : node.factorElse);
        } else {
            rate = rate * node.factorElse;
        }
        break;
    case ClockNode::Type::Gate:
        clock.input = node.inputs.front().node;
        rate = inputRate(clock.input);
        break;
    }
    // What locks does so only once its input runs.
    if (starts && on && !rate.isZero() && !clock.fed && !node.isSource() && now > 0)
        clock.readyAt = now + picoseconds(node.startup);
    clock.fed = !rate.isZero();
    clock.ready = on && (!starts || (now >= clock.readyAt && !dead_.contains(index)));
    clock.rate = clock.ready ? rate : Rational(0);
    if (node.ready.valid())
        registers_.put(node.ready.ref, starts && clock.ready && !rate.isZero() ? node.ready.code
                                       : node.ready.code == 0                  ? 1u
                                                                               : 0u);
    if (node.status.valid() && node.type == ClockNode::Type::Select)
        for (const ClockInput& input : node.inputs)
            if (input.node == clock.input) {
                registers_.put(node.status, input.code);
                break;
            }
}

void SimulatedClocks::settle(Moment now)
{
    if (device_.rangeControl.valid()) {
        const std::uint32_t code = registers_.code(device_.rangeControl);
        for (size_t r = 0; r < device_.ranges.size(); ++r)
            if (device_.ranges[r].code == code && int(r) != wantedRange_) {
                wantedRange_ = int(r);
                rangeAt_ = now + kRegulatorTime;
                const auto fastest = [this](int range) { return device_.ranges[size_t(range)].waitStateLimits.back(); };
                // Less is carried from the first moment on, more only when the regulator has settled.
                if (fastest(wantedRange_) < fastest(range_))
                    range_ = wantedRange_;
            }
        if (now >= rangeAt_)
            range_ = wantedRange_;
        const bool settled = now >= rangeAt_;
        if (device_.rangeStatus.valid() && settled)
            registers_.put(device_.rangeStatus, device_.ranges[size_t(wantedRange_)].code);
        if (device_.rangeReady.valid())
            registers_.put(device_.rangeReady.ref, settled                        ? device_.rangeReady.code
                                                   : device_.rangeReady.code == 0 ? 1u
                                                                                  : 0u);
    }
    if (sagged_ >= 0)
        range_ = sagged_;
    std::fill(done_.begin(), done_.end(), char(0));
    for (int i = 0; i < count(); ++i)
        compute(i, now);
}

std::optional<Moment> SimulatedClocks::nextChange(Moment now) const
{
    std::optional<Moment> next;
    const auto take = [&](Moment at) {
        if (at > now && (!next || at < *next))
            next = at;
    };
    for (int i = 0; i < count(); ++i)
        if (const Clock& clock = clocks_[i]; clock.on && clock.fed && !clock.ready && !dead_.contains(i))
            take(clock.readyAt);
    if (range_ != wantedRange_ || now < rangeAt_)
        take(rangeAt_);
    return next;
}

void SimulatedClocks::stop(ClockIndex clock, bool forGood)
{
    if (forGood)
        dead_.insert(clock);
    const ClockNode& node = device_.clocks[clock];
    if (!forGood && node.enable.valid())
        registers_.put(node.enable.ref, node.enable.code == 0 ? 1u : 0u);
}

void SimulatedClocks::force(ClockIndex select, int input)
{
    const ClockNode& node = device_.clocks[select];
    if (node.control.valid())
        registers_.put(node.control, node.inputs[size_t(input)].code);
}

SimulatedClocks::Bounds SimulatedClocks::boundsOf(ClockIndex index) const
{
    const ClockNode& node = device_.clocks[index];
    const RateLimit& limit = device_.ranges.empty() ? node.limit : node.limitIn(device_.ranges[size_t(range_)].id);
    Bounds out;
    if (limit.min)
        out.min = limit.min->value;
    if (limit.max)
        out.max = limit.max->value;
    for (const RelativeLimit& relative : limit.relative) {
        // A clock that stands still is no measure.
        const Rational bound = clocks_[relative.to].rate * relative.max;
        if (!bound.isZero() && (!out.relative || bound < *out.relative)) {
            out.relativeTo = relative.to;
            out.relative = bound;
        }
    }
    out.because = limit.because;
    return out;
}

std::uint32_t SimulatedClocks::waitStates() const
{
    return device_.waitStates.valid() ? registers_.code(device_.waitStates) : 0;
}

Rational SimulatedClocks::flashMost() const
{
    const std::vector<Frequency>& limits = device_.ranges[size_t(range_)].waitStateLimits;
    return limits[std::min<size_t>(waitStates(), limits.size() - 1)].value;
}

std::optional<Moment> SimulatedClocks::timeOf(const FieldRef& status) const
{
    for (const ClockNode& node : device_.clocks) {
        if (node.ready.valid() && node.ready.ref == status)
            return picoseconds(node.startup);
        if (node.status.valid() && node.status == status)
            return 0;
    }
    if ((device_.rangeReady.valid() && device_.rangeReady.ref == status) ||
        (device_.rangeStatus.valid() && device_.rangeStatus == status))
        return kRegulatorTime;
    return std::nullopt;
}

double SimulatedClocks::fastest(ClockIndex clock) const
{
    while (clocks_[clock].input >= 0)
        clock = clocks_[clock].input;
    const ClockNode& source = device_.clocks[clock];
    Tolerance tolerance = source.tolerance;
    if (const auto fitted = board_.crystals.find(source.id); fitted != board_.crystals.end())
        tolerance = fitted->second.tolerance.value_or(Tolerance());
    return tolerance.high.defined() ? 1 + tolerance.high.value.toDouble() / 1e6 : 1;
}

std::int64_t SimulatedClocks::standing(ClockIndex index) const
{
    const ClockNode& node = device_.clocks[index];
    for (size_t k = 0; k < node.rates.size(); ++k)
        if (node.rates[k].code == registers_.code(node.control))
            return std::int64_t(k);
    return node.rates.empty() ? clocks_[index].setting : -1;
}

bool SimulatedClocks::idle(ClockIndex clock) const
{
    const std::vector<ClockIndex>& by = device_.clocks[clock].frozenBy;
    return !by.empty() && std::all_of(by.begin(), by.end(), [this](int other) { return !clocks_[other].on; });
}

} // namespace bindrel
