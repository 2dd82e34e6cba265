// SPDX-License-Identifier: GPL-3.0-or-later
// In which order clocks are changed, so that no limit is broken on the way.
#include "core/base/text.h"
#include "core/image/clock_moves.h"
#include "core/image/clock_writing.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace bindrel {

namespace {

/// In which order the changes are made, so that no limit is broken on the way.
class ClockMoves : ClockWriting {
public:
    ClockMoves(const Device& device, const Rates& rates, const ClockStand& from, const ClockStand& to) : ClockWriting(device, rates, from, to) {}

    /// Sources that are switched on without waiting for them.
    void startOnly(std::vector<ClockIndex> sources) { startOnly_ = std::move(sources); }
    /// Instances whose gates are still as the chip's reset leaves them: they are opened before something is written there.
    /// `opened`: but these.
    void gatesClosed(std::vector<InstanceIndex> opened)
    {
        gatesClosed_ = true;
        opened_ = std::move(opened);
    }
    /// How the clocks stood at each wait for one.
    std::vector<AwaitedClock> awaited() { return std::move(awaited_); }
    /// Waits for a source that was started before.
    void await(int source)
    {
        readyStep(source);
    }

    std::vector<Step> run()
    {
        // Where nothing has to be set, the range is a matter of the supply alone, and holds already.
        if (!device_.rangeControl.valid() && now_.trial.range() != to_.trial.range())
            now_.trial.setRange(to_.trial.range());
        collect();
        for (int i = 0; i < int(device_.clocks.size()); ++i)
            letGo(i);
        // The first in the usual order that leaves every limit whole. Setting something on the way makes room for others.
        while (!open_.empty()) {
            if (moveTogether())
                continue;
            auto next = std::find_if(open_.begin(), open_.end(), [this](const Move& move) { return !waitsForSelect(move) && ready(move) && keepsLimits(move); });
            if (next == open_.end())
                next = std::find_if(open_.begin(), open_.end(), [this](const Move& move) { return ready(move) && keepsLimits(move); });
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

private:
    /// In the usual order: what makes room first, what takes it away last.
    enum class What { RangeUp, MoreWaits, SourceRate, SourceOn, KernelSlower, BusSlower, MultiplierOff, Set, MultiplierOn, SystemSelect, BusFaster, KernelSelect, KernelFaster, GateOn, RangeDown, FewerWaits, Off };
    struct Move {
        What what;
        ClockIndex clock = -1; ///< Set: the multiplier whose frozen controls are set
    };

    /// Whether a clock's control is written. What survives a reset may hold anything, whatever the data sheet's table says of reset.
    bool isWritten(int i) const
    {
        const FieldRef& control = node(i).control;
        return !sameSetting(i) || (gatesClosed_ && control.valid() && to_.live[size_t(i)] && device_.fieldOf(control).survivesReset);
    }

    void collect()
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
            if (facts.isSource()) {
                if (!then(i).off && !facts.rates.empty() && !sameSetting(i))
                    open_.push_back({What::SourceRate, i});
                if (now(i).off != then(i).off)
                    open_.push_back({now(i).off ? What::SourceOn : What::Off, i});
                else if (!then(i).off && (now(i).trimmed != then(i).trimmed || now_.monitored[size_t(i)] != to_.monitored[size_t(i)]))
                    extras_.push_back(i);
            } else if (facts.type == ClockNode::Type::Gate) {
                if (now(i).off != then(i).off)
                    open_.push_back({now(i).off ? What::GateOn : What::Off, i});
            } else if (facts.type == ClockNode::Type::Select) {
                if (!frozen && isWritten(i))
                    open_.push_back({facts.tier == "kernel" ? What::KernelSelect : What::SystemSelect, i});
            } else if (facts.control.valid() && !frozen && isWritten(i)) {
                const bool slower = (then(i).setting > now(i).setting) == (facts.type == ClockNode::Type::Divide);
                open_.push_back({facts.tier == "kernel" ? (slower ? What::KernelSlower : What::KernelFaster) : slower ? What::BusSlower : What::BusFaster, i});
            }
            if (isMultiplier(i)) {
                bool changes = false, shared = false;
                for (int k = 0; k < count; ++k)
                    if (frozenBy(k, i) && !sameSetting(k)) {
                        changes = true;
                        shared = shared || node(k).frozenBy.size() > 1;
                    }
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

    // ---- a select and the divider behind it in one register: written at once, what hangs on them sees no rate between the two

    static bool isSelect(const Move& move) { return move.what == What::SystemSelect || move.what == What::KernelSelect; }
    static bool isDivider(const Move& move) { return move.what == What::BusSlower || move.what == What::BusFaster || move.what == What::KernelSlower || move.what == What::KernelFaster; }

    bool belongTogether(const Move& select, const Move& divider) const
    {
        if (!isSelect(select) || !isDivider(divider) || node(divider.clock).inputs.front().node != select.clock || node(divider.clock).fraction.valid())
            return false;
        const FieldRef &a = node(select.clock).control, &b = node(divider.clock).control;
        return a.valid() && a.instance == b.instance && a.reg == b.reg;
    }

    /// A divider that is better set together with its select waits until that can be moved.
    bool waitsForSelect(const Move& move) const
    {
        return std::any_of(open_.begin(), open_.end(), [&](const Move& other) { return belongTogether(other, move) && !ready(other); });
    }

    bool moveTogether()
    {
        for (size_t s = 0; s < open_.size(); ++s)
            for (size_t d = 0; d < open_.size(); ++d) {
                const Move select = open_[s], divider = open_[d];
                if (!belongTogether(select, divider) || !ready(select) || !keepLimits({select, divider}))
                    continue;
                std::erase_if(open_, [&](const Move& move) { return (move.what == select.what && move.clock == select.clock) || (move.what == divider.what && move.clock == divider.clock); });
                make(select, false);
                make(divider, false);
                std::vector<FieldWrite> fields = controlsOf(select.clock);
                for (FieldWrite& field : controlsOf(divider.clock))
                    fields.push_back(std::move(field));
                add(updateStep(device_, std::move(fields), fmt::format("{} {} and {} {} at once: {}.", node(select.clock).name, operationText(device_, rates_, select.clock), node(divider.clock).name,
                                                                       operationText(device_, rates_, divider.clock), rateText(divider.clock))));
                switchedStep(select.clock, then(select.clock).setting);
                return true;
            }
        return false;
    }

    bool pending(What what, ClockIndex clock) const
    {
        return std::any_of(open_.begin(), open_.end(), [&](const Move& move) { return move.what == what && move.clock == clock; });
    }

    /// Whether a clock runs at this moment, with all that it comes from.
    bool runs(ClockIndex clock) const { return clock >= 0 && !now(clock).rate.value.isZero(); }

    bool feeds(int from, ClockIndex clock) const
    {
        for (int i = clock; i >= 0; i = now_.trial.inputOf(size_t(i)))
            if (i == from)
                return true;
        return false;
    }

    /// Whether a multiplier that the clock comes from is still to be stopped and set anew.
    bool stopsSoon(ClockIndex clock) const
    {
        return std::any_of(open_.begin(), open_.end(), [&](const Move& move) { return move.what == What::MultiplierOff && feeds(move.clock, clock); });
    }

    /// What must not stand still: cores, flash, and every bus that something is reached by.
    std::vector<ClockIndex> vitalClocks() const
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

    bool feedsVital(ClockIndex clock) const
    {
        return std::any_of(vital_.begin(), vital_.end(), [&](int vital) { return feeds(clock, vital); });
    }

    /// Whether the hardware permits it now.
    bool ready(const Move& move) const
    {
        const int i = move.clock;
        switch (move.what) {
        case What::SystemSelect:
        case What::KernelSelect: {
            const int input = node(i).inputs[size_t(then(i).setting)].node;
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
        case What::MultiplierOn:
            return !pending(What::Set, i) && !pending(What::MultiplierOff, i) && runs(now_.trial.inputOf(size_t(i))) && !sharedPending(i);
        default:
            return true;
        }
    }

    /// Whether another multiplier's setting still waits for this one to be off.
    bool sharedPending(int multiplier) const
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

    bool flashFollows() const
    {
        const std::vector<Frequency>& limits = device_.ranges[size_t(now_.trial.range())].waitStateLimits;
        const std::size_t states = std::min<std::size_t>(now_.waitStates, limits.size() - 1);
        return now(device_.flashClock).rate <= limits[states];
    }

    int brokenNow() const
    {
        int broken = !flashFollows();
        for (const ClockCombination& combination : device_.neverTogether)
            broken += now_.trial.forbidden(combination);
        for (size_t i = 0; i < device_.clocks.size(); ++i) {
            const ClockNode& facts = device_.clocks[i];
            const bool kernel = facts.tier == "kernel";
            // The input of a multiplier that is off does nothing. Being too slow, or faster than its bus, spoils a kernel's
            // work and no silicon; its users rest meanwhile.
            const bool idle = !facts.frozenBy.empty() && std::all_of(facts.frozenBy.begin(), facts.frozenBy.end(), [this](ClockIndex by) { return now(by).off; });
            broken += (now_.live[i] || !kernel) && !idle && !now_.trial.clocks[i].rate.value.isZero() &&
                      (kernel ? now_.trial.absoluteMax(i) && now(int(i)).rate > *now_.trial.absoluteMax(i) : now_.trial.outside(i));
        }
        return broken;
    }

    bool keepsLimits(const Move& move) { return keepLimits({move}); }
    /// No more limits are broken after them than before.
    bool keepLimits(const std::vector<Move>& moves)
    {
        const std::vector<TrialClock> kept = now_.trial.clocks;
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

    /// In the range that is to come, the present rate may need more wait states than in the end; or a rate on the way does.
    bool moreWaitsMeanwhile()
    {
        std::uint32_t most = 0;
        for (const int range : {now_.trial.range(), to_.trial.range()}) {
            const std::vector<Frequency>& limits = device_.ranges[size_t(range)].waitStateLimits;
            const Frequency rate = now(device_.flashClock).rate;
            const auto enough = std::find_if(limits.begin(), limits.end(), [&rate](const Frequency& limit) { return rate <= limit; });
            if (enough != limits.end())
                most = std::max(most, std::uint32_t(enough - limits.begin()));
        }
        if (most > now_.waitStates && !std::exchange(raised_, true))
            return raiseWaits(most);
        const std::uint32_t present = now_.waitStates;
        for (std::uint32_t states = present + 1; states < device_.ranges[size_t(now_.trial.range())].waitStateLimits.size(); ++states) {
            now_.waitStates = states;
            const bool helps = std::any_of(open_.begin(), open_.end(), [this](const Move& move) { return move.what != What::FewerWaits && move.what != What::MoreWaits && ready(move) && keepsLimits(move); });
            now_.waitStates = present;
            if (helps)
                return raiseWaits(states);
        }
        return false;
    }

    bool raiseWaits(std::uint32_t states)
    {
        now_.waitStates = states;
        waitStatesStep(states, fmt::format("{} meanwhile, for {}.", counted(long(states), "flash wait state"), format(now(device_.flashClock).rate)));
        std::erase_if(open_, [](const Move& move) { return move.what == What::MoreWaits || move.what == What::FewerWaits; });
        if (states != to_.waitStates)
            open_.push_back({states > to_.waitStates ? What::FewerWaits : What::MoreWaits, -1});
        std::stable_sort(open_.begin(), open_.end(), [](const Move& a, const Move& b) { return a.what < b.what; });
        return true;
    }

    /// The cores run from what must be set anew: from something else, meanwhile.
    bool detour()
    {
        if (detours_++ > int(device_.clocks.size()))
            return false;
        // The select and the source under which the fewest limits are broken: none, unless a peripheral's clock has a lower limit.
        int which = -1, best = -1, least = 0;
        for (size_t s = 0; s < device_.clocks.size(); ++s) {
            const ClockNode& select = device_.clocks[s];
            if (select.type != ClockNode::Type::Select || !select.frozenBy.empty() || !select.control.valid() || !feedsVital(int(s)))
                continue;
            const int present = now_.trial.inputOf(s);
            if (present < 0 || !stopsSoon(present))
                continue;
            for (size_t k = 0; k < select.inputs.size(); ++k) {
                const int input = select.inputs[k].node;
                if (input < 0 || !node(input).isSource() || input == present)
                    continue;
                const ClockStand kept = now_;
                now_.trial.clocks[size_t(input)].off = false;
                now_.trial.clocks[s].setting = std::int64_t(k);
                now_.trial.computeAll();
                if (const int broken = brokenNow(); runs(input) && (best < 0 || broken < least)) {
                    which = int(s);
                    best = int(k);
                    least = broken;
                }
                now_ = kept;
            }
        }
        if (best < 0)
            return false;
        while (least > brokenNow() && divideMeanwhile(which, best, least)) {
        }
        const ClockNode& select = node(which);
        const int input = select.inputs[size_t(best)].node;
        if (now(input).off) {
            sourceOn(input, true);
            if (then(input).off)
                open_.push_back({What::Off, input});
            std::erase_if(open_, [input](const Move& move) { return move.what == What::SourceOn && move.clock == input; });
        }
        now_.trial.clocks[size_t(which)].setting = best;
        now_.trial.computeAll();
        selectStep(which, best, fmt::format("{} from {} meanwhile: {}.", select.name, node(input).name, format(now(which).rate)));
        if (!pending(What::SystemSelect, which) && !sameSetting(which)) {
            open_.push_back({What::SystemSelect, which});
            std::stable_sort(open_.begin(), open_.end(), [](const Move& a, const Move& b) { return a.what < b.what; });
        }
        return true;
    }

    /// A detour that leaves limits broken, as of a clock that may not be faster than the one that is moved: some divider is set meanwhile so that
    /// fewer are, both before and after it.
    /// `least`: how many are broken by the detour; less after it. False when no divider helps.
    bool divideMeanwhile(int select, int choice, int& least)
    {
        const int before = brokenNow();
        const ClockStand kept = now_;
        int divider = -1;
        std::int64_t setting = 0;
        for (size_t d = 0; d < device_.clocks.size() && least > before; ++d) {
            const ClockNode& facts = device_.clocks[d];
            if (facts.type != ClockNode::Type::Divide || !facts.control.valid() || !facts.frozenBy.empty() || facts.fraction.valid())
                continue;
            for (const std::int64_t factor : facts.factors) {
                now_ = kept;
                now_.trial.clocks[d].setting = facts.settingOf(factor);
                now_.trial.computeAll();
                if (brokenNow() > before)
                    continue;
                now_.trial.clocks[size_t(node(select).inputs[size_t(choice)].node)].off = false;
                now_.trial.clocks[size_t(select)].setting = choice;
                now_.trial.computeAll();
                if (const int broken = brokenNow(); broken < least) {
                    least = broken;
                    divider = int(d);
                    setting = facts.settingOf(factor);
                }
            }
        }
        now_ = kept;
        if (divider < 0)
            return false;
        now_.trial.clocks[size_t(divider)].setting = setting;
        now_.trial.computeAll();
        const std::optional<std::uint32_t> code = node(divider).encoding.encode(node(divider).dense ? setting / node(divider).unit : setting);
        if (!code) {
            now_ = kept;
            return false;
        }
        add(updateStep(device_, {{node(divider).control, *code, node(divider).name + " meanwhile"}}, fmt::format("{} at {} meanwhile.", node(divider).name, format(now(divider).rate))));
        if (!pending(What::BusFaster, divider) && !pending(What::BusSlower, divider) && !sameSetting(divider)) {
            open_.push_back({What::BusFaster, divider});
            std::stable_sort(open_.begin(), open_.end(), [](const Move& a, const Move& b) { return a.what < b.what; });
        }
        return true;
    }

    // ---- what the moves do to the model and, when `write`, which steps they are

    void make(const Move& move, bool write)
    {
        const int i = move.clock;
        TrialClock* clock = i >= 0 ? &now_.trial.clocks[size_t(i)] : nullptr;
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
                waitStatesStep(to_.waitStates, fmt::format("{} for {}.", counted(long(to_.waitStates), "flash wait state"), rateText(device_.flashClock)));
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
                add(updateStep(device_, {{node(i).enable.ref, node(i).enable.code == 0 ? 1u : 0u, node(i).name + " off"}},
                               move.what == What::Off ? fmt::format("{} off: nothing uses it.", node(i).name) : fmt::format("{} off, to be set anew.", node(i).name)));
            break;
        case What::Set:
            setFrozen(i, write);
            break;
        case What::MultiplierOn:
            clock->off = false;
            if (write)
                add(updateStep(device_, {{node(i).enable.ref, node(i).enable.code, node(i).name + " on"}}, fmt::format("{} on: {}.", node(i).name, rateText(i))));
            if (write)
                lockStep(i);
            break;
        case What::SystemSelect:
        case What::KernelSelect:
            clock->setting = then(i).setting;
            if (write)
                selectStep(i, then(i).setting, fmt::format("{} {}: {}.", node(i).name, operationText(device_, rates_, i), rateText(i)));
            break;
        case What::BusSlower:
        case What::BusFaster:
        case What::KernelSlower:
        case What::KernelFaster:
            clock->setting = then(i).setting;
            if (write)
                addByRegister(controlsOf(i), fmt::format("{} {}: {}{}.", node(i).name, operationText(device_, rates_, i), rateText(i), move.what == What::BusSlower ? " when the system clock is on" : ""));
            break;
        case What::GateOn:
            clock->off = false;
            if (write)
                add(updateStep(device_, {{node(i).enable.ref, node(i).enable.code, node(i).name + " on"}}, fmt::format("{} on: {}.", node(i).name, rateText(i))));
            break;
        }
        now_.trial.computeAll();
    }

    std::vector<ClockIndex> vital_ = vitalClocks();
    std::vector<Move> open_;
    std::vector<ClockIndex> extras_; ///< sources that run on, but are to be trimmed or watched
    bool raised_ = false;     ///< wait states, meanwhile
    int detours_ = 0;
};

} // namespace

std::vector<Step> clockMoves(const Device& device, const Rates& rates, const ClockStand& from, const ClockStand& to, const MoveOptions& options, std::vector<AwaitedClock>* awaited)
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
    return steps;
}

} // namespace bindrel
