// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placer.h"
#include "core/pins/sides.h"
#include "core/pins/taken.h"

#include <algorithm>

namespace bindrel {

PlacementSpace::PlacementSpace(const Device& d, const Board& board, const Plan& p, const std::vector<int>& whole) : device(d), plan(p)
{
    resources = static_cast<int>(d.pads.size());
    for (std::size_t i = 0; i < d.pads.size(); ++i)
        numbers_[{Resource::Kind::Pad, static_cast<int>(i)}] = static_cast<int>(i);
    sideOfPad.assign(d.pads.size(), 0);
    positionOfPad.assign(d.pads.size(), -1);
    alongOfPad.assign(d.pads.size(), 0);
    for (std::size_t i = 0; i < d.package.pins.size(); ++i)
        if (const int pad = d.package.pins[i].pad; pad >= 0) {
            sideOfPad[std::size_t(pad)] = sideOf(d.package, i);
            positionOfPad[std::size_t(pad)] = alongOfPad[std::size_t(pad)] = static_cast<int>(i);
            if (const auto ball = d.package.kind == Package::Kind::BallGrid ? ballAt(d.package.pins[i].number) : std::nullopt)
                alongOfPad[std::size_t(pad)] = sideOfPad[std::size_t(pad)] % 2 == 0 ? ball->first : ball->second;
        }
    for (int channel = 0; channel < d.dma.channels; ++channel)
        dma_.push_back(number({{Resource::Kind::Dma, channel}, {}, -1}).resource);

    const Bindings bindings = bind(d, p);
    const std::vector<int> demand = padDemand(d, p, bindings);
    std::map<std::string, int> partNumbers;
    for (std::size_t n = 0; n < p.needs.size(); ++n) {
        const Need& need = p.needs[n];
        Entry entry;
        entry.signals = signalsOf(need);
        entry.requests = requestsOf(need);
        if (!need.part.empty())
            entry.part = partNumbers.emplace(need.part, static_cast<int>(partNumbers.size())).first->second;
        entry.wasBound = bindings.needs[n].state != BoundNeed::State::Open;
        if (!entry.wasBound && !need.binding.pads.empty() && std::find(whole.begin(), whole.end(), static_cast<int>(n)) == whole.end()) {
            std::erase_if(entry.signals, [&need](const SignalSpec& signal) { return !need.binding.pads.contains(signal.id); });
            std::erase_if(entry.requests, [&need](const std::string& request) { return !need.binding.dma.contains(request); });
            entry.wasBound = true;
        }
        for (const Use& use : usesOf(d, need, bindings.needs[n]))
            entry.now.push_back(number(use));
        for (const Seat& seat : bindings.needs[n].seats)
            if (seat.pad >= 0)
                entry.padsNow.push_back(seat.pad);
        addSites(entry, need, board, demand);
        needs.push_back(std::move(entry));
    }
    parts = static_cast<int>(partNumbers.size());
}

PlacementSpace::Taking PlacementSpace::number(const Use& use)
{
    const auto [at, fresh] = numbers_.try_emplace(use.resource, resources);
    resources += fresh;
    const int as = use.as.empty() ? 0 : ways_.try_emplace(use.as, static_cast<int>(ways_.size()) + 1).first->second;
    return {at->second, as};
}

void PlacementSpace::addSites(Entry& entry, const Need& need, const Board& board, const std::vector<int>& demand)
{
    const KindSpec* kind = findKind(need.kind);
    if (!kind)
        return;
    if (kind->instanceKind.empty()) {
        entry.sites.push_back(siteFor(entry, need, -1, board, demand));
    } else {
        const std::string wanted = kind->instanceGoal.empty() ? "" : goalText(need, kind->instanceGoal);
        for (std::size_t i = 0; i < device.instances.size(); ++i) {
            const std::string& name = device.instances[i].name;
            const bool held = plan.held(holdOfNeed(need.id)) && !need.binding.instance.empty() && need.binding.instance != name;
            if (kind->servedBy(device, static_cast<int>(i)) && (wanted.empty() || wanted == name) && !held)
                entry.sites.push_back(siteFor(entry, need, static_cast<int>(i), board, demand));
        }
    }
    std::erase_if(entry.sites, [](const Site& site) { return std::any_of(site.choices.begin(), site.choices.end(), [](const auto& c) { return c.empty(); }); });
    // What it has now comes first, then the plainest instance.
    std::stable_sort(entry.sites.begin(), entry.sites.end(), [](const Site& a, const Site& b) { return std::pair(a.moves, a.scarce) < std::pair(b.moves, b.scarce); });
}

PlacementSpace::Site PlacementSpace::siteFor(const Entry& entry, const Need& need, int instance, const Board& board, const std::vector<int>& demand)
{
    Site site;
    site.instance = instance;
    if (instance >= 0) {
        const Instance& facts = device.instances[std::size_t(instance)];
        std::vector<Use> uses;
        useInstance(uses, device, need, instance);
        for (const Use& use : uses)
            site.takes.push_back(number(use));
        site.moves = !need.binding.instance.empty() && need.binding.instance != facts.name;
        const bool pairs = std::any_of(entry.signals.begin(), entry.signals.end(), [](const SignalSpec& s) { return s.pattern == "CH#N" || s.pattern == "FLT"; });
        // A timer with pairs for a need without is a waste, and so is any instance with more signals than are asked for.
        site.scarce = static_cast<int>(facts.signals.size() - std::min(facts.signals.size(), entry.signals.size())) + (!pairs && device.ability(instance, "pairs", 0) > 0 ? 20 : 0);
    }
    for (std::size_t s = 0; s < entry.signals.size(); ++s) {
        const SignalSpec& signal = entry.signals[s];
        std::vector<Choice> choices;
        Pads pads;
        const auto current = need.binding.pads.find(signal.id);
        const std::string net = netOf(need, signal.id);
        const bool held = plan.held(holdOfSignal(need.id, signal.id)) || plan.held(holdOfNeed(need.id));
        for (std::size_t p = 0; p < device.pads.size() && p < kMaxPads; ++p) {
            const Pad& pad = device.pads[p];
            if (positionOfPad[p] < 0 || (held && current != need.binding.pads.end() && current->second != pad.name))
                continue;
            std::vector<RouteMatch> routes;
            if (!signal.pattern.empty())
                routes = routesFor(device, instance, signal, static_cast<int>(p));
            else if (pad.port >= 0 && (!signal.line || device.linesInPorts || (pad.line >= 0 && device.lineInstance >= 0)))
                routes.push_back({-1, 0});
            for (const RouteMatch& match : routes) {
                if (!boardObjection(device, board, static_cast<int>(p), match.route, net).empty())
                    continue;
                Choice choice{static_cast<int>(p), match.route, match.channel, {}, current != need.binding.pads.end() && current->second != pad.name, demand[p], 0};
                std::vector<Use> uses;
                useSeat(uses, device, static_cast<int>(s), signal, choice.pad, choice.route, choice.channel);
                for (const Use& use : uses)
                    if (use.resource.kind != Resource::Kind::Pad)
                        choice.takes.push_back(number(use));
                if (pad.weak && signal.direction == SignalSpec::Direction::Out)
                    choice.scarce += 10;
                choice.debug = !pad.resetClaim.empty() && (match.route < 0 || device.signalName(device.routes[std::size_t(match.route)]) != pad.resetClaim);
                choices.push_back(std::move(choice));
                pads.set(p);
            }
        }
        site.choices.push_back(std::move(choices));
        site.pads.push_back(pads);
    }
    return site;
}

} // namespace bindrel
