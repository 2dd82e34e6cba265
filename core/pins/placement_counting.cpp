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
                // Contention among those that cannot move is not ours to clear; within a need only pads and channels exclude each other.
                const bool fixed = at->literal == truth && before->literal == truth;
                const bool own = at->literal == before->literal && kind != Resource::Kind::Pad && kind != Resource::Kind::Dma;
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

void PlacementModel::countThings()
{
    Counting pads, units, channels, lines, requests;
    for (Counting* counting : {&pads, &units, &channels, &lines, &requests})
        counting->begin(space_.resources);
    std::map<int, std::vector<Counting::Taker>> alike;
    std::map<int, std::pair<int, std::size_t>> channelsOfAlike; // wanted by all, most that one unit has
    for (const Participant& p : participants_) {
        if (!p.placed)
            continue;
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(p.need)];
        const Need& need = space_.plan.needs[std::size_t(p.need)];
        // One that may stay counts at once if what it would keep is known and kept from the others, else only when it moves.
        const std::vector<Literal> always{p.takesPart}, moving{p.mayStay ? ~p.stays : p.takesPart};
        for (std::size_t s = 0; s < entry.signals.size(); ++s) {
            Counting::Taker taker{moving, {}, p.need};
            for (std::size_t i = 0; i < p.sites.size(); ++i)
                for (std::size_t c = 0; c < entry.sites[i].choices[s].size(); ++c)
                    taker.options.push_back({entry.sites[i].choices[s][c].pad, p.sites[i].choices[s][c].use, p.sites[i].choices[s][c].seat, p.sites[i].site});
            if (p.mayStay && who_.clearStays)
                if (const auto now = need.binding.pads.find(entry.signals[s].id); now != need.binding.pads.end())
                    if (const PadIndex pad = space_.device.findPad(now->second); pad >= 0) {
                        taker.when = always;
                        taker.options.push_back({pad, p.stays, p.stays});
                    }
            pads.add({std::move(taker)});
        }
        std::set<int> groups;
        for (std::size_t s = 0; s < entry.signals.size(); ++s) {
            const int group = entry.signals[s].channel;
            if (group < 0 || !groups.insert(group).second)
                continue;
            Counting::Taker taker{moving, {}, p.need};
            for (std::size_t i = 0; i < p.sites.size(); ++i)
                for (std::size_t c = 0; c < entry.sites[i].choices[s].size(); ++c)
                    for (const PlacementSpace::Taking& taking : *entry.sites[i].choices[s][c].takes)
                        if (space_.kindOf(taking.resource) == Resource::Kind::Channel)
                            if (const Literal use = p.sites[i].choices[s][c].use; taker.options.empty() || taker.options.back().use != use)
                                taker.options.push_back({taking.resource, use, use, p.sites[i].site});
            channels.add({std::move(taker)});
        }
        for (std::size_t s = 0; s < entry.signals.size(); ++s)
            if (entry.signals[s].line) {
                Counting::Taker taker{moving, {}, p.need};
                bool complete = true;
                for (std::size_t i = 0; i < p.sites.size(); ++i)
                    for (std::size_t c = 0; c < entry.sites[i].choices[s].size(); ++c) {
                        const auto& takes = *entry.sites[i].choices[s][c].takes;
                        const auto line = std::find_if(takes.begin(), takes.end(), [this](const auto& t) { return space_.kindOf(t.resource) == Resource::Kind::Line; });
                        complete = complete && line != takes.end();
                        if (line != takes.end())
                            taker.options.push_back({line->resource, p.sites[i].choices[s][c].use, p.sites[i].choices[s][c].seat, p.sites[i].site});
                    }
                if (complete)
                    lines.add({std::move(taker)});
                break;
            }
        for (std::size_t r = 0; r < entry.requests.size(); ++r) {
            Counting::Taker taker{moving, {}, p.need};
            for (const SiteLiterals& site : p.sites)
                for (const auto& [channel, literal] : site.channels[r])
                    taker.options.push_back({space_.resourceOfDma(channel), literal, literal});
            requests.add({std::move(taker)});
        }
        if (entry.sites.empty() || entry.sites.front().instance < 0)
            continue;
        const auto unitOf = [this](const std::vector<PlacementSpace::Taking>& takes) {
            const auto unit = std::find_if(takes.begin(), takes.end(), [this](const auto& t) { return space_.kindOf(t.resource) == Resource::Kind::Unit; });
            return unit == takes.end() ? takes.front().resource : unit->resource;
        };
        Counting::Taker taker{moving, {}, p.need};
        std::size_t most = std::max<std::size_t>(1, groups.size());
        for (std::size_t i = 0; i < p.sites.size(); ++i) {
            taker.options.push_back({unitOf(entry.sites[i].takes), p.sites[i].site, p.sites[i].site});
            most = std::max(most, space_.channelsOf(entry.sites[i].instance, entry.signals));
        }
        if (const int now = space_.device.findInstance(need.binding.instance); now >= 0)
            most = std::max(most, space_.channelsOf(now, entry.signals));
        if (p.mayStay && who_.clearStays && !entry.now.empty() && space_.kindOf(entry.now.front().resource) == Resource::Kind::Instance) {
            taker.when = always;
            taker.options.push_back({unitOf(entry.now), p.stays, p.stays});
        }
        if (const int as = entry.sites.front().takes.front().as; as != 0) {
            // One that stays with a part of its pads takes no more channels than these.
            std::set<int> least;
            for (std::size_t s = 0; s < entry.signals.size(); ++s)
                if (entry.signals[s].channel >= 0 && (!p.mayStay || need.binding.pads.contains(entry.signals[s].id)))
                    least.insert(entry.signals[s].channel);
            channelsOfAlike[as].first += int(least.size());
            channelsOfAlike[as].second = std::max(channelsOfAlike[as].second, most);
            alike[as].push_back(std::move(taker));
        } else {
            units.add({std::move(taker)});
        }
    }
    for (auto& [as, takers] : alike) {
        // Those who share a rate share a timer, as long as it has channels enough; else they take as many as that needs.
        const auto& [wanted, most] = channelsOfAlike[as];
        Counting::Taker together;
        together.once = false;
        for (const Counting::Taker& taker : takers) {
            together.when.insert(together.when.end(), taker.when.begin(), taker.when.end());
            together.options.insert(together.options.end(), taker.options.begin(), taker.options.end());
        }
        for (int more = (wanted + int(most) - 1) / int(most); more > 1; --more)
            units.add({together});
        units.add(std::move(takers));
    }
    counting_ = {std::move(units), std::move(pads), std::move(channels), std::move(lines), std::move(requests)};
}

} // namespace bindrel
