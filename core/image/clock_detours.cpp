// SPDX-License-Identifier: GPL-3.0-or-later
// Where no change can be made without breaking a limit: what is set otherwise meanwhile.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/image/clock_mover.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace bindrel {

bool ClockMoves::moreWaitsMeanwhile()
{
    std::uint32_t most = 0;
    for (const int range : {now_.trial.range(), to_.trial.range()}) {
        const std::vector<Frequency>& limits = device_.ranges[size_t(range)].waitStateLimits;
        const Frequency rate = now(device_.flashClock).rate;
        const auto enough =
            std::find_if(limits.begin(), limits.end(), [&rate](const Frequency& limit) { return rate <= limit; });
        if (enough != limits.end())
            most = std::max(most, std::uint32_t(enough - limits.begin()));
    }
    if (most > now_.waitStates && !std::exchange(raised_, true))
        return raiseWaits(most);
    const std::uint32_t present = now_.waitStates;
    for (std::uint32_t states = present + 1; states < device_.ranges[size_t(now_.trial.range())].waitStateLimits.size();
         ++states) {
        now_.waitStates = states;
        const bool helps = std::any_of(open_.begin(), open_.end(), [this](const Move& move) {
            return move.what != What::FewerWaits && move.what != What::MoreWaits && ready(move) && keepsLimits(move);
        });
        now_.waitStates = present;
        if (helps)
            return raiseWaits(states);
    }
    return false;
}

bool ClockMoves::raiseWaits(std::uint32_t states)
{
    now_.waitStates = states;
    waitStatesStep(states,
                   say("{} meanwhile, for {}.", sayCount(long(states), "{} flash wait state", "{} flash wait states"),
                       format(now(device_.flashClock).rate)));
    std::erase_if(open_,
                  [](const Move& move) { return move.what == What::MoreWaits || move.what == What::FewerWaits; });
    if (states != to_.waitStates)
        open_.push_back({states > to_.waitStates ? What::FewerWaits : What::MoreWaits, -1});
    std::stable_sort(open_.begin(), open_.end(), [](const Move& a, const Move& b) { return a.what < b.what; });
    return true;
}

bool ClockMoves::detour()
{
    if (detours_++ > int(device_.clocks.size()))
        return false;
    // The select and the source under which the fewest limits are broken: none, unless a peripheral's clock has a lower
    // limit.
    ClockIndex which = -1;
    int best = -1, least = 0;
    for (const ClockIndex s : device_.clocks.indices()) {
        const ClockNode& select = device_.clocks[s];
        if (select.type != ClockNode::Type::Select || !select.frozenBy.empty() || !select.control.valid() ||
            !feedsVital(int(s)))
            continue;
        const int present = now_.trial.inputOf(s);
        if (present < 0 || !stopsSoon(present))
            continue;
        for (size_t k = 0; k < select.inputs.size(); ++k) {
            const ClockIndex input = select.inputs[k].node;
            if (input < 0 || !node(input).isSource() || input == present)
                continue;
            const ClockSnapshot kept = now_;
            now_.trial.clocks[input].off = false;
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
    const ClockIndex input = select.inputs[size_t(best)].node;
    if (now(input).off) {
        sourceOn(input, true);
        if (then(input).off)
            open_.push_back({What::Off, input});
        std::erase_if(open_, [input](const Move& move) { return move.what == What::SourceOn && move.clock == input; });
    }
    now_.trial.clocks[which].setting = best;
    now_.trial.computeAll();
    selectStep(which, best, say("{} from {} meanwhile: {}.", select.name, node(input).name, format(now(which).rate)));
    if (!pending(What::SystemSelect, which) && !sameSetting(which)) {
        open_.push_back({What::SystemSelect, which});
        std::stable_sort(open_.begin(), open_.end(), [](const Move& a, const Move& b) { return a.what < b.what; });
    }
    return true;
}

bool ClockMoves::divideMeanwhile(ClockIndex select, int choice, int& least)
{
    const int before = brokenNow();
    const ClockSnapshot kept = now_;
    ClockIndex divider = -1;
    std::int64_t setting = 0;
    for (ClockIndex d = 0; d < int(device_.clocks.size()) && least > before; ++d) {
        const ClockNode& facts = device_.clocks[d];
        if (facts.type != ClockNode::Type::Divide || !facts.control.valid() || !facts.frozenBy.empty() ||
            facts.fraction.valid())
            continue;
        for (const std::int64_t factor : facts.factors) {
            now_ = kept;
            now_.trial.clocks[d].setting = facts.settingOf(factor);
            now_.trial.computeAll();
            if (brokenNow() > before)
                continue;
            now_.trial.clocks[node(select).inputs[size_t(choice)].node].off = false;
            now_.trial.clocks[select].setting = choice;
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
    now_.trial.clocks[divider].setting = setting;
    now_.trial.computeAll();
    const std::optional<std::uint32_t> code =
        node(divider).encoding.encode(node(divider).dense ? setting / node(divider).unit : setting);
    if (!code) {
        now_ = kept;
        return false;
    }
    add(updateStep(device_, {{node(divider).control, *code, node(divider).name + say(" meanwhile")}},
                   say("{} at {} meanwhile.", node(divider).name, format(now(divider).rate))));
    if (!pending(What::BusFaster, divider) && !pending(What::BusSlower, divider) && !sameSetting(divider)) {
        open_.push_back({What::BusFaster, divider});
        std::stable_sort(open_.begin(), open_.end(), [](const Move& a, const Move& b) { return a.what < b.what; });
    }
    return true;
}

} // namespace bindrel
