// SPDX-License-Identifier: GPL-3.0-or-later
// Where signals of instances lie is said once, not for each need that could use them.
#include "core/pins/placement_model.h"

#include <algorithm>
#include <limits>

namespace bindrel {

/// Which lists of ways can be shared: several could use them, and never two at a time.
void PlacementModel::findLists()
{
    exclusive_.assign(space_.device.instances.size(), 1);
    std::vector<int> users(space_.lists(), 0);
    std::vector<char> alone(space_.lists(), 0);
    std::vector<InstanceIndex> instanceOf(space_.lists(), -1);
    for (const Participant& p : participants_) {
        if (!p.placed)
            continue;
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        for (const PlacementSpace::Site& site : entry.sites) {
            if (site.instance >= 0 && site.takes.front().as != 0)
                exclusive_[std::size_t(site.instance)] = 0;
            for (std::size_t s = 0; s < entry.signals.size(); ++s) {
                const std::size_t list = std::size_t(site.list[s]);
                ++users[list];
                instanceOf[list] = site.instance;
                if (entry.signals[s].pattern.empty() || entry.signals[s].line)
                    alone[list] = 1;
                // Two signals of a need that could both have one signal of the instance are told apart by their
                // channels.
                for (std::size_t other = 0; other < s; ++other)
                    if (site.list[other] == site.list[s] &&
                        (entry.signals[s].channel < 0 || entry.signals[s].channel == entry.signals[other].channel))
                        alone[list] = 1;
            }
        }
    }
    shared_.assign(space_.lists(), 0);
    for (std::size_t list = 0; list < space_.lists(); ++list) {
        if (users[list] < 2 || alone[list])
            continue;
        const bool exclusive = exclusive_[std::size_t(instanceOf[list])];
        // Where needs share an instance, a channel is had by one of them; nothing else may depend on who that is.
        shared_[list] =
            exclusive || std::all_of(space_.ways(int(list)).begin(), space_.ways(int(list)).end(),
                                     [this](const PlacementSpace::SignalPath& way) {
                                         const auto is = [this](const PlacementSpace::Taking& taking) {
                                             return space_.kindOf(taking.resource) == Resource::Kind::Channel;
                                         };
                                         const bool hasChannel = std::any_of(way.takes.begin(), way.takes.end(), is);
                                         const bool free = std::all_of(way.takes.begin(), way.takes.end(),
                                                                       [&is](const PlacementSpace::Taking& taking) {
                                                                           return taking.as != 0 || is(taking);
                                                                       });
                                         return hasChannel && free && space_.device.routes[way.route].group < 0;
                                     });
    }
}

/// Choices that no other need could have in its stead.
std::vector<Sitting> PlacementModel::addAlone(Participant& p, std::size_t number, std::size_t signal)
{
    const PlacementSpace::Site& site = space_.needs[std::size_t(p.need)].sites[number];
    const std::vector<PlacementSpace::Choice>& choices = site.choices[signal];
    const Literal at = p.sites[number].site;
    const bool exclusive = site.instance >= 0 && exclusive_[std::size_t(site.instance)];
    std::vector<Literal> ways;
    std::vector<Sitting> out;
    for (const PlacementSpace::Choice& choice : choices) {
        ways.push_back(choices.size() == 1 ? at : solver.fresh());
        out.push_back({ways.back(), ways.back()});
        takers_.push_back({space_.resourceOfPad(choice.pad), false, Key(2 + int(signal), p.need), ways.back()});
        for (const PlacementSpace::Taking& taking : *choice.takes) {
            const bool byInstance = exclusive && space_.kindOf(taking.resource) != Resource::Kind::Channel;
            takers_.push_back({taking.resource, false,
                               byInstance ? keyAt(taking, site.instance) : keyOf(taking, p.need), ways.back()});
        }
    }
    if (choices.size() > 1)
        choose(std::move(ways), at, {of_[std::size_t(p.need)], int(number), int(signal), -1});
    return out;
}

/// The need chooses a channel (there is but one, mostly), and the instance's signal where it lies.
std::vector<Sitting> PlacementModel::addShared(Participant& p, std::size_t number, std::size_t signal)
{
    const PlacementSpace::Site& site = space_.needs[std::size_t(p.need)].sites[number];
    const std::vector<PlacementSpace::Choice>& choices = site.choices[signal];
    const Literal at = p.sites[number].site;
    const int participant = of_[std::size_t(p.need)];
    std::vector<int> channels;
    for (const PlacementSpace::Choice& choice : choices)
        if (std::find(channels.begin(), channels.end(), choice.channel) == channels.end())
            channels.push_back(choice.channel);
    std::vector<Literal> uses;
    for (std::size_t k = 0; k < channels.size(); ++k)
        uses.push_back(channels.size() == 1 ? at : solver.fresh());
    if (uses.size() > 1)
        choose(uses, at, {participant, int(number), int(signal), -1});
    std::vector<Sitting> out(choices.size());
    for (std::size_t k = 0; k < channels.size(); ++k) {
        Outlet* outlet = nullptr;
        std::size_t mine = 0;
        for (std::size_t c = 0; c < choices.size(); ++c) {
            if (choices[c].channel != channels[k])
                continue;
            if (!outlet) {
                outlet = &outlets_[std::size_t(outletFor(choices[c], site.instance, site.list[signal]))];
                outlet->users.push_back({participant, int(number), int(signal), uses[k]});
                solver.implies(uses[k], outlet->used);
                for (const PlacementSpace::Taking& taking : *choices[c].takes)
                    if (space_.kindOf(taking.resource) == Resource::Kind::Channel)
                        takers_.push_back({taking.resource, false, keyOf(taking, p.need), uses[k]});
            }
            while (outlet->seats[mine].first != choices[c].way)
                solver.either(~uses[k], ~outlet->seats[mine++].second); // where this need may not lie
            out[c] = {uses[k], outlet->seats[mine++].second};
        }
        for (; mine < outlet->seats.size(); ++mine)
            solver.either(~uses[k], ~outlet->seats[mine].second);
    }
    return out;
}

int PlacementModel::outletFor(const PlacementSpace::Choice& choice, InstanceIndex instance, int list)
{
    const auto [known, fresh] = outletOf_.try_emplace({list, choice.channel}, int(outlets_.size()));
    if (!fresh)
        return known->second;
    Outlet outlet{list, choice.channel, solver.fresh(), {}, {}, {}};
    const std::vector<PlacementSpace::SignalPath>& ways = space_.ways(list);
    for (std::size_t w = 0; w < ways.size(); ++w)
        if (ways[w].channel == choice.channel)
            outlet.seats.emplace_back(int(w), Literal());
    std::vector<Literal> seats;
    const bool exclusive = exclusive_[std::size_t(instance)];
    for (auto& [w, seat] : outlet.seats) {
        seat = outlet.seats.size() == 1 ? outlet.used : solver.fresh();
        seats.push_back(seat);
        const PlacementSpace::SignalPath& way = ways[std::size_t(w)];
        takers_.push_back(
            {space_.resourceOfPad(way.pad), false, Key(std::numeric_limits<int>::max(), known->second), seat});
        for (const PlacementSpace::Taking& taking : way.takes)
            if (space_.kindOf(taking.resource) != Resource::Kind::Channel)
                takers_.push_back({taking.resource, false, keyAt(taking, instance), seat});
        if (const int group = space_.device.routes[way.route].group; group >= 0 && exclusive)
            ofGroup_[{instance, group}].push_back(seat);
    }
    if (seats.size() > 1)
        choose(std::move(seats), outlet.used, {-1, -1, -1, known->second});
    outlets_.push_back(std::move(outlet));
    return known->second;
}

/// What nobody uses lies nowhere, and who alone uses an instance has all signals from one group of routes.
void PlacementModel::finishOutlets()
{
    for (const Outlet& outlet : outlets_) {
        std::vector<Literal> users{~outlet.used};
        for (const Outlet::User& user : outlet.users)
            users.push_back(user.use);
        solver.atLeastOne(users);
    }
    for (auto at = ofGroup_.begin(); at != ofGroup_.end();) {
        const InstanceIndex instance = at->first.first;
        std::vector<Literal> groups;
        for (; at != ofGroup_.end() && at->first.first == instance; ++at) {
            std::vector<Literal>& literals = at->second;
            std::sort(literals.begin(), literals.end());
            literals.erase(std::unique(literals.begin(), literals.end()), literals.end());
            groups.push_back(anyOf(literals));
        }
        oneOf(groups);
    }
    ofGroup_.clear();
}

} // namespace bindrel
