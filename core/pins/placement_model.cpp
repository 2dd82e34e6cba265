// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement_model.h"

#include <algorithm>
#include <set>
#include <tuple>

namespace bindrel {

PlacementModel::PlacementModel(const PlacementSpace& space, const PlacementScope& who)
    : space_(space), who_(who), of_(space.needs.size(), -1)
{
    std::size_t choices = 0;
    for (const PlacementSpace::Entry& entry : space.needs)
        for (const PlacementSpace::Site& site : entry.sites)
            for (const auto& ways : site.choices)
                choices += ways.size();
    solver.reserve(choices + choices / 3);
    for (const NeedIndex need : who.place)
        participate(need, true, false);
    for (const NeedIndex need : who.move)
        participate(need, true, true);
    for (const NeedIndex need : who.stay)
        participate(need, false, true);

    // Who can stay without contention is decided on first, then who has the least choice; instances before pads.
    const std::vector<std::size_t> contests = countContests();
    std::vector<std::tuple<bool, std::size_t, std::size_t>> order;
    for (std::size_t p = 0; p < participants_.size(); ++p) {
        std::size_t room = 0;
        for (const PlacementSpace::Site& site : space_.needs[std::size_t(participants_[p].need)].sites) {
            std::size_t least = 64;
            for (const auto& ways : site.choices)
                least = std::min(least, ways.size());
            room += least;
        }
        const bool moves = participants_[p].placed && participants_[p].mayStay;
        order.emplace_back(!moves, moves ? contests[p] : room, p);
    }
    std::sort(order.begin(), order.end());
    findLists();
    for (const auto& [placed, room, p] : order)
        addNeed(participants_[p]);
    for (const auto& [placed, room, p] : order)
        for (std::size_t site = 0; site < participants_[p].sites.size(); ++site)
            addSite(participants_[p], site);
    finishOutlets();
    countThings();
    std::vector<Literal> why;
    impossible_ = !who.choosable && !possible(solver, why);
    if (impossible_) {
        solver.is(~truth);
        return;
    }
    exclusions();
    addSides();
    addWishRules();
    solver.watch(this);
}

/// With how many others each that may stay contends where it is, roughly.
std::vector<std::size_t> PlacementModel::countContests() const
{
    std::map<int, std::vector<std::pair<Key, std::size_t>>> users;
    for (std::size_t p = 0; p < participants_.size(); ++p)
        if (participants_[p].mayStay && who_.clearStays)
            for (const PlacementSpace::Taking& taking : space_.needs[std::size_t(participants_[p].need)].now)
                users[taking.resource].emplace_back(keyOf(taking, participants_[p].need), p);
    std::vector<std::size_t> out(participants_.size(), 0);
    for (const auto& [resource, all] : users)
        for (const auto& [key, p] : all)
            out[p] += std::size_t(
                std::count_if(all.begin(), all.end(), [&key = key](const auto& other) { return other.first != key; }));
    return out;
}

void PlacementModel::participate(NeedIndex need, bool placed, bool mayStay)
{
    Participant p;
    p.need = need;
    p.placed = placed;
    p.mayStay = mayStay;
    p.takesPart = who_.choosable ? solver.fresh() : truth;
    if (mayStay)
        p.stays = placed ? solver.fresh() : p.takesPart;
    if (placed && mayStay)
        movers_.push_back(need);
    of_[std::size_t(need)] = int(participants_.size());
    participants_.push_back(std::move(p));
}

void PlacementModel::addNeed(Participant& p)
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
    if (p.mayStay)
        for (std::size_t at = 0; at < entry.now.size(); ++at) {
            const PlacementSpace::Taking& taking = entry.now[at];
            const Resource::Kind kind = space_.kindOf(taking.resource);
            const bool once = kind == Resource::Kind::Pad || kind == Resource::Kind::Dma;
            takers_.push_back(
                {taking.resource, true, once ? Key(-1 - int(at), p.need) : keyOf(taking, p.need), p.stays});
        }
    if (!p.placed)
        return;
    std::vector<Literal> ways;
    if (p.mayStay) {
        ways.push_back(p.stays);
        solver.prefer(p.stays);
    }
    for (std::size_t i = 0; i < entry.sites.size(); ++i) {
        p.sites.emplace_back();
        p.sites.back().site = solver.fresh();
        ways.push_back(p.sites.back().site);
    }
    solver.atMostOne(ways);
    if (!ways.empty()) {
        guides_.resize(std::size_t(solver.choice(ways)) + 1);
        guides_.back().participant = of_[std::size_t(p.need)];
        if (who_.choosable)
            for (const Literal way : ways)
                solver.implies(way, p.takesPart);
    }
    ways.push_back(~p.takesPart);
    solver.atLeastOne(ways);
}

void PlacementModel::addSite(Participant& p, std::size_t number)
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
    const PlacementSpace::Site& site = entry.sites[number];
    SiteLiterals& literals = p.sites[number];
    for (const PlacementSpace::Taking& taking : site.takes)
        takers_.push_back({taking.resource, false, keyOf(taking, p.need), literals.site});
    for (std::size_t signal = 0; signal < entry.signals.size(); ++signal)
        literals.choices.push_back(shared_[std::size_t(site.list[signal])] ? addShared(p, number, signal)
                                                                           : addAlone(p, number, signal));
    for (std::size_t r = 0; r < entry.requests.size(); ++r) {
        std::vector<std::pair<int, Literal>> channels;
        const auto& dma = space_.device.instances[site.instance].dma;
        const auto links = dma.find(entry.requests[r]);
        if (links == dma.end()) {
            solver.is(~literals.site);
        } else {
            const auto& now = space_.plan.needs[p.need].binding.dma;
            const auto mine = now.find(entry.requests[r]);
            std::vector<Literal> ways;
            for (const DmaLink& link : links->second) {
                ways.push_back(solver.fresh());
                channels.emplace_back(link.channel, ways.back());
                takers_.push_back({space_.resourceOfDma(link.channel), false, Key(2 + int(r), p.need), ways.back()});
                if (mine != now.end() && mine->second == link.channel)
                    solver.prefer(ways.back());
            }
            choose(ways, literals.site, {});
        }
        literals.channels.push_back(std::move(channels));
    }
    agreeWithin(p, number);
}

/// Signals of one need come from one group of routes, and those that belong to one channel get one.
void PlacementModel::agreeWithin(const Participant& p, std::size_t number)
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
    const PlacementSpace::Site& site = entry.sites[number];
    if (entry.signals.size() < 2)
        return;
    using Numbered = std::pair<int, Literal>;
    std::vector<Numbered> groups;
    std::vector<std::pair<int, Numbered>> channels; // by the signals' own number, then the instance's
    for (std::size_t s = 0; s < entry.signals.size(); ++s) {
        const int mine = entry.signals[s].channel;
        for (std::size_t c = 0; c < site.choices[s].size(); ++c) {
            const PlacementSpace::Choice& choice = site.choices[s][c];
            const Sitting& sitting = p.sites[number].choices[s][c];
            const int group = choice.route < 0 ? -1 : space_.device.routes[choice.route].group;
            if (group >= 0 && !exclusive_[std::size_t(site.instance)])
                groups.emplace_back(group, sitting.seat);
            else if (group >= 0 && sitting.use == sitting.seat)
                ofGroup_[{site.instance, group}].push_back(sitting.seat);
            if (const std::pair channel(mine, Numbered(choice.channel, sitting.use));
                mine >= 0 && (channels.empty() || channels.back() != channel))
                channels.push_back(channel);
        }
    }
    oneOf(anyOfEach(groups));
    // Signals with one number get one channel, and two numbers never the same.
    std::sort(channels.begin(), channels.end());
    std::vector<Numbered> same, byChannel;
    for (auto at = channels.begin(); at != channels.end();) {
        const int mine = at->first;
        same.clear();
        for (; at != channels.end() && at->first == mine; ++at)
            same.push_back(at->second);
        const std::vector<Literal> ways = anyOfEach(same);
        for (std::size_t way = 0; way < ways.size(); ++way)
            byChannel.emplace_back(same[way].first, ways[way]);
        if (std::count_if(entry.signals.begin(), entry.signals.end(),
                          [mine](const SignalSpec& signal) { return signal.channel == mine; }) > 1)
            oneOf(ways);
    }
    std::sort(byChannel.begin(), byChannel.end());
    std::vector<Literal> there;
    for (auto at = byChannel.begin(); at != byChannel.end();) {
        const int channel = at->first;
        there.clear();
        for (; at != byChannel.end() && at->first == channel; ++at)
            there.push_back(at->second);
        oneOf(there);
    }
}

void PlacementModel::choose(std::vector<Literal> ways, Literal when, Guide guide)
{
    for (const Literal way : ways)
        solver.implies(way, when);
    solver.atMostOne(ways);
    guides_.resize(std::size_t(solver.choice(ways)) + 1);
    guides_.back() = guide;
    ways.push_back(~when);
    solver.atLeastOne(ways);
}

bool PlacementModel::possible(const Solver& state, std::vector<Literal>& why)
{
    for (Counting& counting : counting_)
        if (!counting.possible(state, why)) {
            if (std::all_of(why.begin(), why.end(), [&state](Literal literal) { return state.levelOf(literal) == 0; }))
                tooMany_ = counting.tooMany();
            return false;
        }
    return true;
}

} // namespace bindrel
