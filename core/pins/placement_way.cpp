// SPDX-License-Identifier: GPL-3.0-or-later
// A way as it was found: read from the solver, said to it, and as a plan has it.
#include "core/pins/placement_model.h"

#include <algorithm>

namespace bindrel {

Solver::Answer PlacementModel::solve(std::span<const Literal> assumptions, long effort, Solver::Manner manner)
{
    const long end = solver.spent() + effort;
    for (;;) {
        const Solver::Answer answer = solver.solve(assumptions, end - solver.spent(), manner);
        if (answer != Solver::Answer::Yes)
            return answer;
        read();
        bool sayable = true;
        for (NeedPlacement& stand : way_) {
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
                NeedPlacement plain = stand;
                plain.choices = routesImpliedByPads(stand, {});
                if (plain.choices.size() == stand.choices.size() && fitsBesideOthers(plain) &&
                    movesOf(plain) <= movesOf(stand))
                    stand = std::move(plain);
            }
        }
        if (!sayable)
            continue;
        // Who is placed where it is stays.
        for (NeedPlacement& stand : way_)
            if (stand.site >= 0 && participants_[std::size_t(of_[std::size_t(stand.need)])].mayStay &&
                bindingOf(stand) == space_.plan.needs[stand.need].binding)
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
        NeedPlacement stand{p.need, -1, {}, {}};
        for (std::size_t i = 0; i < p.sites.size(); ++i)
            if (solver.holds(p.sites[i].site))
                stand.site = int(i);
        if (stand.site >= 0) {
            const SiteLiterals& site = p.sites[std::size_t(stand.site)];
            for (const auto& choices : site.choices)
                stand.choices.push_back(
                    int(std::find_if(choices.begin(), choices.end(),
                                     [this](const Sitting& s) { return solver.holds(s.use) && solver.holds(s.seat); }) -
                        choices.begin()));
            for (const auto& channels : site.channels)
                stand.channels.push_back(std::find_if(channels.begin(), channels.end(), [this](const auto& c) {
                                             return solver.holds(c.second);
                                         })->first);
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
    for (NeedPlacement& stand : way_)
        for (std::size_t r = 0; r < stand.channels.size(); ++r) {
            const PlacementSpace::Entry& entry = space_.needs[std::size_t(stand.need)];
            const auto& now = space_.plan.needs[stand.need].binding.dma;
            const auto mine = now.find(entry.requests[r]);
            int& channel = stand.channels[r];
            busy[std::size_t(channel)] = false;
            for (const auto& [other, literal] :
                 participants_[std::size_t(of_[std::size_t(stand.need)])].sites[std::size_t(stand.site)].channels[r]) {
                const bool keeps = mine != now.end() && mine->second == other;
                if (!busy[std::size_t(other)] &&
                    (keeps || (other < channel && !(mine != now.end() && mine->second == channel))))
                    channel = other;
            }
            busy[std::size_t(channel)] = true;
        }
}

Binding PlacementModel::bindingOf(const NeedPlacement& stand) const
{
    if (stand.site < 0)
        return space_.plan.needs[stand.need].binding;
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(stand.need)];
    const PlacementSpace::Site& site = entry.sites[std::size_t(stand.site)];
    Binding binding;
    binding.instance = site.instance < 0 ? "" : space_.device.instances[site.instance].name;
    for (std::size_t s = 0; s < entry.signals.size(); ++s)
        binding.pads[entry.signals[s].id] = space_.device.pads[site.choices[s][std::size_t(stand.choices[s])].pad].name;
    for (const auto& [signal, name] : spelling(stand).value_or(std::map<std::size_t, std::string>()))
        binding.via[entry.signals[signal].id] = name;
    for (std::size_t r = 0; r < entry.requests.size(); ++r)
        binding.dma[entry.requests[r]] = stand.channels[r];
    return binding;
}

std::vector<Literal> PlacementModel::saying(const NeedPlacement& stand) const
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

void PlacementModel::exclude(const Assignment& way)
{
    std::vector<Literal> other;
    for (const NeedPlacement& stand : way) {
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
