// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/swaps.h"

#include "core/pins/sides.h"
#include "core/pins/taken.h"
#include "core/plan/board_facts.h"

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

using Terminals = std::map<std::string, std::string, std::less<>>;
using LedTo = std::map<std::string, std::vector<std::pair<NeedIndex, std::string>>, std::less<>>;

/// By terminal of a part: the signals that lead there.
LedTo signalsAt(const Plan& plan, const std::string& part)
{
    LedTo out;
    for (const NeedIndex n : plan.needs.indices())
        if (plan.needs[n].part == part)
            for (const SignalSpec& signal : signalsOf(plan.needs[n]))
                out[terminalOf(plan.needs[n], signal.id)].emplace_back(n, signal.id);
    return out;
}

/// Whether another wish says where the signal at a terminal is to lie.
bool isNamedOtherwise(const std::vector<ResolvedWish>& wishes, const std::string& part, const std::string& terminal)
{
    const Wish::Subject it{part, terminal, true};
    return std::any_of(wishes.begin(), wishes.end(), [&it](const ResolvedWish& wish) {
        return wish.wish.kind != Wish::Kind::Swap &&
               (std::ranges::find(wish.wish.subjects, it) != wish.wish.subjects.end() ||
                std::ranges::find(wish.wish.from, it) != wish.wish.from.end());
    });
}

bool isWired(const Device& device, const Board& board, const Need& need, const std::string& signal)
{
    if (!netOf(need, signal).empty())
        return true;
    const auto pad = need.binding.pads.find(signal);
    return pad != need.binding.pads.end() && device.findPad(pad->second) >= 0 && board.nets.contains(pad->second);
}

/// Where the pads of a package lie: by pad its side, -1 on no pin, and its place there.
struct PadSides {
    std::vector<int> side, along;
};

PadSides padSides(const Device& device)
{
    PadSides out{std::vector<int>(device.pads.size(), -1), std::vector<int>(device.pads.size(), 0)};
    const std::vector<int> sides = sidesOf(device.package);
    for (const PinIndex i : device.package.pins.indices())
        if (const PadIndex pad = device.package.pins[i].pad; pad >= 0) {
            out.side[std::size_t(pad)] = sides[i];
            out.along[std::size_t(pad)] = alongSide(device.package, i, sides[i]);
        }
    return out;
}

PadIndex padOf(const Device& device, const Need& need, const std::string& signal)
{
    const auto pad = need.binding.pads.find(signal);
    return pad == need.binding.pads.end() ? PadIndex() : device.findPad(pad->second);
}

/// A run with its terminals dealt out anew, in the order of the pads or against it.
void deal(const Device& device, const PadSides& at, Plan& plan, const SwapRun& run, bool rising)
{
    std::vector<std::pair<NeedIndex, std::string>> order = run.signals;
    std::ranges::stable_sort(order, {}, [&](const auto& one) {
        const PadIndex pad = padOf(device, plan.needs[one.first], one.second);
        // What has no pad comes last, as it was.
        return pad < 0 || at.side[std::size_t(pad)] < 0
                   ? std::tuple(1, 0, 0)
                   : std::tuple(0, at.side[std::size_t(pad)], (rising ? 1 : -1) * at.along[std::size_t(pad)]);
    });
    for (std::size_t i = 0; i < order.size(); ++i)
        plan.needs[order[i].first].terminals[order[i].second] = run.terminals[i];
}

/// Wires of a row that cross, any two on a side of the package, for the better of its two ends first.
int crossingsAt(const Device& device, const PadSides& at, const Plan& plan, const Part& part)
{
    std::vector<std::pair<int, PadIndex>> row;
    for (const auto& [terminal, signals] : signalsAt(plan, part.id)) {
        const auto place = std::ranges::find(part.terminals, terminal);
        for (const auto& [need, signal] : signals)
            if (const PadIndex pad = padOf(device, plan.needs[need], signal);
                place != part.terminals.end() && pad >= 0 && at.side[std::size_t(pad)] >= 0)
                row.emplace_back(int(place - part.terminals.begin()), pad);
    }
    int rising = 0, falling = 0;
    for (const auto& [place, pad] : row)
        for (const auto& [later, other] : row)
            if (place < later && at.side[std::size_t(pad)] == at.side[std::size_t(other)]) {
                rising += at.along[std::size_t(pad)] < at.along[std::size_t(other)];
                falling += at.along[std::size_t(pad)] > at.along[std::size_t(other)];
            }
    return std::min(rising, falling);
}

} // namespace

std::vector<SwapRun> swapRuns(const Device& device, const Board& board, const Plan& plan,
                              const std::vector<NeedIndex>& placed)
{
    std::vector<SwapRun> out;
    if (std::none_of(board.wishes.begin(), board.wishes.end(),
                     [](const auto& wish) { return wish.first.ends_with(" may be swapped"); }))
        return out;
    const std::vector<ResolvedWish> wishes = resolveWishes(device, board, plan).wishes;
    const auto isFree = [&](NeedIndex n, const std::string& signal) {
        const Need& need = plan.needs[n];
        return std::ranges::find(placed, n) != placed.end() && !plan.held(holdOfNeed(need.id)) &&
               !plan.held(holdOfSignal(need.id, signal)) && !isWired(device, board, need, signal);
    };
    std::set<std::pair<std::string, std::string>> taken; // part and terminal: what two wishes name is swapped by one
    for (const ResolvedWish& wish : wishes) {
        if (wish.wish.kind != Wish::Kind::Swap)
            continue;
        const Part& part = *board.part(wish.wish.subjects.front().id);
        const LedTo ledTo = signalsAt(plan, part.id);
        SwapRun run{part.id, {}, {}};
        const auto close = [&] {
            if (run.signals.size() > 1)
                out.push_back(run);
            run = {part.id, {}, {}};
        };
        for (const std::string& terminal : part.terminals) {
            const auto signals = ledTo.find(terminal);
            const bool named = std::ranges::any_of(
                wish.wish.subjects, [&](const Wish::Subject& subject) { return subject.signal == terminal; });
            if (signals == ledTo.end()) {
                if (!named)
                    close();
                continue; // a spare one among them is in nobody's way
            }
            const auto& [need, signal] = signals->second.front();
            if (!named || signals->second.size() > 1 || !isFree(need, signal) ||
                isNamedOtherwise(wishes, part.id, terminal) || !taken.emplace(part.id, terminal).second) {
                close();
                continue;
            }
            run.terminals.push_back(terminal);
            run.signals.emplace_back(need, signal);
        }
        close();
    }
    return out;
}

std::vector<std::pair<NeedIndex, Terminals>> bestTerminals(const Device& device, const Board& board, const Plan& plan,
                                                           const std::vector<SwapRun>& runs)
{
    std::map<std::string, std::vector<const SwapRun*>> ofPart;
    for (const SwapRun& run : runs)
        ofPart[run.part].push_back(&run);
    const PadSides at = padSides(device);
    Plan best = plan;
    for (const auto& [id, some] : ofPart) {
        const Part& part = *board.part(id);
        int least = crossingsAt(device, at, best, part);
        for (const bool rising : {true, false}) {
            Plan trial = best;
            for (const SwapRun* run : some)
                deal(device, at, trial, *run, rising);
            if (const int crossings = crossingsAt(device, at, trial, part); crossings < least) {
                least = crossings;
                best = std::move(trial);
            }
        }
    }
    std::vector<std::pair<NeedIndex, Terminals>> out;
    for (const NeedIndex n : plan.needs.indices())
        if (best.needs[n].terminals != plan.needs[n].terminals)
            out.emplace_back(n, best.needs[n].terminals);
    return out;
}

} // namespace bindrel
