// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placement_model.h"

#include <algorithm>
#include <set>
#include <tuple>

namespace bindrel {

void PlacementModel::exclusions()
{
    std::sort(takers_.begin(), takers_.end());
    std::vector<std::pair<Key, Literal>> placed;
    std::vector<Literal> same, all;
    for (auto at = takers_.begin(); at != takers_.end();) {
        const int resource = at->resource;
        placed.clear();
        all.clear();
        while (at != takers_.end() && at->resource == resource && !at->stays) {
            const Key key = at->key;
            same.clear();
            for (; at != takers_.end() && at->resource == resource && !at->stays && at->key == key; ++at)
                if (same.empty() || same.back() != at->literal)
                    same.push_back(at->literal);
            placed.emplace_back(key, anyOf(same));
            all.push_back(placed.back().second);
        }
        // Two signals without a choice on one pad say the same twice.
        std::sort(all.begin(), all.end());
        for (std::size_t i = 1; i < all.size(); ++i)
            if (all[i] == all[i - 1])
                solver.is(~all[i]);
        all.erase(std::unique(all.begin(), all.end()), all.end());
        solver.atMostOne(all);
        const auto firstStaying = at;
        for (; at != takers_.end() && at->resource == resource; ++at) {
            for (const auto& [other, literal] : placed)
                if (other != at->key)
                    solver.either(~at->literal, ~literal);
            if (!who_.clearStays)
                continue;
            const Resource::Kind kind = space_.kindOf(resource);
            for (auto before = firstStaying; before != at; ++before) {
                // Contention among those that cannot move is not ours to clear; within a need only pads and channels
                // exclude each other.
                const bool fixed = at->literal == truth && before->literal == truth;
                const bool own =
                    at->literal == before->literal && kind != Resource::Kind::Pad && kind != Resource::Kind::Dma;
                if (before->key == at->key || fixed || own)
                    continue;
                solver.either(~at->literal, ~before->literal);
                ++contests_[at->literal];
                ++contests_[before->literal];
            }
        }
    }
    takers_.clear();
    takers_.shrink_to_fit();
}

/// Those who share a rate share a timer, as long as it has channels enough.
struct PlacementModel::Alike {
    std::vector<Counting::Taker> takers;
    int wanted = 0;       ///< channels of all
    std::size_t most = 0; ///< channels that one unit has
};

void PlacementModel::countThings()
{
    Counting pads, units, channels, lines, requests;
    for (Counting* counting : {&pads, &units, &channels, &lines, &requests})
        counting->begin(space_.resources);
    std::map<int, Alike> alike;
    for (const Participant& p : participants_) {
        if (!p.placed)
            continue;
        countSignals(p, pads, channels, lines);
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        for (std::size_t r = 0; r < entry.requests.size(); ++r) {
            Counting::Taker taker = takerFor(p);
            for (const SiteLiterals& site : p.sites)
                for (const auto& [channel, literal] : site.channels[r])
                    taker.options.push_back({space_.resourceOfDma(channel), literal, literal});
            requests.add({std::move(taker)});
        }
        countUnit(p, units, alike);
    }
    for (auto& [as, group] : alike) {
        // They take as many together as their channels need.
        Counting::Taker together;
        together.once = false;
        for (const Counting::Taker& taker : group.takers) {
            together.when.insert(together.when.end(), taker.when.begin(), taker.when.end());
            together.options.insert(together.options.end(), taker.options.begin(), taker.options.end());
        }
        for (int more = (group.wanted + int(group.most) - 1) / int(group.most); more > 1; --more)
            units.add({together});
        units.add(std::move(group.takers));
    }
    counting_ = {std::move(units), std::move(pads), std::move(channels), std::move(lines), std::move(requests)};
}

/// One that may stay counts at once if what it would keep is known and kept from the others, else only when it moves.
Counting::Taker PlacementModel::takerFor(const Participant& p) const
{
    return {{p.mayStay ? ~p.stays : p.takesPart}, {}, p.need};
}

/// Each signal takes a pad, each group of signals of one channel a channel, and each that interrupts by its line a
/// line.
void PlacementModel::countSignals(const Participant& p, Counting& pads, Counting& channels, Counting& lines) const
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
    std::set<int> groups;
    bool hasLine = false;
    for (std::size_t s = 0; s < entry.signals.size(); ++s) {
        Counting::Taker onPad = takerFor(p), onChannel = takerFor(p), onLine = takerFor(p);
        const bool counts = entry.signals[s].channel >= 0 && groups.insert(entry.signals[s].channel).second;
        bool allHaveLines = true;
        for (std::size_t i = 0; i < p.sites.size(); ++i)
            for (std::size_t c = 0; c < entry.sites[i].choices[s].size(); ++c) {
                const PlacementSpace::Choice& choice = entry.sites[i].choices[s][c];
                const auto& [use, seat] = p.sites[i].choices[s][c];
                const Counting::Option option{choice.pad, use, seat, p.sites[i].site};
                onPad.options.push_back(option);
                bool onALine = false;
                for (const PlacementSpace::Taking& taking : *choice.takes) {
                    const Resource::Kind kind = space_.kindOf(taking.resource);
                    if (kind == Resource::Kind::Channel && counts &&
                        (onChannel.options.empty() || onChannel.options.back().use != use))
                        onChannel.options.push_back({taking.resource, use, use, option.at});
                    if (kind == Resource::Kind::Line) {
                        onLine.options.push_back({taking.resource, use, seat, option.at});
                        onALine = true;
                    }
                }
                allHaveLines = allHaveLines && onALine;
            }
        if (p.mayStay && who_.clearStays)
            if (const auto now = space_.plan.needs[p.need].binding.pads.find(entry.signals[s].id);
                now != space_.plan.needs[p.need].binding.pads.end())
                if (const PadIndex pad = space_.device.findPad(now->second); pad >= 0) {
                    onPad.when = {p.takesPart};
                    onPad.options.push_back({pad, p.stays, p.stays});
                }
        pads.add({std::move(onPad)});
        if (counts)
            channels.add({std::move(onChannel)});
        if (entry.signals[s].line && !hasLine) {
            hasLine = true;
            if (allHaveLines)
                lines.add({std::move(onLine)});
        }
    }
}

void PlacementModel::countUnit(const Participant& p, Counting& units, std::map<int, Alike>& alike) const
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
    const Need& need = space_.plan.needs[p.need];
    if (entry.sites.empty() || entry.sites.front().instance < 0)
        return;
    const auto unitOf = [this](const std::vector<PlacementSpace::Taking>& takes) {
        const auto unit = std::find_if(takes.begin(), takes.end(), [this](const auto& t) {
            return space_.kindOf(t.resource) == Resource::Kind::Unit;
        });
        return unit == takes.end() ? takes.front().resource : unit->resource;
    };
    Counting::Taker taker = takerFor(p);
    for (std::size_t i = 0; i < p.sites.size(); ++i)
        taker.options.push_back({unitOf(entry.sites[i].takes), p.sites[i].site, p.sites[i].site});
    if (p.mayStay && who_.clearStays && !entry.now.empty() &&
        space_.kindOf(entry.now.front().resource) == Resource::Kind::Instance) {
        taker.when = {p.takesPart};
        taker.options.push_back({unitOf(entry.now), p.stays, p.stays});
    }
    const int as = entry.sites.front().takes.front().as;
    if (as == 0) {
        units.add({std::move(taker)});
        return;
    }
    std::set<int> groups, least;
    for (const SignalSpec& signal : entry.signals)
        if (signal.channel >= 0) {
            groups.insert(signal.channel);
            // One that stays with a part of its pads takes no more channels than these.
            if (!p.mayStay || need.binding.pads.contains(signal.id))
                least.insert(signal.channel);
        }
    Alike& group = alike[as];
    group.wanted += int(least.size());
    group.most = std::max({group.most, std::size_t(1), groups.size()});
    for (const PlacementSpace::Site& site : entry.sites)
        group.most = std::max(group.most, space_.channelsOf(site.instance, entry.signals));
    if (const int now = space_.device.findInstance(need.binding.instance); now >= 0)
        group.most = std::max(group.most, space_.channelsOf(now, entry.signals));
    group.takers.push_back(std::move(taker));
}

} // namespace bindrel
