// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/candidates.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

constexpr long kMove = 100'000;
constexpr long kDebugPad = 20'000;
constexpr long kRicherInstance = 2'000;
constexpr long kDemandedPad = 60;
constexpr long kDistance = 20; ///< a pin further along the edge
constexpr std::size_t kMaxTrials = 20'000;

struct PadChoice {
    int pad = -1;
    int route = -1;
    int channel = 0;
    long cost = 0;
};

/// Tries all pads for the signals one after the other, dearer beginnings cut off by the worst kept candidate.
class Search {
public:
    Search(const Device& device, const Board& board, const Plan& plan, const Need& need, const Taken& taken,
           const std::vector<int>& demand, std::size_t most)
        : device_(device), board_(board), plan_(plan), need_(need), taken_(taken), demand_(demand), most_(most),
          signals_(signalsOf(need))
    {
        for (size_t i = 0; i < device.package.pins.size(); ++i)
            if (device.package.pins[i].pad >= 0)
                pinPosition_.emplace(device.package.pins[i].pad, static_cast<int>(i));
        for (const Need& other : plan.needs)
            if (&other != &need && other.id != need.id && !need.part.empty() && other.part == need.part)
                for (const auto& [signal, pad] : other.binding.pads)
                    if (const auto at = pinPosition_.find(device.findPad(pad)); at != pinPosition_.end())
                        neighbours_.push_back(at->second);
    }

    std::vector<Candidate> run()
    {
        const KindSpec* kind = findKind(need_.kind);
        if (!kind)
            return {};
        if (kind->instanceKind.empty()) {
            tryInstance(-1, 0);
        } else {
            const std::string wanted = kind->instanceGoal.empty() ? "" : goalText(need_, kind->instanceGoal);
            for (size_t i = 0; i < device_.instances.size(); ++i) {
                const int instance = static_cast<int>(i);
                const std::string& name = device_.instances[i].name;
                std::vector<Use> uses;
                useInstance(uses, device_, need_, instance);
                if (!kind->servedBy(device_.blockOf(instance).kind) || taken_.clashes(uses) || (!wanted.empty() && wanted != name))
                    continue;
                const bool moved = !need_.binding.instance.empty() && need_.binding.instance != name;
                if (moved && plan_.held(holdOfNeed(need_.id)))
                    continue;
                // A timer with pairs for a need without is a waste; so is any instance with more signals than its siblings.
                const bool pairs = std::any_of(signals_.begin(), signals_.end(), [](const SignalSpec& s) { return s.pattern == "CH#N" || s.pattern == "FLT"; });
                long cost = moved ? kMove : 0;
                cost += !pairs && device_.ability(instance, "pairs", 0) > 0 ? kRicherInstance : 0;
                cost += static_cast<long>(device_.instances[i].signals.size());
                tryInstance(instance, cost);
            }
        }
        std::sort(found_.begin(), found_.end(), [](const Candidate& a, const Candidate& b) { return a.cost < b.cost; });
        return std::move(found_);
    }

private:
    void tryInstance(int instance, long cost)
    {
        choices_.assign(signals_.size(), {});
        for (size_t s = 0; s < signals_.size(); ++s) {
            for (size_t p = 0; p < device_.pads.size(); ++p)
                addChoice(instance, s, static_cast<int>(p));
            if (choices_[s].empty())
                return;
            std::stable_sort(choices_[s].begin(), choices_[s].end(),
                             [](const PadChoice& a, const PadChoice& b) { return a.cost < b.cost; });
        }
        chosen_.assign(signals_.size(), {});
        instance_ = instance;
        trials_ = 0;
        descend(0, cost);
    }

    void addChoice(int instance, size_t s, int pad)
    {
        const SignalSpec& signal = signals_[s];
        const Pad& facts = device_.pads[size_t(pad)];
        if (!pinPosition_.contains(pad))
            return;
        std::vector<RouteMatch> routes;
        if (!signal.pattern.empty())
            routes = routesFor(device_, instance, signal, pad);
        else if (facts.port >= 0 && (!signal.line || device_.linesInPorts || (facts.line >= 0 && device_.lineInstance >= 0)))
            routes.push_back({-1, 0});
        for (const RouteMatch& match : routes)
            addRoute(s, pad, match);
    }

    void addRoute(size_t s, int pad, const RouteMatch& match)
    {
        const SignalSpec& signal = signals_[s];
        const Pad& facts = device_.pads[size_t(pad)];
        PadChoice choice{pad, match.route, match.channel, 0};
        std::vector<Use> uses;
        useSeat(uses, device_, static_cast<int>(s), signal, pad, match.route, match.channel);
        if (taken_.clashes(uses) || !boardObjection(device_, board_, pad, match.route).empty())
            return;
        const auto current = need_.binding.pads.find(signal.id);
        const bool sits = current != need_.binding.pads.end();
        if (sits && current->second != facts.name) {
            if (plan_.held(holdOfSignal(need_.id, signal.id)) || plan_.held(holdOfNeed(need_.id)))
                return;
            choice.cost += kMove;
        }
        if (!facts.resetClaim.empty() && (match.route < 0 || device_.signalName(device_.routes[size_t(match.route)]) != facts.resetClaim))
            choice.cost += kDebugPad;
        choice.cost += kDemandedPad * demand_[size_t(pad)];
        if (facts.weak && signal.direction == SignalSpec::Direction::Out)
            choice.cost += kRicherInstance;
        choices_[s].push_back(choice);
    }

    bool compatible(size_t s, const PadChoice& choice) const
    {
        for (size_t other = 0; other < s; ++other) {
            const PadChoice& before = chosen_[other];
            if (before.pad == choice.pad)
                return false;
            if (before.route >= 0 && choice.route >= 0 && !agree(device_, device_.routes[size_t(before.route)], device_.routes[size_t(choice.route)]))
                return false;
            if (signals_[s].channel < 0 || signals_[other].channel < 0)
                continue;
            if ((signals_[s].channel == signals_[other].channel) != (choice.channel == before.channel))
                return false;
        }
        return true;
    }

    /// Channels for the DMA requests, each the first that is free; false when one finds none.
    bool assignStreams(Binding& binding, const std::vector<std::string>& requests, size_t at) const
    {
        if (at == requests.size())
            return true;
        const Instance& instance = device_.instances[size_t(instance_)];
        const auto links = instance.dma.find(requests[at]);
        if (links == instance.dma.end())
            return false;
        const auto free = [&](int channel) {
            return taken_.clash({{Resource::Kind::Dma, channel}, {}, -1}) < 0 &&
                   std::none_of(binding.dma.begin(), binding.dma.end(), [&](const auto& other) { return other.second == channel; });
        };
        const auto tryOne = [&](int channel) {
            binding.dma[requests[at]] = channel;
            if (assignStreams(binding, requests, at + 1))
                return true;
            binding.dma.erase(requests[at]);
            return false;
        };
        // Where it is now comes first.
        if (const auto now = need_.binding.dma.find(requests[at]); now != need_.binding.dma.end())
            for (const DmaLink& link : links->second)
                if (link.channel == now->second && free(link.channel) && tryOne(link.channel))
                    return true;
        for (const DmaLink& link : links->second)
            if (free(link.channel) && tryOne(link.channel))
                return true;
        return false;
    }

    /// How far the pin lies from the nearest one of the same part, chosen before or bound already, along the edge of the package.
    long distance(size_t s, const PadChoice& choice) const
    {
        if (s == 0 && neighbours_.empty())
            return 0;
        const int pins = static_cast<int>(device_.package.pins.size());
        const int here = pinPosition_.at(choice.pad);
        long best = pins;
        const auto measure = [&](int there) {
            const int away = std::abs(here - there);
            best = std::min<long>(best, std::min(away, pins - away));
        };
        for (size_t other = 0; other < s; ++other)
            measure(pinPosition_.at(chosen_[other].pad));
        for (const int there : neighbours_)
            measure(there);
        return best * kDistance;
    }

    void descend(size_t s, long cost)
    {
        if (++trials_ > kMaxTrials || (found_.size() >= most_ && cost >= worst_))
            return;
        if (s == signals_.size()) {
            Candidate candidate;
            candidate.cost = cost;
            candidate.binding.instance = instance_ < 0 ? "" : device_.instances[size_t(instance_)].name;
            for (size_t i = 0; i < signals_.size(); ++i)
                candidate.binding.pads[signals_[i].id] = device_.pads[size_t(chosen_[i].pad)].name;
            if (instance_ >= 0 && !assignStreams(candidate.binding, requestsOf(need_), 0))
                return;
            keep(std::move(candidate));
            return;
        }
        for (const PadChoice& choice : choices_[s]) {
            if (!compatible(s, choice))
                continue;
            chosen_[s] = choice;
            descend(s + 1, cost + choice.cost + distance(s, choice));
        }
    }

    void keep(Candidate candidate)
    {
        const auto at = std::upper_bound(found_.begin(), found_.end(), candidate.cost,
                                         [](long cost, const Candidate& c) { return cost < c.cost; });
        found_.insert(at, std::move(candidate));
        if (found_.size() > most_)
            found_.pop_back();
        worst_ = found_.back().cost;
    }

    const Device& device_;
    const Board& board_;
    const Plan& plan_;
    const Need& need_;
    const Taken& taken_;
    const std::vector<int>& demand_;
    std::size_t most_;
    std::vector<SignalSpec> signals_;
    std::map<int, int> pinPosition_;
    std::vector<int> neighbours_; ///< positions of the part's other pads
    std::vector<std::vector<PadChoice>> choices_;
    std::vector<PadChoice> chosen_;
    std::vector<Candidate> found_;
    std::size_t trials_ = 0;
    long worst_ = 0;
    int instance_ = -1;
};

} // namespace

void Taken::add(const Use& use, int need) { uses_[use.resource].emplace_back(use, need); }

int Taken::clash(const Use& use) const
{
    const auto found = uses_.find(use.resource);
    if (found != uses_.end())
        for (const auto& [other, need] : found->second)
            if (use.clashes(other))
                return need;
    return -1;
}

bool Taken::clashes(const std::vector<Use>& uses) const
{
    return std::any_of(uses.begin(), uses.end(), [this](const Use& use) { return clash(use) >= 0; });
}

Taken takenBy(const Device& device, const Plan& plan, int exceptNeed)
{
    Taken taken;
    for (size_t n = 0; n < plan.needs.size(); ++n)
        if (static_cast<int>(n) != exceptNeed)
            take(taken, device, plan.needs[n], plan.needs[n].binding, static_cast<int>(n));
    return taken;
}

void take(Taken& taken, const Device& device, const Need& need, const Binding& binding, int index)
{
    Need seated = need;
    seated.binding = binding;
    for (const Use& use : usesOf(device, seated, seatNeed(device, seated)))
        taken.add(use, index);
}

std::vector<int> padDemand(const Device& device, const Plan& plan, const Bindings& bindings)
{
    std::vector<int> demand(device.pads.size(), 0);
    for (size_t n = 0; n < plan.needs.size(); ++n) {
        const KindSpec* kind = findKind(plan.needs[n].kind);
        if (!kind || kind->instanceKind.empty() || kind->instanceKind == "*" || bindings.needs[n].state == BoundNeed::State::Bound)
            continue;
        for (const Route& route : device.routes)
            if (kind->servedBy(device.blockOf(route.instance).kind))
                ++demand[size_t(route.pad)];
    }
    return demand;
}

std::string boardObjection(const Device& device, const Board& board, int pad, int route)
{
    const Pad& facts = device.pads[size_t(pad)];
    const auto net = board.nets.find(facts.name);
    // A net on a pad stands for what is soldered there: the pad's own fixed function.
    if (net == board.nets.end() || (route >= 0 && device.routes[size_t(route)].mechanism == Route::Mechanism::Fixed))
        return {};
    return fmt::format("routed to {} on the board", net->second);
}

std::vector<Candidate> candidatesFor(const Device& device, const Board& board, const Plan& plan, const Need& need,
                                     const Taken& taken, const std::vector<int>& demand, std::size_t most)
{
    return Search(device, board, plan, need, taken, demand, most).run();
}

} // namespace bindrel
