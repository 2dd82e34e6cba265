// SPDX-License-Identifier: GPL-3.0-or-later
// What counting alone decides: signals and pads, needs and instances.
#include "core/pins/placer.h"

#include <algorithm>
#include <functional>
#include <map>
#include <set>

namespace bindrel {

/// Signals to pads as a matching: where counting alone shows that there is not room for all, no search is needed.
bool Placer::enoughPads() const
{
    struct Signal {
        PlacementSpace::Pads pads;
    };
    std::vector<Signal> signals;
    for (std::size_t v = 0; v < vars_.size(); ++v) {
        if (placed_[v])
            continue;
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[v])];
        for (std::size_t s = 0; s < entry.signals.size(); ++s) {
            Signal signal;
            for (const Site& site : entry.sites)
                if (!clashes(site.takes))
                    signal.pads |= site.pads[s];
            signal.pads &= free_;
            signals.push_back(signal);
        }
    }
    std::vector<int> owner(PlacementSpace::kMaxPads, -1);
    PlacementSpace::Pads seen;
    const std::function<bool(int)> augment = [&](int signal) {
        PlacementSpace::Pads open = signals[std::size_t(signal)].pads & ~seen;
        for (std::size_t p = open._Find_first(); p < open.size(); p = open._Find_next(p)) {
            if (seen[p])
                continue;
            seen.set(p);
            if (owner[p] < 0 || augment(owner[p])) {
                owner[p] = signal;
                return true;
            }
        }
        return false;
    };
    for (std::size_t i = 0; i < signals.size(); ++i) {
        seen.reset();
        if (!augment(static_cast<int>(i)))
            return false;
    }
    return true;
}

bool Placer::enoughInstances() const
{
    struct Class {
        std::set<int> units; ///< resources that could serve it, each for this class alone
        int channels = 0;    ///< of all its members
        int capacity = 1;    ///< most channels of a unit
        int now = 0;         ///< units that it has already
    };
    std::map<std::pair<int, int>, Class> classes; // what the members say alike, or a member by itself
    for (std::size_t v = 0; v < vars_.size(); ++v) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[v])];
        std::set<int> groups;
        for (const SignalSpec& signal : entry.signals)
            if (signal.channel > 0)
                groups.insert(signal.channel);
        std::set<int> says;
        std::set<int> units, had;
        int capacity = 1;
        for (const Site& site : entry.sites) {
            if (site.takes.empty())
                return true; // nothing that others could not have too
            const PlacementSpace::Taking& unit = site.takes.front();
            says.insert(unit.as);
            if (clashes(site.takes))
                continue;
            (count_[std::size_t(unit.resource)] > 0 ? had : units).insert(unit.resource);
            std::set<int> channels;
            for (const std::vector<Choice>& signal : site.choices)
                for (const Choice& choice : signal)
                    if (choice.channel > 0)
                        channels.insert(choice.channel);
            capacity = std::max(capacity, int(channels.size()));
        }
        // No unit of its own (a port's bit), or one that depends on where it stands: nothing is counted.
        if (entry.sites.empty() || says.size() != 1 || entry.sites.front().instance < 0)
            continue;
        const int as = *says.begin();
        Class& mine = classes[as == 0 ? std::pair(0, int(v)) : std::pair(as, -1)];
        mine.units.insert(units.begin(), units.end());
        mine.channels += int(groups.size());
        mine.capacity = std::max(mine.capacity, capacity);
        mine.now = std::max(mine.now, int(had.size()));
    }
    // Each class has as many units to itself as its channels ask for; what a unit that it has already can still take is not looked at.
    std::map<int, int> owner;
    std::set<int> seen;
    std::vector<const Class*> wants;
    for (const auto& [key, mine] : classes)
        for (int k = std::max(1, (mine.channels + mine.capacity - 1) / mine.capacity) - mine.now; k > 0; --k)
            wants.push_back(&mine);
    const std::function<bool(int)> augment = [&](int want) {
        for (const int unit : wants[std::size_t(want)]->units) {
            if (!seen.insert(unit).second)
                continue;
            const auto at = owner.find(unit);
            if (at == owner.end() || augment(at->second)) {
                owner[unit] = want;
                return true;
            }
        }
        return false;
    };
    for (std::size_t i = 0; i < wants.size(); ++i) {
        seen.clear();
        if (!augment(static_cast<int>(i)))
            return false;
    }
    return true;
}

} // namespace bindrel
