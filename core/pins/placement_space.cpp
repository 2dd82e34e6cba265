// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement_space.h"

#include "core/pins/routes.h"
#include "core/pins/rows.h"
#include "core/pins/sides.h"
#include "core/pins/taken.h"
#include "core/plan/board_facts.h"

#include <algorithm>

namespace bindrel {

/// What a need says of one of its signals, and what is known of the wire at its other end.
struct PlacementSpace::Wire {
    const std::string* current = nullptr; ///< the pad that it has
    const Seat* seat = nullptr;
    bool held = false;
    std::string net;
    const TerminalFact* fact = nullptr;
    Frequency fastest;
};

std::vector<PlacementSpace::Wire> PlacementSpace::wiresOf(const Entry& entry, const Need& need, const BoundNeed& bound,
                                                          const Board& board) const
{
    std::vector<Wire> out;
    const bool needHeld = plan.held(holdOfNeed(need.id));
    for (const SignalSpec& signal : entry.signals) {
        const auto current = need.binding.pads.find(signal.id);
        const bool has = current != need.binding.pads.end();
        const auto seat = std::find_if(bound.seats.begin(), bound.seats.end(),
                                       [&signal](const Seat& s) { return s.signal.id == signal.id; });
        out.push_back({has ? &current->second : nullptr, seat == bound.seats.end() ? nullptr : &*seat,
                       has && (needHeld || plan.held(holdOfSignal(need.id, signal.id))), netOf(need, signal.id),
                       terminalFact(board, need, signal.id), fastestOf(need, signal.id)});
    }
    return out;
}

PlacementSpace::PlacementSpace(const Device& d, const Board& board, const Plan& p, const std::vector<NeedIndex>& placed,
                               bool strict)
    : device(d), plan(p), strictRules(strict), swaps(swapRuns(d, board, p, placed)), routesOf_(d.instances.size())
{
    for (std::size_t i = 0; i < d.pads.size(); ++i)
        number({{Resource::Kind::Pad, static_cast<int>(i)}, {}, -1});
    for (int channel = 0; channel < d.dma.channels; ++channel)
        number({{Resource::Kind::Dma, channel}, {}, -1});
    sideOfPad.assign(d.pads.size(), 0);
    positionOfPad.assign(d.pads.size(), -1);
    alongOfPad.assign(d.pads.size(), 0);
    for (const Pad& pad : d.pads)
        isRouted_.push_back(board.nets.contains(pad.name));
    const std::vector<int> sides = sidesOf(d.package);
    for (const PinIndex i : d.package.pins.indices())
        if (const PadIndex pad = d.package.pins[i].pad; pad >= 0) {
            sideOfPad[std::size_t(pad)] = sides[i];
            positionOfPad[std::size_t(pad)] = static_cast<int>(i);
            alongOfPad[std::size_t(pad)] = alongSide(d.package, i, sides[i]);
        }
    for (const Pad& pad : d.pads)
        for (const RouteIndex route : pad.routes)
            routesOf_[std::size_t(d.routes[route].instance)].push_back(route);

    const Bindings bindings = bind(d, p);
    std::vector<bool> isPlaced(p.needs.size(), false);
    for (const NeedIndex need : placed)
        isPlaced[std::size_t(need)] = true;
    const std::vector<int> demand = padDemand(d, p, bindings, placed);
    if (asksAnything(board))
        wishes = std::make_unique<PlacementWishes>(d, board, p);
    const Rows rows(board, swaps);
    std::map<std::string, int> partNumbers;
    for (const NeedIndex n : p.needs.indices()) {
        const Need& need = p.needs[n];
        Entry entry;
        entry.signals = signalsOf(need);
        entry.requests = requestsOf(need);
        if (!need.part.empty())
            entry.part = partNumbers.emplace(need.part, static_cast<int>(partNumbers.size())).first->second;
        // Who has chosen one pad only does not want that one elsewhere either.
        entry.wasBound = bindings.needs[n].state != BoundNeed::State::Open || !need.binding.pads.empty() ||
                         !need.binding.instance.empty();
        if (bindings.needs[n].state == BoundNeed::State::Open && !need.binding.pads.empty() && !isPlaced[n]) {
            std::erase_if(entry.signals,
                          [&need](const SignalSpec& signal) { return !need.binding.pads.contains(signal.id); });
            std::erase_if(entry.requests,
                          [&need](const std::string& request) { return !need.binding.dma.contains(request); });
        }
        for (const SignalSpec& signal : entry.signals)
            entry.places.push_back(rows.placeOf(need, signal.id));
        for (const Use& use : usesOf(d, need, bindings.needs[n]))
            entry.now.push_back(number(use));
        for (const Seat& seat : bindings.needs[n].seats)
            if (seat.pad >= 0)
                entry.padsNow.push_back(seat.pad);
        addSites(entry, need, bindings.needs[n], board, demand);
        needs.push_back(std::move(entry));
    }
    parts = static_cast<int>(partNumbers.size());
}

PlacementSpace::Taking PlacementSpace::number(const Use& use)
{
    const auto [at, fresh] = numbers_.try_emplace(use.resource, resources);
    if (fresh) {
        kinds_.push_back(use.resource.kind);
        ++resources;
    }
    const int as = use.as.empty() ? 0 : ways_.try_emplace(use.as, static_cast<int>(ways_.size()) + 1).first->second;
    return {at->second, as};
}

void PlacementSpace::addSites(Entry& entry, const Need& need, const BoundNeed& bound, const Board& board,
                              const std::vector<int>& demand)
{
    const KindSpec* kind = findKind(need.kind);
    if (!kind)
        return;
    const std::vector<Wire> wires = wiresOf(entry, need, bound, board);
    if (kind->instanceKind.empty()) {
        entry.sites.push_back(siteFor(entry, need, bound, wires, -1, board, demand));
    } else {
        const std::string wanted = kind->instanceGoal.empty() ? "" : goalName(need, kind->instanceGoal);
        for (const InstanceIndex i : device.instances.indices()) {
            const std::string& name = device.instances[i].name;
            const bool held =
                plan.held(holdOfNeed(need.id)) && !need.binding.instance.empty() && need.binding.instance != name;
            if (kind->servedBy(device, static_cast<int>(i)) && (wanted.empty() || wanted == name) && !held)
                entry.sites.push_back(siteFor(entry, need, bound, wires, static_cast<int>(i), board, demand));
        }
    }
    std::erase_if(entry.sites, [](const Site& site) {
        return std::any_of(site.choices.begin(), site.choices.end(), [](const auto& c) { return c.empty(); });
    });
    // What it has now comes first, then the plainest instance.
    std::stable_sort(entry.sites.begin(), entry.sites.end(), [](const Site& a, const Site& b) {
        return std::pair(a.moves, a.scarce) < std::pair(b.moves, b.scarce);
    });
}

PlacementSpace::Site PlacementSpace::siteFor(const Entry& entry, const Need& need, const BoundNeed& bound,
                                             const std::vector<Wire>& wires, InstanceIndex instance, const Board& board,
                                             const std::vector<int>& demand)
{
    Site site;
    site.instance = instance;
    if (instance >= 0) {
        const Instance& facts = device.instances[instance];
        std::vector<Use> uses;
        useInstance(uses, device, need, instance);
        for (const Use& use : uses)
            site.takes.push_back(number(use));
        site.moves = !need.binding.instance.empty() && need.binding.instance != facts.name;
        const bool pairs = std::any_of(entry.signals.begin(), entry.signals.end(),
                                       [](const SignalSpec& s) { return s.pattern == "CH#N" || s.pattern == "FLT"; });
        // A timer with pairs for a need without is a waste, and so is any instance with more signals than are asked
        // for.
        site.scarce = static_cast<int>(facts.signals.size() - std::min(facts.signals.size(), entry.signals.size())) +
                      (!pairs && device.ability(instance, "pairs", 0) > 0 ? 20 : 0);
    }
    const auto bears = [&](const Pad& pad, const SignalSpec& signal, const Wire& wire) {
        // The same bounds as the findings about pads have: 0.3 V above the supply, 5.5 V where a digital pad bears
        // more.
        const bool digital = signal.direction != SignalSpec::Direction::Analog;
        if (wire.fact && wire.fact->volts > (pad.fiveVolt && digital
                                                 ? Voltage(Rational(11, 2))
                                                 : padSupply(device, board, plan, pad) + Voltage(Rational(3, 10))))
            return false;
        if (signal.direction != SignalSpec::Direction::Out && signal.direction != SignalSpec::Direction::Both)
            return true;
        const bool carries = !wire.fact || pad.drives.empty() || pad.drives.back() >= wire.fact->current;
        return carries && (pad.maxToggle == Frequency() || wire.fastest <= pad.maxToggle);
    };
    for (std::size_t s = 0; s < entry.signals.size(); ++s) {
        const SignalSpec& signal = entry.signals[s];
        const Wire& wire = wires[s];
        std::vector<Choice> choices;
        const int list = listOf(instance, signal);
        site.list.push_back(list);
        for (std::size_t w = 0; w < ways(list).size(); ++w) {
            const SignalPath& way = ways(list)[w];
            const Pad& pad = device.pads[way.pad];
            const bool otherWay = wire.seat && wire.seat->pad == way.pad && wire.seat->route >= 0 && way.route >= 0 &&
                                  instance == bound.instance &&
                                  device.routes[wire.seat->route].signal != device.routes[way.route].signal;
            const bool moves = wire.current && (*wire.current != pad.name || otherWay);
            const bool plain = wire.net.empty() && !isRouted_[std::size_t(way.pad)];
            if ((wire.held && moves) ||
                (!plain && !boardObjection(device, board, way.pad, way.route, need, wire.net).empty()))
                continue;
            Choice choice{way.pad, way.route, way.channel, &way.takes, int(w), moves, demand[std::size_t(way.pad)], 0};
            if (pad.weak && signal.direction == SignalSpec::Direction::Out)
                choice.scarce += 10;
            choice.unfit = !bears(pad, signal, wire);
            choice.debug = !pad.resetClaim.empty() &&
                           (way.route < 0 || device.signalName(device.routes[way.route]) != pad.resetClaim);
            if (wishes) {
                const PlacementWishes::Single broken =
                    wishes->brokenBy(NeedIndex(int(&need - plan.needs.data())), signal.id, way.pad);
                const bool keepsPad = wire.current && !moves;
                if (broken.rule && (strictRules || !keepsPad))
                    continue;
                choice.wishes = broken.count;
                choice.stands = broken.stands;
            }
            choices.push_back(choice);
        }
        site.choices.push_back(std::move(choices));
    }
    return site;
}

std::size_t PlacementSpace::channelsOf(InstanceIndex instance, const std::vector<SignalSpec>& signals) const
{
    std::vector<RouteIndex> out;
    for (const InstanceSignal& named : device.instances[instance].signals)
        for (const SignalSpec& signal : signals)
            if (const PatternMatch match = matchSignal(signal.pattern, named.name); signal.channel >= 0 && match.fits)
                out.push_back(match.channel);
    std::sort(out.begin(), out.end());
    return std::size_t(std::unique(out.begin(), out.end()) - out.begin());
}

/// Where an instance can have a signal (or a port's bit lie), and what that takes; the same for all needs.
int PlacementSpace::listOf(InstanceIndex instance, const SignalSpec& signal)
{
    const auto [known, fresh] = listNumbers_.try_emplace(
        {signal.pattern.empty() ? InstanceIndex() : instance, signal.pattern, signal.line, signal.channel >= 0},
        int(lists_.size()));
    if (!fresh)
        return known->second;
    std::vector<SignalPath>& out = lists_.emplace_back();
    const auto add = [&](PadIndex pad, RouteIndex route, int channel) {
        SignalPath way{pad, route, channel, {}};
        std::vector<Use> uses;
        useSeat(uses, device, 0, signal, pad, route, channel);
        for (const Use& use : uses)
            if (use.resource.kind != Resource::Kind::Pad)
                way.takes.push_back(number(use));
        out.push_back(std::move(way));
    };
    if (signal.pattern.empty()) {
        for (const PadIndex p : device.pads.indices())
            if (const Pad& pad = device.pads[p];
                positionOfPad[p] >= 0 && pad.port >= 0 &&
                (!signal.line || device.linesInPorts || (pad.line >= 0 && device.lineInstance >= 0)))
                add(static_cast<int>(p), -1, 0);
    } else {
        for (const RouteIndex r : routesOf_[std::size_t(instance)]) {
            const Route& route = device.routes[r];
            if (positionOfPad[std::size_t(route.pad)] < 0)
                continue;
            const PatternMatch match =
                matchSignal(signal.pattern, device.instances[instance].signals[std::size_t(route.signal)].name);
            if (match.fits)
                add(route.pad, r, match.channel);
        }
    }
    return known->second;
}

} // namespace bindrel
