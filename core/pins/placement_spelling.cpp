// SPDX-License-Identifier: GPL-3.0-or-later
// How a plan says by which routes its pads are reached.
#include "core/pins/placement_model.h"
#include "core/pins/routes.h"

namespace bindrel {

const std::string& PlacementModel::signalOf(const PlacementSpace::Choice& choice) const
{
    const Route& route = space_.device.routes[choice.route];
    return space_.device.instances[route.instance].signals[std::size_t(route.signal)].name;
}

/// A plan names pads, not routes: of several routes to the same pads the first that agree count, as they do when the
/// plan is read.
std::vector<int> PlacementModel::routesImpliedByPads(const NeedPlacement& stand,
                                                     const std::map<std::size_t, std::string>& names) const
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(stand.need)];
    const PlacementSpace::Site& site = entry.sites[std::size_t(stand.site)];
    std::vector<int> picked;
    const auto fits = [&](std::size_t signal, const PlacementSpace::Choice& choice) {
        for (std::size_t other = 0; other < signal; ++other) {
            const PlacementSpace::Choice& before = site.choices[other][std::size_t(picked[other])];
            if (before.route >= 0 && choice.route >= 0 &&
                !agree(space_.device, space_.device.routes[before.route], space_.device.routes[choice.route]))
                return false;
            if (entry.signals[signal].channel >= 0 && entry.signals[other].channel >= 0 &&
                (entry.signals[signal].channel == entry.signals[other].channel) != (choice.channel == before.channel))
                return false;
        }
        return true;
    };
    const std::function<bool(std::size_t)> pick = [&](std::size_t signal) {
        if (signal == entry.signals.size())
            return true;
        const std::vector<PlacementSpace::Choice>& choices = site.choices[signal];
        const PadIndex pad = choices[std::size_t(stand.choices[signal])].pad;
        const auto name = names.find(signal);
        for (std::size_t c = 0; c < choices.size(); ++c) {
            if (choices[c].pad != pad || (name != names.end() && signalOf(choices[c]) != name->second) ||
                !fits(signal, choices[c]))
                continue;
            picked.push_back(int(c));
            if (pick(signal + 1))
                return true;
            picked.pop_back();
        }
        return false;
    };
    pick(0);
    return picked;
}

std::optional<std::map<std::size_t, std::string>> PlacementModel::spelling(const NeedPlacement& stand) const
{
    const PlacementSpace::Site& site = space_.needs[std::size_t(stand.need)].sites[std::size_t(stand.site)];
    std::map<std::size_t, std::string> names;
    // Name what would be meant otherwise, until nothing is.
    for (;;) {
        const std::vector<int> meant = routesImpliedByPads(stand, names);
        if (meant == stand.choices)
            return names;
        const std::size_t before = names.size();
        for (std::size_t s = 0; s < meant.size(); ++s)
            if (const PlacementSpace::Choice& wanted = site.choices[s][std::size_t(stand.choices[s])];
                wanted.route >= 0 && signalOf(wanted) != signalOf(site.choices[s][std::size_t(meant[s])]))
                names.emplace(s, signalOf(wanted));
        if (names.size() == before)
            return std::nullopt;
    }
}

int PlacementModel::movesOf(const NeedPlacement& stand) const
{
    const PlacementSpace::Site& site = space_.needs[std::size_t(stand.need)].sites[std::size_t(stand.site)];
    int out = 0;
    for (std::size_t s = 0; s < stand.choices.size(); ++s)
        out += site.choices[s][std::size_t(stand.choices[s])].moves;
    return out;
}

/// Whether what it takes clashes with nobody's of the way that was found.
bool PlacementModel::fitsBesideOthers(const NeedPlacement& stand) const
{
    std::map<int, Key> mine;
    const PlacementSpace::Site& site = space_.needs[std::size_t(stand.need)].sites[std::size_t(stand.site)];
    for (std::size_t s = 0; s < stand.choices.size(); ++s)
        for (const PlacementSpace::Taking& taking : *site.choices[s][std::size_t(stand.choices[s])].takes)
            mine[taking.resource] = keyOf(taking, stand.need);
    const auto clashes = [&mine](const PlacementSpace::Taking& taking, NeedIndex need) {
        const auto own = mine.find(taking.resource);
        return own != mine.end() && own->second != keyOf(taking, need);
    };
    std::vector<bool> placed(space_.needs.size(), false);
    for (const NeedPlacement& other : way_) {
        if (other.site < 0 || other.need == stand.need)
            continue;
        placed[std::size_t(other.need)] = true;
        const PlacementSpace::Site& there = space_.needs[std::size_t(other.need)].sites[std::size_t(other.site)];
        for (const PlacementSpace::Taking& taking : there.takes)
            if (clashes(taking, other.need))
                return false;
        for (std::size_t s = 0; s < other.choices.size(); ++s)
            for (const PlacementSpace::Taking& taking : *there.choices[s][std::size_t(other.choices[s])].takes)
                if (clashes(taking, other.need))
                    return false;
    }
    for (const Participant& p : participants_)
        if (p.mayStay && p.need != stand.need && !placed[std::size_t(p.need)])
            for (const PlacementSpace::Taking& taking : space_.needs[std::size_t(p.need)].now)
                if (clashes(taking, p.need))
                    return false;
    return true;
}

} // namespace bindrel
