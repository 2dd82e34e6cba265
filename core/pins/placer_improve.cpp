// SPDX-License-Identifier: GPL-3.0-or-later
// Where the search could not see everything: parts are drawn onto fewer sides.
#include "core/pins/placer.h"

#include <algorithm>
#include <array>
#include <bit>
#include <map>

namespace bindrel {

void Placer::pin(std::size_t var, const Chosen& chosen, PlacementCost& cost)
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[var])];
    const Site& site = entry.sites[std::size_t(chosen.site)];
    placed_[var] = true;
    chosen_[var] = chosen;
    rest_ = {rest_.moved - least_[var].moved, rest_.pads - least_[var].pads, 0, 0, rest_.scarce - least_[var].scarce, rest_.debug - least_[var].debug};
    add(site.takes, +1);
    cost.moved += entry.wasBound && site.moves;
    cost.scarce += site.scarce;
    for (std::size_t s = 0; s < entry.signals.size(); ++s) {
        const Choice& choice = *chosen.choices[s];
        if (entry.part >= 0)
            cost.sides += !padsOfPart_[std::size_t(entry.part)].empty() && sides_[std::size_t(entry.part)][std::size_t(space_.sideOfPad[std::size_t(choice.pad)])] == 0;
        cost.crossings += crossingsOf(entry.part, choice.pad);
        charge(var, s, choice, cost);
        add(choice.takes, +1);
        addPad(var, choice.pad, +1);
    }
    for (const int channel : chosen.channels)
        add(Taking{space_.takingOfDma(channel), 0}, +1);
}

void Placer::placeAnew(const std::vector<bool>& some, long steps)
{
    const std::vector<Chosen> best = found_.front().chosen;
    prepare();
    PlacementCost cost;
    for (std::size_t v = 0; v < vars_.size(); ++v)
        if (!some[v])
            pin(v, best[v], cost);
    runLimit_ = steps_ + steps;
    tries_ = 0;
    complete_ = true;
    descend(cost);
}

void Placer::improve()
{
    // A step costs as much as there are pads to look at.
    constexpr long kStepsAtOnce = 160, kPadsInAll = 3'200'000;
    const long stepsInAll = kPadsInAll / std::max<long>(1, static_cast<long>(space_.positionOfPad.size()));
    constexpr std::size_t kFewParts = 12;
    std::map<int, std::vector<std::size_t>> parts;
    for (std::size_t v = 0; v < vars_.size(); ++v)
        if (const int part = space_.needs[std::size_t(vars_[v])].part; part >= 0)
            parts[part].push_back(v);
    const auto sidesOf = [this, &parts](int part) {
        unsigned sides = 0;
        for (const std::size_t v : parts.at(part))
            for (const Choice* choice : found_.front().chosen[v].choices)
                sides |= 1u << space_.sideOfPad[std::size_t(choice->pad)];
        return sides;
    };
    const long end = steps_ + std::min(stepsInAll, maxSteps_);
    // One part onto fewer sides than it has, alone first, then with one or two others that make room.
    const auto draw = [&](int part, unsigned sides, std::pair<int, int> room) {
        std::vector<bool> some(vars_.size(), false);
        for (const int free : {part, room.first, room.second})
            if (const auto members = parts.find(free); members != parts.end())
                for (const std::size_t v : members->second)
                    some[v] = true;
        const PlacementCost before = found_.front().cost;
        allowed_[std::size_t(part)] = sides;
        placeAnew(some, kStepsAtOnce);
        allowed_[std::size_t(part)] = 0xFu;
        return found_.front().cost < before;
    };
    // Alone, with one other, with two: what is cheap to try comes first, and after each success again.
    std::array<std::vector<std::pair<int, int>>, 3> rooms{{{{-1, -1}}}};
    for (auto a = parts.begin(); a != parts.end(); ++a) {
        rooms[1].emplace_back(a->first, -1);
        for (auto b = std::next(a); b != parts.end() && parts.size() <= kFewParts; ++b)
            rooms[2].emplace_back(a->first, b->first);
    }
    const auto drawAny = [&](const std::vector<std::pair<int, int>>& others) {
        bool better = false;
        for (const auto& [part, members] : parts)
            for (const auto& other : others) {
                const int now = std::popcount(sidesOf(part));
                if (now < 2)
                    break;
                if (other.first == part || other.second == part)
                    continue;
                for (unsigned sides = 1; sides < 16; ++sides) {
                    if (steps_ >= end || stopped_)
                        return better;
                    if (std::popcount(sides) == now - 1 && draw(part, sides, other)) {
                        better = true;
                        break;
                    }
                }
            }
        return better;
    };
    for (std::size_t level = 0; level < rooms.size() && steps_ < end && !stopped_;)
        level = drawAny(rooms[level]) ? 0 : level + 1;
    runLimit_ = 0;
    complete_ = false;
}

} // namespace bindrel
