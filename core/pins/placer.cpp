// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/placer.h"

#include <algorithm>
#include <limits>

namespace bindrel {

bool Placer::clashes(const std::vector<Taking>& takings) const
{
    return std::any_of(takings.begin(), takings.end(), [this](const Taking& t) { return clashes(t); });
}

void Placer::add(const Taking& taking, int by)
{
    int& users = count_[std::size_t(taking.resource)];
    users += by;
    if (by > 0)
        as_[std::size_t(taking.resource)] = taking.as;
}

void Placer::add(const std::vector<Taking>& takings, int by)
{
    for (const Taking& taking : takings)
        add(taking, by);
}

int Placer::crossingsOf(int part, int pad) const
{
    const std::size_t side = std::size_t(space_.sideOfPad[std::size_t(pad)]);
    const int along = space_.alongOfPad[std::size_t(pad)];
    int added = 0;
    for (int other = 0; other < space_.parts; ++other) {
        const Reach& reach = reach_[std::size_t(other)][side];
        added += other != part && reach.low < along && along < reach.high;
    }
    if (part < 0 || reach_[std::size_t(part)][side].empty())
        return added;
    // Whoever lies in the stretch by which the part's own reach grows is between its pads from now on. So is who lies where it
    // ended (balls of one row, two that contend), unless it began there too.
    const Reach& own = reach_[std::size_t(part)][side];
    const int end = own.low < own.high;
    for (const auto& [at, whose] : onSide_[side])
        added += whose != part && ((at > along && at < own.low + end) || (at < along && at > own.high - end));
    return added;
}

void Placer::sit(int part, int pad)
{
    const std::size_t side = std::size_t(space_.sideOfPad[std::size_t(pad)]);
    const int along = space_.alongOfPad[std::size_t(pad)];
    onSide_[side].emplace_back(along, part);
    if (part < 0)
        return;
    Reach& reach = reach_[std::size_t(part)][side];
    before_.push_back(reach);
    reach = reach.empty() ? Reach{along, along} : Reach{std::min(reach.low, along), std::max(reach.high, along)};
}

/// Takes back the latest sit(), which was for the same pad.
void Placer::rise(int part, int pad)
{
    const std::size_t side = std::size_t(space_.sideOfPad[std::size_t(pad)]);
    onSide_[side].pop_back();
    if (part < 0)
        return;
    reach_[std::size_t(part)][side] = before_.back();
    before_.pop_back();
}

void Placer::addPad(std::size_t var, int pad, int by)
{
    free_.set(std::size_t(pad), by < 0);
    const int part = space_.needs[std::size_t(vars_[var])].part;
    by > 0 ? sit(part, pad) : rise(part, pad);
    if (part < 0)
        return;
    sides_[std::size_t(part)][std::size_t(space_.sideOfPad[std::size_t(pad)])] += by;
    if (by > 0)
        padsOfPart_[std::size_t(part)].push_back(pad);
    else
        padsOfPart_[std::size_t(part)].pop_back();
}

namespace {
constexpr long kFirstRun = 300; ///< steps before the first restart
}

Placer::Answer Placer::solve(const std::vector<int>& vars, const std::vector<int>& stay, std::size_t count, bool polish)
{
    vars_ = vars;
    stay_ = stay;
    prepare();
    found_.clear();
    onlyWhether_ = count == 0;
    wanted_ = std::max<std::size_t>(count, 1);
    steps_ = tries_ = 0;
    runLimit_ = 0;
    allowed_.assign(std::size_t(space_.parts), 0xFu);
    weights_.assign(vars.size(), 1);
    restartAfter_ = kFirstRun;
    // Until there is a way the search begins anew from time to time: what it could not place it then places first.
    if (enoughPads() && enoughInstances())
        do {
            restart_ = false;
            runBegan_ = steps_;
            complete_ = true;
            deadEnd_ = -1;
            descend({});
            restartAfter_ = restartAfter_ * 3 / 2;
        } while (restart_);
    else
        complete_ = true;
    if (polish && !complete_ && !found_.empty())
        improve();
    Answer answer;
    answer.exhausted = complete_ || (onlyWhether_ && !found_.empty());
    answer.found = std::move(found_);
    return answer;
}

/// Everything free but what stays.
void Placer::prepare()
{
    chosen_.assign(vars_.size(), {});
    placed_.assign(vars_.size(), false);
    count_.assign(std::size_t(space_.resources), 0);
    as_.assign(std::size_t(space_.resources), 0);
    free_.reset();
    for (std::size_t p = 0; p < space_.positionOfPad.size() && p < PlacementSpace::kMaxPads; ++p)
        free_.set(p, space_.positionOfPad[p] >= 0);
    sides_.assign(std::size_t(space_.parts), {});
    padsOfPart_.assign(std::size_t(space_.parts), {});
    reach_.assign(std::size_t(space_.parts), {});
    before_.clear();
    for (auto& side : onSide_)
        side.clear();
    for (const int need : stay_) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(need)];
        add(entry.now, +1);
        for (const int pad : entry.padsNow) {
            free_.reset(std::size_t(pad));
            if (space_.positionOfPad[std::size_t(pad)] >= 0)
                sit(entry.part, pad);
            if (entry.part >= 0) {
                ++sides_[std::size_t(entry.part)][std::size_t(space_.sideOfPad[std::size_t(pad)])];
                padsOfPart_[std::size_t(entry.part)].push_back(pad);
            }
        }
    }
    deadEnd_ = -1;
    boundFromBelow();
}

void Placer::charge(std::size_t var, std::size_t signal, const Choice& choice, PlacementCost& cost) const
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[var])];
    cost.pads += entry.wasBound && choice.moves;
    if (entry.wasBound && choice.moves) {
        // A need counts once, whether its instance or its pads move.
        bool counted = entry.sites[std::size_t(chosen_[var].site)].moves;
        for (std::size_t other = 0; other < signal; ++other)
            counted = counted || chosen_[var].choices[other]->moves;
        cost.moved += !counted;
    }
    cost.scarce += choice.scarce;
    cost.debug += choice.debug;
}

bool Placer::stop()
{
    if ((tries_ & 255) == 0 && cancelled_ && cancelled_())
        stopped_ = true;
    if (runLimit_ > 0) {
        if (stopped_ || steps_ > runLimit_ || tries_ > 20 * (runLimit_ - steps_ + 250))
            complete_ = false;
        return !complete_;
    }
    // Most of the work is to find one way; polishing it must not take long.
    const long polish = maxSteps_ / 100 + 4L * static_cast<long>(vars_.size());
    constexpr long kTriesAStep = 20;
    const long most = found_.empty() ? maxSteps_ : std::min(maxSteps_, stepsAtFirst_ + polish);
    const long mostTries = kTriesAStep * (found_.empty() ? maxSteps_ : std::min(maxSteps_, triesAtFirst_ / kTriesAStep + polish));
    if (stopped_ || steps_ > most || tries_ > mostTries) {
        complete_ = false;
        restart_ = false;
    } else if (complete_ && found_.empty() && steps_ - runBegan_ > restartAfter_) {
        complete_ = false;
        restart_ = true;
    }
    return !complete_ || (onlyWhether_ && !found_.empty());
}

/// A partial cost can only grow, by at least what the others cost if each had the chip to itself.
bool Placer::hopeless(const PlacementCost& cost) const
{
    if (found_.size() < wanted_ && runLimit_ == 0)
        return false;
    const PlacementCost atLeast{cost.moved + rest_.moved, cost.pads + rest_.pads, cost.sides, cost.crossings, cost.scarce + rest_.scarce, cost.debug + rest_.debug};
    return atLeast >= (runLimit_ > 0 ? found_.front() : found_.back()).cost;
}

void Placer::boundFromBelow()
{
    least_.assign(vars_.size(), {});
    rest_ = {};
    constexpr int kMuch = 1'000'000;
    for (std::size_t v = 0; v < vars_.size(); ++v) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[v])];
        PlacementCost best{kMuch, kMuch, 0, 0, kMuch, kMuch};
        for (const Site& site : entry.sites) {
            if (clashes(site.takes))
                continue;
            int pads = 0, scarce = site.scarce, debug = 0;
            bool stays = !site.moves;
            for (const std::vector<Choice>& choices : site.choices) {
                int leastScarce = kMuch, leastDebug = 1;
                bool canStay = false;
                for (const Choice& choice : choices)
                    if (free_[std::size_t(choice.pad)] && !clashes(choice.takes)) {
                        canStay = canStay || !choice.moves;
                        leastScarce = std::min(leastScarce, choice.scarce);
                        leastDebug = std::min(leastDebug, choice.debug);
                    }
                pads += entry.wasBound && !canStay;
                stays = stays && canStay;
                scarce += leastScarce;
                debug += leastDebug;
            }
            // Each part of the cost by itself: together they bound the whole, whatever goes with what.
            best.moved = std::min(best.moved, int(entry.wasBound && !stays));
            best.pads = std::min(best.pads, pads);
            best.scarce = std::min(best.scarce, scarce);
            best.debug = std::min(best.debug, debug);
        }
        if (best.moved == kMuch)
            best = {};
        least_[v] = best;
        rest_ = {rest_.moved + best.moved, rest_.pads + best.pads, 0, 0, rest_.scarce + best.scarce, rest_.debug + best.debug};
    }
}

bool Placer::feasible(std::size_t var) const
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[var])];
    return std::any_of(entry.sites.begin(), entry.sites.end(), [this](const Site& site) {
        return !clashes(site.takes) && std::all_of(site.choices.begin(), site.choices.end(), [this](const std::vector<Choice>& choices) {
            return std::any_of(choices.begin(), choices.end(), [this](const Choice& c) { return free_[std::size_t(c.pad)] && !clashes(c.takes); });
        });
    });
}

/// How many ways a need has left, roughly: the fewest pads of any signal, over the instances that are free. 0: none.
int Placer::freedom(std::size_t var) const
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[var])];
    int total = 0;
    for (const Site& site : entry.sites) {
        if (clashes(site.takes))
            continue;
        int least = entry.signals.empty() ? 1 : std::numeric_limits<int>::max();
        for (const PlacementSpace::Pads& pads : site.pads)
            least = std::min(least, static_cast<int>((pads & free_).count()));
        total += least;
    }
    if (total > 0 && total < 64 && !feasible(var))
        return 0;
    return total;
}

void Placer::descend(PlacementCost cost)
{
    deadEnd_ = -1;
    if (stop() || hopeless(cost))
        return;
    ++steps_;
    int next = -1;
    long least = 0;
    for (std::size_t v = 0; v < vars_.size(); ++v) {
        if (placed_[v])
            continue;
        const long room = freedom(v);
        if (room == 0) {
            deadEnd_ = static_cast<int>(v);
            ++weights_[v];
            return;
        }
        // room / weight, the smallest first
        if (next < 0 || room * weights_[std::size_t(next)] < least * weights_[v]) {
            least = room;
            next = static_cast<int>(v);
        }
    }
    if (next < 0) {
        record(cost);
        return;
    }
    if (steps_ % 64 == 0 && !enoughPads())
        return;
    const std::size_t var = std::size_t(next);
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[var])];
    placed_[var] = true;
    const PlacementCost rest = rest_;
    rest_ = {rest.moved - least_[var].moved, rest.pads - least_[var].pads, 0, 0, rest.scarce - least_[var].scarce, rest.debug - least_[var].debug};
    chosen_[var].choices.assign(entry.signals.size(), nullptr);
    chosen_[var].channels.assign(entry.requests.size(), -1);
    bool jumping = false;
    for (std::size_t s = 0; s < entry.sites.size() && !jumping && !stop(); ++s) {
        const Site& site = entry.sites[s];
        if (clashes(site.takes))
            continue;
        chosen_[var].site = static_cast<int>(s);
        add(site.takes, +1);
        PlacementCost with = cost;
        with.moved += entry.wasBound && site.moves;
        with.scarce += site.scarce;
        deadEnd_ = -1;
        placeSignal(var, 0, with);
        add(site.takes, -1);
        jumping = deadEnd_ >= 0 && !feasible(std::size_t(deadEnd_));
    }
    placed_[var] = false;
    rest_ = rest;
    // All ways of this need have failed, each for a reason of its own: nothing is known about what came before.
    if (!jumping)
        deadEnd_ = -1;
}

bool Placer::agreesWithChosen(std::size_t var, std::size_t signal, const Choice& choice) const
{
    const std::vector<SignalSpec>& signals = space_.needs[std::size_t(vars_[var])].signals;
    for (std::size_t other = 0; other < signal; ++other) {
        const Choice& before = *chosen_[var].choices[other];
        if (before.route >= 0 && choice.route >= 0 && !agree(space_.device, space_.device.routes[std::size_t(before.route)], space_.device.routes[std::size_t(choice.route)]))
            return false;
        if (signals[signal].channel >= 0 && signals[other].channel >= 0 && (signals[signal].channel == signals[other].channel) != (choice.channel == before.channel))
            return false;
    }
    return true;
}

void Placer::placeSignal(std::size_t var, std::size_t signal, PlacementCost cost)
{
    ++tries_;
    if (hopeless(cost) || stop())
        return;
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[var])];
    if (signal == entry.signals.size()) {
        if (takesFirstRoutes(var))
            finish(var, 0, cost);
        return;
    }
    const std::vector<Choice>& all = entry.sites[std::size_t(chosen_[var].site)].choices[signal];
    // Near the part's other pads first: what costs the same should lie together.
    struct Ranked {
        std::tuple<int, int, int, int, int, int> key;
        const Choice* choice;
    };
    std::vector<Ranked> order;
    const int pins = static_cast<int>(space_.device.package.pins.size());
    for (const Choice& choice : all) {
        if (!free_[std::size_t(choice.pad)] || (entry.part >= 0 && !(allowed_[std::size_t(entry.part)] >> space_.sideOfPad[std::size_t(choice.pad)] & 1u)))
            continue;
        int distance = pins;
        const auto measure = [&](int pad) {
            const int away = std::abs(space_.positionOfPad[std::size_t(pad)] - space_.positionOfPad[std::size_t(choice.pad)]);
            distance = std::min(distance, std::min(away, pins - away));
        };
        bool newSide = false;
        if (entry.part >= 0) {
            for (const int pad : padsOfPart_[std::size_t(entry.part)])
                measure(pad);
            newSide = !padsOfPart_[std::size_t(entry.part)].empty() && sides_[std::size_t(entry.part)][std::size_t(space_.sideOfPad[std::size_t(choice.pad)])] == 0;
        }
        order.push_back({{choice.moves, newSide, crossingsOf(entry.part, choice.pad), choice.scarce, choice.debug, distance}, &choice});
    }
    std::stable_sort(order.begin(), order.end(), [](const Ranked& a, const Ranked& b) { return a.key < b.key; });
    for (const Ranked& ranked : order) {
        const Choice& choice = *ranked.choice;
        if (stop())
            return;
        // The need itself may take a thing with several of its signals: a mux field at one code, a channel by both outputs.
        bool fits = agreesWithChosen(var, signal, choice);
        for (const Taking& taking : choice.takes) {
            bool own = false;
            for (std::size_t other = 0; other < signal && !own; ++other)
                for (const Taking& mine : chosen_[var].choices[other]->takes)
                    own = own || (mine.resource == taking.resource && mine.as == taking.as);
            fits = fits && (own || !clashes(taking));
        }
        if (!fits)
            continue;
        PlacementCost with = cost;
        charge(var, signal, choice, with);
        with.sides += std::get<1>(ranked.key);
        with.crossings += std::get<2>(ranked.key);
        chosen_[var].choices[signal] = &choice;
        add(choice.takes, +1);
        addPad(var, choice.pad, +1);
        deadEnd_ = -1;
        placeSignal(var, signal + 1, with);
        addPad(var, choice.pad, -1);
        add(choice.takes, -1);
        // Whoever has nowhere to go has it still: other pads for this signal will not help.
        if (deadEnd_ >= 0 && !feasible(std::size_t(deadEnd_)))
            return;
    }
    deadEnd_ = -1;
}

/// A plan names pads, not routes: of several routes to the same pads the first that agree count, as they do when the plan is
/// read. Others are not ways of their own.
bool Placer::takesFirstRoutes(std::size_t var) const
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[var])];
    const Site& site = entry.sites[std::size_t(chosen_[var].site)];
    std::vector<const Choice*> picked;
    const std::function<bool(std::size_t)> pick = [&](std::size_t signal) {
        if (signal == entry.signals.size())
            return true;
        for (const Choice& choice : site.choices[signal]) {
            if (choice.pad != chosen_[var].choices[signal]->pad)
                continue;
            bool fits = true;
            for (std::size_t other = 0; other < signal && fits; ++other) {
                const Choice& before = *picked[other];
                fits = before.route < 0 || choice.route < 0 ||
                       agree(space_.device, space_.device.routes[std::size_t(before.route)], space_.device.routes[std::size_t(choice.route)]);
                if (entry.signals[signal].channel >= 0 && entry.signals[other].channel >= 0)
                    fits = fits && (entry.signals[signal].channel == entry.signals[other].channel) == (choice.channel == before.channel);
            }
            if (!fits)
                continue;
            picked.push_back(&choice);
            if (pick(signal + 1))
                return true;
            picked.pop_back();
        }
        return false;
    };
    return pick(0) && picked == chosen_[var].choices;
}

/// DMA channels for the requests, then on to the next need.
void Placer::finish(std::size_t var, std::size_t request, PlacementCost cost)
{
    const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[var])];
    if (request == entry.requests.size()) {
        descend(cost);
        return;
    }
    const int instance = entry.sites[std::size_t(chosen_[var].site)].instance;
    const auto& dma = space_.device.instances[std::size_t(instance)].dma;
    const auto links = dma.find(entry.requests[request]);
    if (links == dma.end())
        return;
    const auto& now = space_.plan.needs[std::size_t(vars_[var])].binding.dma;
    const auto mine = now.find(entry.requests[request]);
    std::vector<int> channels;
    for (const DmaLink& link : links->second)
        channels.push_back(link.channel);
    if (mine != now.end())
        std::stable_partition(channels.begin(), channels.end(), [&](int channel) { return channel == mine->second; });
    for (const int channel : channels) {
        const Taking taking{space_.takingOfDma(channel), 0};
        if (clashes(taking))
            continue;
        chosen_[var].channels[request] = channel;
        add(taking, +1);
        deadEnd_ = -1;
        finish(var, request + 1, cost);
        add(taking, -1);
        if (stop() || (deadEnd_ >= 0 && !feasible(std::size_t(deadEnd_))))
            return;
        // With a router every channel serves every request: another one would be the same way again.
        if (links->second.size() == std::size_t(space_.device.dma.channels) && links->second.front().code != 0 && deadEnd_ < 0)
            return;
    }
    deadEnd_ = -1;
}

void Placer::record(const PlacementCost& cost)
{
    Found found;
    found.cost = cost;
    found.chosen = chosen_;
    for (std::size_t v = 0; v < vars_.size(); ++v) {
        const PlacementSpace::Entry& entry = space_.needs[std::size_t(vars_[v])];
        const Site& site = entry.sites[std::size_t(chosen_[v].site)];
        Binding binding;
        binding.instance = site.instance < 0 ? "" : space_.device.instances[std::size_t(site.instance)].name;
        for (std::size_t s = 0; s < entry.signals.size(); ++s)
            binding.pads[entry.signals[s].id] = space_.device.pads[std::size_t(chosen_[v].choices[s]->pad)].name;
        for (std::size_t r = 0; r < entry.requests.size(); ++r)
            binding.dma[entry.requests[r]] = chosen_[v].channels[r];
        found.bindings.push_back(std::move(binding));
    }
    // Routes that differ only inside (lanes in other roles) are one way to a person.
    if (std::any_of(found_.begin(), found_.end(), [&](const Found& other) { return other.bindings == found.bindings; }))
        return;
    const auto at = std::upper_bound(found_.begin(), found_.end(), cost, [](const PlacementCost& c, const Found& f) { return c < f.cost; });
    if (found_.empty())
        std::tie(stepsAtFirst_, triesAtFirst_) = std::pair(steps_, tries_);
    found_.insert(at, std::move(found));
    if (found_.size() > wanted_)
        found_.pop_back();
}

} // namespace bindrel
