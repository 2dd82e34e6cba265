// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/wishes.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/sides.h"
#include "core/plan/board_facts.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <map>

namespace bindrel {

namespace {

using Kind = Wish::Kind;

/// Turns names into signals of needs.
class Resolver {
public:
    Resolver(const Device& device, const Board& board, const Plan& plan) : device_(device), board_(board), plan_(plan)
    {
        for (const NeedIndex n : plan.needs.indices())
            if (const KindSpec* kind = findKind(plan.needs[n].kind))
                signals_[n] = kind->signals(plan.needs[n]);
    }

    /// Empty when all is clear, else what is not.
    std::string resolve(ResolvedWish& out) const
    {
        const Wish& wish = out.wish;
        for (const std::string& name : wish.pads) {
            const PadIndex pad = device_.findPad(name);
            if (pad < 0)
                return say("{} has no pad {}", device_.name, name);
            out.pads.push_back(pad);
        }
        const auto& pins = device_.package.pins;
        if (wish.kind == Kind::NextTo &&
            std::none_of(pins.begin(), pins.end(), [&](const PackagePin& pin) { return pin.name == wish.where; }))
            return say("{} has no pin {}", device_.package.name, wish.where);
        for (const auto& [number, at] : {std::pair(&wish.where, &out.first), {&wish.until, &out.last}})
            if (wish.kind == Kind::Region) {
                const auto pin = std::ranges::find(pins, *number, &PackagePin::number);
                if (pin == pins.end())
                    return say("{} has no pin {}", device_.package.name, *number);
                *at = PinIndex(int(pin - pins.begin()));
            }
        if (wish.kind == Kind::Port && std::none_of(device_.pads.begin(), device_.pads.end(),
                                                    [&](const Pad& pad) { return pad.name.starts_with(wish.where); }))
            return say("no pad of {} has a name that begins with {}", device_.name, wish.where);
        const bool sequence = wish.kind == Kind::Sequence;
        for (const bool other : {false, true})
            for (const Wish::Subject& subject : other ? wish.from : wish.subjects) {
                const int group = sequence ? int(&subject - wish.subjects.data()) : other ? 1 : 0;
                if (std::string why = add(subject, group, out.signals); !why.empty())
                    return why;
            }
        if (wish.kind == Kind::Swap)
            return whyNotSwapped(wish);
        if (sequence && !out.stands)
            for (int later = 1; later < int(wish.subjects.size()); ++later)
                for (int earlier = 0; earlier < later; ++earlier)
                    out.pairs.emplace_back(earlier, later);
        return {};
    }

private:
    /// What keeps terminals from being swapped; empty when nothing does.
    std::string whyNotSwapped(const Wish& wish) const
    {
        const Part* known = board_.part(wish.subjects.front().id);
        if (!known)
            return say("the board does not say which terminals {} has", wish.subjects.front().id);
        const Part& part = *known;
        if (!part.row)
            return say("the terminals of {} are not said to stand in a row; list them as in \"{}, {} in a row\"",
                       part.title, wish.subjects[0].signal, wish.subjects[1].signal);
        const auto factOf = [&part](const Wish::Subject& subject) {
            const auto fact = part.facts.find(subject.signal);
            return fact == part.facts.end() ? TerminalFact() : fact->second;
        };
        for (const Wish::Subject& subject : wish.subjects)
            if (factOf(subject) != factOf(wish.subjects.front()))
                return say("what stands at {} and {} of {} differs", wish.subjects.front().signal, subject.signal,
                           part.title);
        return {};
    }

    std::string add(const Wish::Subject& subject, int group, std::vector<WishedSignal>& out) const
    {
        bool any = false;
        for (const NeedIndex n : plan_.needs.indices()) {
            const Need& need = plan_.needs[n];
            if ((subject.isPart ? need.part : need.id) != subject.id)
                continue;
            any = true;
            bool found = false;
            if (const auto known = signals_.find(n); known != signals_.end())
                for (const SignalSpec& signal : known->second)
                    if (subject.signal.empty() ||
                        subject.signal == (subject.isPart ? terminalOf(need, signal.id) : signal.id)) {
                        const auto same = [&](const WishedSignal& other) {
                            return other.need == NeedIndex(int(n)) && other.signal == signal.id && other.group == group;
                        };
                        if (std::any_of(out.begin(), out.end(), same))
                            return say("{} {} is named twice", need.title, signal.id);
                        out.push_back({NeedIndex(int(n)), signal.id, group});
                        found = true;
                    }
            if (!found && !subject.signal.empty() && !subject.isPart)
                return say("{} has no signal {}", need.title, subject.signal);
        }
        if (const Part* part = subject.isPart ? board_.part(subject.id) : nullptr) {
            const auto& terminals = part->terminals;
            if (!subject.signal.empty() &&
                std::find(terminals.begin(), terminals.end(), subject.signal) == terminals.end())
                return say("{} has no terminal {}", part->title, subject.signal);
            return {}; // what nobody is wired to is nowhere yet
        }
        if (any)
            return {};
        return subject.isPart ? say("the board has no part {}", subject.id)
                              : say("the plan has no need {}", subject.id);
    }

    const Device& device_;
    const Board& board_;
    const Plan& plan_;
    std::map<std::size_t, std::vector<SignalSpec>> signals_;
};

std::string titleOf(const Plan& plan, const Bindings& bindings, const WishedSignal& at)
{
    const Need& need = plan.needs[at.need];
    const BoundNeed& bound = bindings.needs[at.need];
    for (const Seat& seat : bound.seats)
        if (seat.signal.id == at.signal && bound.seats.size() > 1)
            return say("{} of {}", say(seat.signal.title), need.title);
    return need.title;
}

PadIndex padOf(const Bindings& bindings, const WishedSignal& at)
{
    for (const Seat& seat : bindings.needs[at.need].seats)
        if (seat.signal.id == at.signal)
            return seat.pad;
    return PadIndex(-1);
}

} // namespace

PadPlaces::PadPlaces(const Device& device)
    : device_(device), side_(device.pads.size(), 0), position_(device.pads.size(), -1), along_(device.pads.size(), 0),
      sideOfPin_(sidesOf(device.package))
{
    for (const PinIndex i : device.package.pins.indices()) {
        const PackagePin& pin = device.package.pins[i];
        alongOfPin_.push_back(alongSide(device.package, i, sideOfPin_[i]));
        if (pin.pad >= 0) {
            side_[std::size_t(pin.pad)] = sideOfPin_[i];
            position_[std::size_t(pin.pad)] = int(i);
            along_[std::size_t(pin.pad)] = alongOfPin_[i];
        }
    }
}

bool PadPlaces::near(PadIndex a, PadIndex b, int between) const
{
    return placed(a) && placed(b) && side(a) == side(b) &&
           std::abs(along_[std::size_t(a)] - along_[std::size_t(b)]) <= between;
}

int PadPlaces::around(PadIndex pad) const
{
    // Rows and columns of balls count downwards and to the right, pins around the package.
    const bool back = device_.package.kind == Package::Kind::BallGrid && side(pad) >= 2;
    return back ? -along_[std::size_t(pad)] : along_[std::size_t(pad)];
}

int PadPlaces::turn(PadIndex a, PadIndex b) const
{
    const bool balls = device_.package.kind == Package::Kind::BallGrid;
    if (!placed(a) || !placed(b) || (balls && side(a) != side(b)))
        return 0;
    const int from = along_[std::size_t(a)], to = along_[std::size_t(b)];
    return from < to ? 1 : from > to ? -1 : 0;
}

bool PadPlaces::within(PadIndex pad, PinIndex from, PinIndex to) const
{
    if (!placed(pad))
        return false;
    const auto ball = [this](PinIndex pin) { return ballAt(device_.package.pins[pin].number); };
    const PinIndex at(position_[std::size_t(pad)]);
    if (const auto one = ball(from), other = ball(to), here = ball(at);
        device_.package.kind == Package::Kind::BallGrid && one && other && here) {
        const auto between = [](int value, int a, int b) { return std::min(a, b) <= value && value <= std::max(a, b); };
        return between(here->first, one->first, other->first) && between(here->second, one->second, other->second);
    }
    return from <= to ? from <= at && at <= to : at >= from || at <= to;
}

bool PadPlaces::besidePin(PadIndex pad, std::string_view name) const
{
    if (!placed(pad))
        return false;
    for (const PinIndex i : device_.package.pins.indices())
        if (device_.package.pins[i].name == name && sideOfPin_[i] == side(pad) &&
            std::abs(alongOfPin_[i] - along_[std::size_t(pad)]) <= 1 && int(i) != position_[std::size_t(pad)])
            return true;
    return false;
}

bool ResolvedWish::isSingle() const
{
    return wish.kind == Kind::KeepFree || wish.kind == Kind::Side || wish.kind == Kind::NotSide ||
           wish.kind == Kind::Port || wish.kind == Kind::NextTo || wish.kind == Kind::Region;
}

bool ResolvedWish::breaks(const Device& device, const PadPlaces& places, PadIndex pad) const
{
    if (pad < 0 || !places.placed(pad))
        return false;
    switch (wish.kind) {
    case Kind::KeepFree:
        return std::find(pads.begin(), pads.end(), pad) != pads.end();
    case Kind::Side:
        return stands ? ((sides >> places.side(pad)) & 1u) == 0 : places.side(pad) != wish.side;
    case Kind::NotSide:
        return places.side(pad) == wish.side;
    case Kind::Port:
        return !device.pads[pad].name.starts_with(wish.where);
    case Kind::NextTo:
        return !places.besidePin(pad, wish.where);
    case Kind::Region:
        return !places.within(pad, first, last);
    case Kind::Order:
    case Kind::OneSide:
    case Kind::OneUnit:
    case Kind::Away:
    case Kind::Neighbours:
    case Kind::Sequence:
    case Kind::Swap:
        break;
    }
    return false;
}

bool asksAnything(const Board& board)
{
    return !board.wishes.empty() || (board.chipPlace && !board.places.empty());
}

/// Parts that one side of the chip faces, in the order in which they stand there; nothing where fewer than two can be
/// told apart.
static std::optional<ResolvedWish> asTheyStand(const Resolver& resolver, const Board& board, unsigned side)
{
    ResolvedWish out;
    out.wish.kind = Kind::Sequence;
    out.stands = true;
    out.sides = 1u << side;
    std::vector<std::string> titles;
    std::vector<const BoardPlace*> places;
    for (const auto& [id, place] : board.places) {
        const Part* part = board.part(id);
        const unsigned faced = sidesFacing(*board.chipPlace, place);
        if (!part || faced == 0xFu || (faced & out.sides) == 0)
            continue;
        out.wish.subjects.push_back({id, {}, true});
        titles.push_back(part->title);
        places.push_back(&place);
    }
    for (std::size_t i = 0; i < places.size(); ++i)
        for (std::size_t k = 0; k < i; ++k)
            if (const int turn = inTurn(*board.chipPlace, *places[k], *places[i]); turn != 0)
                out.pairs.push_back(turn > 0 ? std::pair(int(k), int(i)) : std::pair(int(i), int(k)));
    out.text = joined(titles, ", ") + say(" in the order in which they stand");
    if (out.pairs.empty() || !resolver.resolve(out).empty() || out.signals.empty())
        return std::nullopt;
    return out;
}

WishReading resolveWishes(const Device& device, const Board& board, const Plan& plan)
{
    WishReading out;
    if (!asksAnything(board))
        return out;
    const Resolver resolver(device, board, plan);
    for (const auto& [text, strength] : board.wishes) {
        const Expected<Wish> wish = parseWish(text);
        ResolvedWish resolved;
        resolved.wish = wish ? *wish : Wish();
        resolved.text = text;
        resolved.rule = strength == WishStrength::Rule;
        if (std::string why = wish ? resolver.resolve(resolved) : wish.problem().message; !why.empty())
            out.unclear.push_back({text, std::move(why)});
        else
            out.wishes.push_back(std::move(resolved));
    }
    for (const auto& [id, place] : board.places) {
        const Part* part = board.part(id);
        const unsigned sides = board.chipPlace ? sidesFacing(*board.chipPlace, place) : 0xFu;
        if (!part || sides == 0xFu)
            continue;
        ResolvedWish facing;
        facing.wish.kind = Kind::Side;
        facing.wish.subjects = {{id, {}, true}};
        facing.text = part->title + say(" on the side that it stands at");
        facing.stands = true;
        facing.sides = sides;
        if (resolver.resolve(facing).empty() && !facing.signals.empty())
            out.wishes.push_back(std::move(facing));
    }
    for (unsigned side = 0; side < 4 && board.chipPlace; ++side)
        if (std::optional<ResolvedWish> sequence = asTheyStand(resolver, board, side))
            out.wishes.push_back(*std::move(sequence));
    return out;
}

namespace {

/// The position with the most of them; ties go to the first.
template <typename Key> Key commonest(const std::vector<Key>& keys)
{
    std::map<Key, int> count;
    int most = 0;
    for (const Key& key : keys)
        most = std::max(most, ++count[key]);
    for (const Key& key : keys)
        if (count[key] == most)
            return key;
    return {};
}

/// Two that follow each other in the sentence; those without a pad are compared with nothing.
template <typename Compare> void eachPair(const PadPlaces& places, const std::vector<PadIndex>& pads, Compare compare)
{
    const auto there = [&](std::size_t i) { return pads[i] >= 0 && places.placed(pads[i]); };
    for (std::size_t i = 0; i + 1 < pads.size(); ++i)
        if (there(i) && there(i + 1))
            compare(int(i), int(i + 1));
}

std::vector<BrokenAt> outOfOrder(const PadPlaces& places, const std::vector<PadIndex>& pads)
{
    std::vector<BrokenAt> rising, falling;
    eachPair(places, pads, [&](int one, int next) {
        const int turn = places.turn(pads[std::size_t(one)], pads[std::size_t(next)]);
        if (turn != 1)
            rising.push_back({next, one});
        if (turn != -1)
            falling.push_back({next, one});
    });
    return rising.size() <= falling.size() ? rising : falling;
}

/// The first and the last signal of a group on a side; -1: it has none there.
struct Extent {
    int first = -1, last = -1; ///< into the signals of the wish
};

/// By group and side.
std::map<std::pair<int, int>, Extent> extents(const PadPlaces& places, const ResolvedWish& wish,
                                              const std::vector<PadIndex>& pads, const std::vector<int>& there)
{
    std::map<std::pair<int, int>, Extent> out;
    const auto at = [&](int signal) { return places.around(pads[std::size_t(signal)]); };
    for (const int i : there) {
        Extent& extent = out[{wish.signals[std::size_t(i)].group, places.side(pads[std::size_t(i)])}];
        if (extent.first < 0 || at(i) < at(extent.first))
            extent.first = i;
        if (extent.last < 0 || at(i) > at(extent.last))
            extent.last = i;
    }
    return out;
}

std::vector<BrokenAt> outOfSequence(const PadPlaces& places, const ResolvedWish& wish,
                                    const std::vector<PadIndex>& pads, const std::vector<int>& there)
{
    const std::map<std::pair<int, int>, Extent> known = extents(places, wish, pads, there);
    std::map<int, std::vector<int>> ofGroup;
    for (const int i : there)
        ofGroup[wish.signals[std::size_t(i)].group].push_back(i);
    std::vector<BrokenAt> rising, falling;
    const auto at = [&](int signal) { return places.around(pads[std::size_t(signal)]); };
    for (const auto& [earlier, later] : wish.pairs) {
        const auto signals = ofGroup.find(later);
        if (signals == ofGroup.end())
            continue;
        for (const int b : signals->second) {
            const int side = places.side(pads[std::size_t(b)]);
            const auto extent = known.find({earlier, side});
            if (extent == known.end() || (wish.stands && ((wish.sides >> side) & 1u) == 0))
                continue;
            if (at(extent->second.last) > at(b))
                rising.push_back({b, extent->second.last});
            if (at(extent->second.first) < at(b))
                falling.push_back({b, extent->second.first});
        }
    }
    return wish.stands || rising.size() <= falling.size() ? rising : falling;
}

std::vector<BrokenAt> offOneSide(const PadPlaces& places, const std::vector<PadIndex>& pads,
                                 const std::vector<int>& there)
{
    std::vector<int> sides;
    for (const int i : there)
        sides.push_back(places.side(pads[std::size_t(i)]));
    std::vector<BrokenAt> out;
    for (std::size_t i = 0; i < there.size(); ++i)
        if (sides[i] != commonest(sides))
            out.push_back({there[i], -1});
    return out;
}

std::vector<BrokenAt> offOneUnit(const ResolvedWish& wish, const std::vector<InstanceIndex>& instances)
{
    std::vector<int> first, units; // of each need: its first signal here, its instance
    for (std::size_t i = 0; i < instances.size(); ++i)
        if (instances[i] >= 0 && std::none_of(first.begin(), first.end(), [&](int known) {
                return wish.signals[std::size_t(known)].need == wish.signals[i].need;
            })) {
            first.push_back(int(i));
            units.push_back(int(instances[i]));
        }
    std::vector<BrokenAt> out;
    for (std::size_t i = 0; i < first.size(); ++i)
        if (units[i] != commonest(units))
            out.push_back({first[i], -1});
    return out;
}

} // namespace

std::vector<BrokenAt> brokenAt(const PadPlaces& places, const ResolvedWish& wish, const std::vector<PadIndex>& pads,
                               const std::vector<InstanceIndex>& instances)
{
    std::vector<int> there;
    for (std::size_t i = 0; i < pads.size(); ++i)
        if (pads[i] >= 0 && places.placed(pads[i]))
            there.push_back(int(i));
    std::vector<BrokenAt> out;
    switch (wish.wish.kind) {
    case Kind::Order:
        return outOfOrder(places, pads);
    case Kind::Sequence:
        return outOfSequence(places, wish, pads, there);
    case Kind::OneSide:
        return offOneSide(places, pads, there);
    case Kind::OneUnit:
        return offOneUnit(wish, instances);
    case Kind::Away:
        for (const int a : there)
            for (const int b : there) {
                const PadIndex one = pads[std::size_t(a)], other = pads[std::size_t(b)];
                if (wish.signals[std::size_t(a)].group == 0 && wish.signals[std::size_t(b)].group == 1 &&
                    one != other && places.near(one, other, wish.wish.places))
                    out.push_back({a, b});
            }
        return out;
    case Kind::Neighbours:
        eachPair(places, pads, [&](int one, int next) {
            if (!places.near(pads[std::size_t(one)], pads[std::size_t(next)], 1))
                out.push_back({next, one});
        });
        return out;
    case Kind::KeepFree:
    case Kind::Side:
    case Kind::NotSide:
    case Kind::Port:
    case Kind::NextTo:
    case Kind::Region:
    case Kind::Swap:
        break;
    }
    return out;
}

namespace {

std::string jointWords(Kind kind, const std::string& one, const std::string& other)
{
    switch (kind) {
    case Kind::Order:
        return say("{} does not follow {}", one, other);
    case Kind::OneSide:
        return one + say(" is on another side");
    case Kind::OneUnit:
        return one + say(" is on another unit");
    case Kind::Away:
        return say("{} is too near {}", one, other);
    case Kind::Sequence:
        return say("{} is on the wrong side of {}", one, other);
    default:
        return say("{} is not beside {}", one, other);
    }
}

} // namespace

WishState judgeWish(const Device& device, const PadPlaces& places, const Plan& plan, const Bindings& bindings,
                    const ResolvedWish& wish)
{
    WishState out;
    if (!wish.isSingle()) {
        std::vector<PadIndex> pads;
        std::vector<InstanceIndex> instances;
        for (const WishedSignal& signal : wish.signals) {
            pads.push_back(padOf(bindings, signal));
            instances.push_back(bindings.needs[signal.need].instance);
        }
        for (const BrokenAt& broken : brokenAt(places, wish, pads, instances)) {
            const WishedSignal& by = wish.signals[std::size_t(broken.at)];
            ++out.broken;
            out.by.push_back(by);
            out.words.push_back(jointWords(
                wish.wish.kind,
                wish.wish.kind == Kind::OneUnit ? plan.needs[by.need].title : titleOf(plan, bindings, by),
                broken.other < 0 ? std::string() : titleOf(plan, bindings, wish.signals[std::size_t(broken.other)])));
        }
        return out;
    }
    const auto look = [&](const WishedSignal& signal, PadIndex pad) {
        if (!wish.breaks(device, places, pad))
            return;
        ++out.broken;
        out.by.push_back(signal);
        const std::string& name = device.pads[pad].name;
        const bool bySide = wish.wish.kind == Kind::Side || wish.wish.kind == Kind::NotSide;
        out.words.push_back(bySide ? say("{} is on {}, on the {} side", titleOf(plan, bindings, signal), name,
                                         sideName(places.side(pad)))
                                   : say("{} is on {}", titleOf(plan, bindings, signal), name));
    };
    if (wish.wish.kind == Kind::KeepFree) {
        for (const NeedIndex n : plan.needs.indices())
            for (const Seat& seat : bindings.needs[n].seats)
                look({NeedIndex(int(n)), seat.signal.id, 0}, seat.pad);
    } else {
        for (const WishedSignal& signal : wish.signals)
            look(signal, padOf(bindings, signal));
    }
    return out;
}

BrokenWishes countBroken(const Device& device, const Board& board, const Plan& plan)
{
    BrokenWishes out;
    if (!asksAnything(board))
        return out;
    const PadPlaces places(device);
    const Bindings bindings = bind(device, plan);
    for (const ResolvedWish& wish : resolveWishes(device, board, plan).wishes)
        (wish.stands ? out.standing : out.stated) += judgeWish(device, places, plan, bindings, wish).broken;
    return out;
}

std::vector<std::string> brokenWishes(const Device& device, const Board& board, const Plan& plan)
{
    std::vector<std::string> out;
    if (!asksAnything(board))
        return out;
    const PadPlaces places(device);
    const Bindings bindings = bind(device, plan);
    for (const ResolvedWish& wish : resolveWishes(device, board, plan).wishes)
        if (const int broken = wish.stands ? 0 : judgeWish(device, places, plan, bindings, wish).broken; broken > 0)
            out.push_back(broken == 1 ? wish.text : fmt::format("{} ({})", wish.text, broken));
    return out;
}

} // namespace bindrel
