// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement_model.h"

#include <algorithm>
#include <set>
#include <tuple>

namespace bindrel {

PlacementModel::PlacementModel(const PlacementSpace& space, const Who& who) : space_(space), who_(who), of_(space.needs.size(), -1)
{
    std::size_t choices = 0;
    for (const PlacementSpace::Entry& entry : space.needs)
        for (const PlacementSpace::Site& site : entry.sites)
            for (const auto& ways : site.choices)
                choices += ways.size();
    solver.reserve(choices + choices / 3);
    truth_ = solver.fresh();
    solver.is(truth_);
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
        solver.is(~truth_);
        return;
    }
    exclusions();
    addSides();
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
            out[p] += std::size_t(std::count_if(all.begin(), all.end(), [&key = key](const auto& other) { return other.first != key; }));
    return out;
}

void PlacementModel::participate(NeedIndex need, bool placed, bool mayStay)
{
    Participant p;
    p.need = need;
    p.placed = placed;
    p.mayStay = mayStay;
    p.takesPart = who_.choosable ? solver.fresh() : truth_;
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
            takers_.push_back({taking.resource, true, once ? Key(-1 - int(at), p.need) : keyOf(taking, p.need), p.stays});
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
        literals.choices.push_back(shared_[std::size_t(site.list[signal])] ? addShared(p, number, signal) : addAlone(p, number, signal));
    for (std::size_t r = 0; r < entry.requests.size(); ++r) {
        std::vector<std::pair<int, Literal>> channels;
        const auto& dma = space_.device.instances[std::size_t(site.instance)].dma;
        const auto links = dma.find(entry.requests[r]);
        if (links == dma.end()) {
            solver.is(~literals.site);
        } else {
            const auto& now = space_.plan.needs[std::size_t(p.need)].binding.dma;
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
            const int group = choice.route < 0 ? -1 : space_.device.routes[std::size_t(choice.route)].group;
            if (group >= 0 && !exclusive_[std::size_t(site.instance)])
                groups.emplace_back(group, sitting.seat);
            else if (group >= 0 && sitting.use == sitting.seat)
                ofGroup_[{site.instance, group}].push_back(sitting.seat);
            if (const std::pair channel(mine, Numbered(choice.channel, sitting.use)); mine >= 0 && (channels.empty() || channels.back() != channel))
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
        if (std::count_if(entry.signals.begin(), entry.signals.end(), [mine](const SignalSpec& signal) { return signal.channel == mine; }) > 1)
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

/// For each number in turn that one of its literals is so; `numbered` keeps one of each number.
std::vector<Literal> PlacementModel::anyOfEach(std::vector<std::pair<int, Literal>>& numbered)
{
    std::sort(numbered.begin(), numbered.end());
    numbered.erase(std::unique(numbered.begin(), numbered.end()), numbered.end());
    std::vector<Literal> out, same;
    std::size_t kept = 0;
    for (std::size_t at = 0; at < numbered.size();) {
        const int number = numbered[at].first;
        same.clear();
        for (; at < numbered.size() && numbered[at].first == number; ++at)
            same.push_back(numbered[at].second);
        numbered[kept++].first = number;
        out.push_back(anyOf(same));
    }
    numbered.resize(kept);
    return out;
}

/// A need's literal stands for signals without a choice; several of them may then ask for what cannot be.
void PlacementModel::oneOf(const std::vector<Literal>& ways)
{
    for (std::size_t a = 0; a < ways.size(); ++a)
        for (std::size_t b = a + 1; b < ways.size(); ++b)
            if (ways[a] == ways[b])
                solver.is(~ways[a]);
    solver.atMostOne(ways);
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

Literal PlacementModel::anyOf(const std::vector<Literal>& literals)
{
    if (literals.size() == 1)
        return literals.front();
    const Literal out = solver.fresh();
    for (const Literal literal : literals)
        solver.implies(literal, out);
    derive(out, literals, 1);
    return out;
}

Literal PlacementModel::anyOf(const std::vector<Sitting>& sittings)
{
    if (sittings.size() == 1 && sittings.front().use == sittings.front().seat)
        return sittings.front().use;
    const Literal out = solver.fresh();
    for (const Sitting& sitting : sittings)
        solver.atLeastOne({~sitting.use, ~sitting.seat, out});
    derive(out, sittings, 1);
    return out;
}

Literal PlacementModel::anyOfThese(std::vector<Literal> literals)
{
    if (literals.empty())
        return {};
    if (std::find(literals.begin(), literals.end(), truth_) != literals.end())
        return truth_;
    std::sort(literals.begin(), literals.end());
    literals.erase(std::unique(literals.begin(), literals.end()), literals.end());
    return anyOf(literals);
}

Literal PlacementModel::anyOfThese(std::vector<Sitting> sittings)
{
    if (sittings.empty())
        return {};
    if (std::find(sittings.begin(), sittings.end(), Sitting{truth_, truth_}) != sittings.end())
        return truth_;
    std::sort(sittings.begin(), sittings.end());
    sittings.erase(std::unique(sittings.begin(), sittings.end()), sittings.end());
    return anyOf(sittings);
}

/// Is so exactly when both are.
Literal PlacementModel::both(const Sitting& sitting)
{
    if (sitting.use == sitting.seat)
        return sitting.use;
    Literal& out = both_[sitting];
    if (!out.exists()) {
        out = solver.fresh();
        solver.implies(out, sitting.use);
        solver.implies(out, sitting.seat);
        solver.atLeastOne({~sitting.use, ~sitting.seat, out});
        derive(out, std::vector{sitting}, 1);
    }
    return out;
}

void PlacementModel::derive(Literal literal, const std::vector<Literal>& from, int count)
{
    const std::size_t begin = derivedFrom_.size();
    for (const Literal other : from)
        derivedFrom_.push_back({other, other});
    derived_.push_back({literal, begin, derivedFrom_.size(), count});
}

void PlacementModel::derive(Literal literal, const std::vector<Sitting>& from, int count)
{
    const std::size_t begin = derivedFrom_.size();
    derivedFrom_.insert(derivedFrom_.end(), from.begin(), from.end());
    derived_.push_back({literal, begin, derivedFrom_.size(), count});
}

void PlacementModel::deriveValues(std::vector<bool>& values) const
{
    values.resize(std::size_t(solver.variables()), false);
    const auto isSo = [&values](Literal l) { return values[std::size_t(l.variable())] != l.negated(); };
    for (const Derived& derived : derived_) {
        const auto from = derivedFrom_.begin();
        const bool so = std::count_if(from + std::ptrdiff_t(derived.from), from + std::ptrdiff_t(derived.to), [&isSo](const Sitting& s) { return isSo(s.use) && isSo(s.seat); }) >= derived.count;
        values[std::size_t(derived.literal.variable())] = so != derived.literal.negated();
    }
}

Literal PlacementModel::exactlyAnyOf(const std::vector<Literal>& literals)
{
    const Literal out = anyOf(literals);
    if (literals.size() > 1) {
        std::vector<Literal> back = literals;
        back.push_back(~out);
        solver.atLeastOne(back);
    }
    return out;
}

Solver::Answer PlacementModel::solve(std::span<const Literal> assumptions, long effort, Solver::Manner manner)
{
    const long end = solver.spent() + effort;
    for (;;) {
        const Solver::Answer answer = solver.solve(assumptions, end - solver.spent(), manner);
        if (answer != Solver::Answer::Yes)
            return answer;
        read();
        bool sayable = true;
        for (Stand& stand : way_) {
            if (stand.site < 0)
                continue;
            const auto names = spelling(stand);
            if (!names) {
                std::vector<Literal> not_;
                for (const Literal literal : saying(stand))
                    not_.push_back(~literal);
                solver.atLeastOne(not_);
                sayable = false;
            } else if (!names->empty()) {
                // Nothing is named in vain.
                Stand plain = stand;
                plain.choices = meantBy(stand, {});
                if (plain.choices.size() == stand.choices.size() && fitsBesideOthers(plain) && movesOf(plain) <= movesOf(stand))
                    stand = std::move(plain);
            }
        }
        if (!sayable)
            continue;
        // Who is placed where it is stays.
        for (Stand& stand : way_)
            if (stand.site >= 0 && participants_[std::size_t(of_[std::size_t(stand.need)])].mayStay && bindingOf(stand) == space_.plan.needs[std::size_t(stand.need)].binding)
                stand = {stand.need, -1, {}, {}};
        return answer;
    }
}

void PlacementModel::read()
{
    way_.clear();
    std::vector<bool> busy(std::size_t(space_.device.dma.channels), false);
    for (const Participant& p : participants_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        Stand stand{p.need, -1, {}, {}};
        for (std::size_t i = 0; i < p.sites.size(); ++i)
            if (solver.holds(p.sites[i].site))
                stand.site = int(i);
        if (stand.site >= 0) {
            const SiteLiterals& site = p.sites[std::size_t(stand.site)];
            for (const auto& choices : site.choices)
                stand.choices.push_back(int(std::find_if(choices.begin(), choices.end(), [this](const Sitting& s) { return solver.holds(s.use) && solver.holds(s.seat); }) - choices.begin()));
            for (const auto& channels : site.channels)
                stand.channels.push_back(std::find_if(channels.begin(), channels.end(), [this](const auto& c) { return solver.holds(c.second); })->first);
        }
        if (stand.site < 0)
            for (const PlacementSpace::Taking& taking : entry.now)
                if (space_.kindOf(taking.resource) == Resource::Kind::Dma)
                    busy[std::size_t(taking.resource - space_.resourceOfDma(0))] = true;
        for (const int channel : stand.channels)
            busy[std::size_t(channel)] = true;
        if (p.placed)
            way_.push_back(std::move(stand));
    }
    // Any free channel is as good; people expect the one that they had, or the first.
    for (Stand& stand : way_)
        for (std::size_t r = 0; r < stand.channels.size(); ++r) {
            const PlacementSpace::Entry& entry = space_.needs[std::size_t(stand.need)];
            const auto& now = space_.plan.needs[std::size_t(stand.need)].binding.dma;
            const auto mine = now.find(entry.requests[r]);
            int& channel = stand.channels[r];
            busy[std::size_t(channel)] = false;
            for (const auto& [other, literal] : participants_[std::size_t(of_[std::size_t(stand.need)])].sites[std::size_t(stand.site)].channels[r]) {
                const bool keeps = mine != now.end() && mine->second == other;
                if (!busy[std::size_t(other)] && (keeps || (other < channel && !(mine != now.end() && mine->second == channel))))
                    channel = other;
            }
            busy[std::size_t(channel)] = true;
        }
}

Binding PlacementModel::bindingOf(const Stand& stand) const
{
    if (stand.site < 0)
        return space_.plan.needs[std::size_t(stand.need)].binding;
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(stand.need)];
    const PlacementSpace::Site& site = entry.sites[std::size_t(stand.site)];
    Binding binding;
    binding.instance = site.instance < 0 ? "" : space_.device.instances[std::size_t(site.instance)].name;
    for (std::size_t s = 0; s < entry.signals.size(); ++s)
        binding.pads[entry.signals[s].id] = space_.device.pads[std::size_t(site.choices[s][std::size_t(stand.choices[s])].pad)].name;
    for (const auto& [signal, name] : spelling(stand).value_or(std::map<std::size_t, std::string>()))
        binding.via[entry.signals[signal].id] = name;
    for (std::size_t r = 0; r < entry.requests.size(); ++r)
        binding.dma[entry.requests[r]] = stand.channels[r];
    return binding;
}

std::vector<Literal> PlacementModel::saying(const Stand& stand) const
{
    const Participant& p = participants_[std::size_t(of_[std::size_t(stand.need)])];
    if (stand.site < 0)
        return {p.stays};
    const SiteLiterals& site = p.sites[std::size_t(stand.site)];
    std::vector<Literal> out{site.site};
    for (std::size_t s = 0; s < stand.choices.size(); ++s)
        if (const auto& [use, seat] = site.choices[s][std::size_t(stand.choices[s])]; true)
            out.insert(out.end(), {use, seat});
    return out;
}

void PlacementModel::exclude(const Way& way)
{
    std::vector<Literal> other;
    for (const Stand& stand : way) {
        const Participant& p = participants_[std::size_t(of_[std::size_t(stand.need)])];
        if (stand.site < 0) {
            other.push_back(~p.stays);
            continue;
        }
        const SiteLiterals& literals = p.sites[std::size_t(stand.site)];
        other.push_back(~literals.site);
        const PlacementSpace::Site& site = space_.needs[std::size_t(stand.need)].sites[std::size_t(stand.site)];
        for (std::size_t s = 0; s < stand.choices.size(); ++s) {
            // By whatever route.
            std::vector<Sitting> there;
            for (std::size_t c = 0; c < site.choices[s].size(); ++c)
                if (site.choices[s][c].pad == site.choices[s][std::size_t(stand.choices[s])].pad)
                    there.push_back(literals.choices[s][c]);
            other.push_back(~anyOf(there));
        }
    }
    solver.atLeastOne(other);
}

} // namespace bindrel
