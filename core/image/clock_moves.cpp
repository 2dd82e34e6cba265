// SPDX-License-Identifier: GPL-3.0-or-later
// In which order clocks are changed, so that no limit is broken on the way.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/image/clock_mover.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

std::vector<Step> ClockMoves::run()
{
    // Where nothing has to be set, the range is a matter of the supply alone, and holds already.
    if (!device_.rangeControl.valid() && now_.trial.range() != to_.trial.range())
        now_.trial.setRange(to_.trial.range());
    collect();
    for (int i = 0; i < int(device_.clocks.size()); ++i)
        letGo(i);
    noteSpoiled();
    // The first in the usual order that leaves every limit whole. Setting something on the way makes room for others.
    for (; !open_.empty(); noteSpoiled()) {
        if (moveTogether())
            continue;
        auto next = std::find_if(open_.begin(), open_.end(), [this](const Move& move) {
            return !waitsForSelect(move) && ready(move) && keepsLimits(move);
        });
        if (next == open_.end())
            next = std::find_if(open_.begin(), open_.end(),
                                [this](const Move& move) { return ready(move) && keepsLimits(move); });
        if (next == open_.end() && (moreWaitsMeanwhile() || detour()))
            continue;
        if (next == open_.end())
            next = std::find_if(open_.begin(), open_.end(), [this](const Move& move) { return ready(move); });
        if (next == open_.end())
            next = open_.begin();
        const Move move = *next;
        open_.erase(next);
        make(move, true);
    }
    for (const int source : extras_)
        extraSteps(source);
    return std::move(steps_);
}

void ClockMoves::noteSpoiled()
{
    for (size_t i = 0; i < device_.clocks.size(); ++i)
        if (node(int(i)).tier == "kernel" && live_[i] && to_.live[i] && runs(int(i)) && now_.trial.outside(i) &&
            !to_.trial.outside(i))
            spoiled_.insert(int(i));
}

void ClockMoves::collect()
{
    const auto fastest = [this](int range) { return device_.ranges[size_t(range)].waitStateLimits.back(); };
    const int count = int(device_.clocks.size());
    if (now_.trial.range() != to_.trial.range() && device_.rangeControl.valid())
        open_.push_back({fastest(to_.trial.range()) > fastest(now_.trial.range()) ? What::RangeUp : What::RangeDown});
    if (now_.waitStates != to_.waitStates)
        open_.push_back({to_.waitStates > now_.waitStates ? What::MoreWaits : What::FewerWaits});
    for (int i = 0; i < count; ++i) {
        const ClockNode& facts = node(i);
        const bool frozen = !facts.frozenBy.empty();
        // What this clock freezes and what changes: `shared` is frozen by others as well.
        bool changes = false, shared = false;
        for (int k = 0; k < count && facts.enable.valid(); ++k)
            if (frozenBy(k, i) && !sameSetting(k)) {
                changes = true;
                shared = shared || node(k).frozenBy.size() > 1;
            }
        if (changes && !isMultiplier(i)) {
            if (!now(i).off)
                open_.push_back({then(i).off && !shared ? What::Off : What::MultiplierOff, i});
            if (!then(i).off || shared)
                open_.push_back({What::Set, i});
            if (!then(i).off)
                open_.push_back({facts.isSource() ? What::SourceOn : What::GateOn, i});
            if (facts.isSource() && !then(i).off && !facts.rates.empty() && !sameSetting(i))
                open_.push_back({What::SourceRate, i});
        } else if (facts.isSource()) {
            if (!then(i).off && !facts.rates.empty() && !sameSetting(i))
                open_.push_back({What::SourceRate, i});
            if (now(i).off != then(i).off)
                open_.push_back({now(i).off ? What::SourceOn : What::Off, i});
            else if (!then(i).off &&
                     (now(i).trimmed != then(i).trimmed || now_.monitored[size_t(i)] != to_.monitored[size_t(i)]))
                extras_.push_back(i);
        } else if (facts.type == ClockNode::Type::Gate) {
            if (now(i).off != then(i).off)
                open_.push_back({now(i).off ? What::GateOn : What::Off, i});
        } else if (facts.type == ClockNode::Type::Select) {
            if (!frozen && isWritten(i))
                open_.push_back({facts.tier == "kernel" ? What::KernelSelect : What::SystemSelect, i});
        } else if (facts.control.valid() && !frozen && isWritten(i)) {
            const bool slower = (then(i).setting > now(i).setting) == (facts.type == ClockNode::Type::Divide);
            open_.push_back({facts.tier == "kernel" ? (slower ? What::KernelSlower : What::KernelFaster)
                             : slower               ? What::BusSlower
                                                    : What::BusFaster,
                             i});
        }
        if (isMultiplier(i)) {
            if (!now(i).off && (then(i).off || changes))
                open_.push_back({then(i).off && !shared ? What::Off : What::MultiplierOff, i});
            if (changes && (!then(i).off || shared))
                open_.push_back({What::Set, i});
            if (!then(i).off && (now(i).off || changes))
                open_.push_back({What::MultiplierOn, i});
        }
    }
    std::stable_sort(open_.begin(), open_.end(), [](const Move& a, const Move& b) { return a.what < b.what; });
}

bool ClockMoves::belongTogether(const Move& select, const Move& divider) const
{
    if (!isSelect(select) || !isDivider(divider) || node(divider.clock).inputs.front().node != select.clock ||
        node(divider.clock).fraction.valid())
        return false;
    const FieldRef &a = node(select.clock).control, &b = node(divider.clock).control;
    return a.valid() && a.instance == b.instance && a.reg == b.reg;
}

bool ClockMoves::moveTogether()
{
    for (size_t s = 0; s < open_.size(); ++s)
        for (size_t d = 0; d < open_.size(); ++d) {
            const Move select = open_[s], divider = open_[d];
            if (!belongTogether(select, divider) || !ready(select) || !keepLimits({select, divider}))
                continue;
            std::erase_if(open_, [&](const Move& move) {
                return (move.what == select.what && move.clock == select.clock) ||
                       (move.what == divider.what && move.clock == divider.clock);
            });
            make(select, false);
            make(divider, false);
            std::vector<FieldWrite> fields = controlsOf(select.clock);
            for (FieldWrite& field : controlsOf(divider.clock))
                fields.push_back(std::move(field));
            add(updateStep(device_, std::move(fields),
                           say("{} {} and {} {} at once: {}.", node(select.clock).name,
                               operationText(device_, rates_, select.clock), node(divider.clock).name,
                               operationText(device_, rates_, divider.clock), rateText(divider.clock))));
            switchedStep(select.clock, then(select.clock).setting);
            return true;
        }
    return false;
}

bool ClockMoves::feeds(int from, ClockIndex clock) const
{
    for (int i = clock; i >= 0; i = now_.trial.inputOf(size_t(i)))
        if (i == from)
            return true;
    return false;
}

std::vector<ClockIndex> ClockMoves::vitalClocks() const
{
    std::vector<ClockIndex> out{device_.flashClock};
    for (const Core& core : device_.cores)
        out.push_back(core.clock);
    for (const Instance& instance : device_.instances)
        if (now_.live[size_t(instance.bus)] && to_.live[size_t(instance.bus)])
            out.push_back(instance.bus);
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

bool ClockMoves::ready(const Move& move) const
{
    const int i = move.clock;
    switch (move.what) {
    case What::SystemSelect:
    case What::KernelSelect: {
        const ClockIndex input = node(i).inputs[size_t(then(i).setting)].node;
        return input < 0 || (runs(input) && !stopsSoon(input));
    }
    case What::MultiplierOff:
    case What::Off:
        // Nothing that cores and buses run from is switched off under them, and nothing that stays in use.
        if (feedsVital(i))
            return false;
        for (size_t k = 0; k < device_.clocks.size(); ++k)
            if (move.what == What::Off && to_.live[k] && now_.live[k] && int(k) != i && feeds(i, int(k)))
                return false;
        if (node(i).isSource())
            for (const Move& other : open_)
                if (other.what == What::MultiplierOff || (other.what == What::Off && isMultiplier(other.clock)))
                    if (feeds(i, other.clock))
                        return false;
        return true;
    case What::Set:
        for (size_t k = 0; k < device_.clocks.size(); ++k)
            if (frozenBy(int(k), i) && !sameSetting(int(k)))
                for (const ClockIndex by : node(int(k)).frozenBy)
                    if (!now(by).off)
                        return false;
        return true;
    case What::SourceOn:
    case What::GateOn:
        return !pending(What::Set, i) && !pending(What::MultiplierOff, i) && !sharedPending(i);
    case What::MultiplierOn:
        return !pending(What::Set, i) && !pending(What::MultiplierOff, i) && runs(now_.trial.inputOf(size_t(i))) &&
               !sharedPending(i);
    default:
        return true;
    }
}

bool ClockMoves::sharedPending(int multiplier) const
{
    return std::any_of(open_.begin(), open_.end(), [&](const Move& move) {
        if (move.what != What::Set || move.clock == multiplier)
            return false;
        for (size_t k = 0; k < device_.clocks.size(); ++k)
            if (frozenBy(int(k), move.clock) && frozenBy(int(k), multiplier) && !sameSetting(int(k)))
                return true;
        return false;
    });
}

int ClockMoves::brokenNow() const
{
    int broken = !flashFollows();
    for (const ClockCombination& combination : device_.neverTogether)
        broken += now_.trial.forbidden(combination);
    for (const ClockIndex i : device_.clocks.indices()) {
        const ClockNode& facts = device_.clocks[i];
        const bool kernel = facts.tier == "kernel";
        // The input of a multiplier that is off does nothing. Being too slow, or faster than its bus, spoils a kernel's
        // work and no silicon; its users rest meanwhile.
        const bool idle = !facts.frozenBy.empty() && std::all_of(facts.frozenBy.begin(), facts.frozenBy.end(),
                                                                 [this](ClockIndex by) { return now(by).off; });
        broken += (now_.live[i] || !kernel) && !idle && !now_.trial.clocks[i].rate.value.isZero() &&
                  (kernel ? now_.trial.absoluteMax(i) && now(int(i)).rate > *now_.trial.absoluteMax(i)
                          : now_.trial.outside(i));
    }
    return broken;
}

bool ClockMoves::keepLimits(const std::vector<Move>& moves)
{
    const IndexVector<ClockIndex, TrialClock> kept = now_.trial.clocks;
    const std::uint32_t waits = now_.waitStates;
    const int range = now_.trial.range();
    const int before = brokenNow();
    for (const Move& move : moves)
        make(move, false);
    const bool keeps = brokenNow() <= before;
    now_.trial.clocks = kept;
    now_.waitStates = waits;
    if (range != now_.trial.range())
        now_.trial.setRange(range);
    return keeps;
}

void ClockMoves::make(const Move& move, bool write)
{
    const ClockIndex i = move.clock;
    TrialClock* clock = i >= 0 ? &now_.trial.clocks[i] : nullptr;
    switch (move.what) {
    case What::RangeUp:
    case What::RangeDown:
        now_.trial.setRange(to_.trial.range());
        if (write)
            rangeSteps();
        break;
    case What::MoreWaits:
    case What::FewerWaits:
        now_.waitStates = to_.waitStates;
        if (write)
            waitStatesStep(to_.waitStates,
                           say("{} for {}.",
                               sayCount(long(to_.waitStates), "{} flash wait state", "{} flash wait states"),
                               rateText(device_.flashClock)));
        break;
    case What::SourceRate:
        clock->setting = then(i).setting;
        if (write)
            rateSteps(i);
        break;
    case What::SourceOn:
        sourceOn(i, write);
        break;
    case What::MultiplierOff:
    case What::Off:
        clock->off = true;
        if (write)
            add(updateStep(device_,
                           {{node(i).enable.ref, node(i).enable.code == 0 ? 1u : 0u, node(i).name + say(" off")}},
                           move.what == What::Off ? say("{} off: nothing uses it.", node(i).name)
                                                  : say("{} off, to be reprogrammed.", node(i).name)));
        break;
    case What::Set:
        setFrozen(i, write);
        break;
    case What::MultiplierOn:
        clock->off = false;
        if (write)
            add(updateStep(device_, {{node(i).enable.ref, node(i).enable.code, node(i).name + say(" on")}},
                           say("{} on: {}.", node(i).name, rateText(i))));
        if (write)
            lockStep(i);
        break;
    case What::SystemSelect:
    case What::KernelSelect:
        clock->setting = then(i).setting;
        if (write)
            selectStep(i, then(i).setting,
                       fmt::format("{} {}: {}.", node(i).name, operationText(device_, rates_, i), rateText(i)));
        break;
    case What::BusSlower:
    case What::BusFaster:
    case What::KernelSlower:
    case What::KernelFaster:
        clock->setting = then(i).setting;
        if (write)
            addByRegister(controlsOf(i),
                          fmt::format("{} {}: {}{}.", node(i).name, operationText(device_, rates_, i), rateText(i),
                                      move.what == What::BusSlower ? say(" when the system clock is on") : ""));
        break;
    case What::GateOn:
        clock->off = false;
        if (write)
            add(updateStep(device_, {{node(i).enable.ref, node(i).enable.code, node(i).name + say(" on")}},
                           say("{} on: {}.", node(i).name, rateText(i))));
        break;
    }
    now_.trial.computeAll();
}

std::vector<Step> clockMoves(const Device& device, const Rates& rates, const ClockSnapshot& from,
                             const ClockSnapshot& to, const MoveOptions& options, std::vector<AwaitedClock>* awaited,
                             std::set<ClockIndex>* spoiled)
{
    ClockMoves moves(device, rates, from, to);
    moves.startOnly(options.startOnly);
    if (options.opened)
        moves.gatesClosed(*options.opened);
    for (const int source : options.awaitFirst)
        moves.await(source);
    std::vector<Step> steps = moves.run();
    if (awaited)
        *awaited = moves.awaited();
    if (spoiled)
        *spoiled = moves.spoiled();
    return steps;
}

} // namespace bindrel
