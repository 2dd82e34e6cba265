// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/options.h"

#include "core/base/text.h"
#include "core/pins/candidates.h"

#include <fmt/format.h>

#include <algorithm>
#include <tuple>
#include <utility>

namespace bindrel {

namespace {

const SignalSpec* signalNamed(const BoundNeed& bound, std::string_view id)
{
    for (const Seat& seat : bound.seats)
        if (seat.signal.id == id)
            return &seat.signal;
    return nullptr;
}

std::string titleOf(const Plan& plan, const Claim& claim) { return plan.needs[size_t(claim.need)].title; }

/// Who clashes with the use that an option would make of anything but its pad, in words; empty when nobody does.
std::string clashText(const Device& device, const Plan& plan, const Taken& taken, const std::vector<Use>& uses)
{
    for (const Use& use : uses) {
        const int owner = use.resource.kind == Resource::Kind::Pad ? -1 : taken.clash(use);
        if (owner < 0)
            continue;
        const std::string& title = plan.needs[size_t(owner)].title;
        switch (use.resource.kind) {
        case Resource::Kind::Setting:
            return fmt::format("{} holds {} at another code", title, nameOf(device, use.resource));
        case Resource::Kind::Unit:
            return fmt::format("{} is something else for {}", nameOf(device, use.resource), title);
        default:
            return fmt::format("{} is taken by {}", nameOf(device, use.resource), title);
        }
    }
    return {};
}

void judge(Option& option, const Device& device, const Board& board, const Plan& plan, const Bindings& bindings, const Taken& taken, int need,
           const SignalSpec& signal)
{
    const BoundNeed& bound = bindings.needs[size_t(need)];
    const Need& self = plan.needs[size_t(need)];
    const Pad& pad = device.pads[size_t(option.pad)];
    const auto set = [&option](Option::Cost cost, std::string reason) {
        option.cost = cost;
        option.reason = std::move(reason);
    };
    const auto current = self.binding.pads.find(signal.id);
    if (current != self.binding.pads.end() && current->second == pad.name && option.instance == bound.instance)
        return set(Option::Cost::Current, "here now");
    if (plan.held(holdOfSignal(self.id, signal.id)) && current != self.binding.pads.end())
        return set(Option::Cost::Impossible, "the signal is held");
    if (plan.held(holdOfNeed(self.id)) && bound.state == BoundNeed::State::Bound)
        return set(Option::Cost::Impossible, "the need is held");
    if (const std::string objection = boardObjection(device, board, option.pad, option.route); !objection.empty())
        return set(Option::Cost::Impossible, objection);
    for (const Claim& claim : bindings.padClaims[size_t(option.pad)])
        if (claim.need != need) {
            const bool held = plan.held(holdOfNeed(plan.needs[size_t(claim.need)].id));
            return set(held ? Option::Cost::Impossible : Option::Cost::Contends,
                       fmt::format("{} by {}", held ? "held" : "taken", titleOf(plan, claim)));
        }
    std::vector<Use> uses;
    if (option.instance >= 0)
        useInstance(uses, device, self, option.instance);
    useSeat(uses, device, -1, signal, option.pad, option.route, option.channel);
    if (std::string clash = clashText(device, plan, taken, uses); !clash.empty())
        return set(Option::Cost::Contends, std::move(clash));
    if (bound.instance >= 0 && option.instance != bound.instance)
        return set(Option::Cost::Moves, fmt::format("moves the whole need to {}", device.instances[size_t(option.instance)].name));
    for (const Claim& claim : bindings.padClaims[size_t(option.pad)])
        if (claim.need == need)
            return set(Option::Cost::Contends, fmt::format("its own {} sits here", bound.seats[size_t(claim.seat)].signal.title));
    // The need's own other signals may lie in another remap set or group.
    if (option.route >= 0)
        for (const Seat& seat : bound.seats)
            if (seat.signal.id != signal.id && seat.route >= 0)
                if (std::string why = disagreement(device, device.routes[size_t(option.route)], device.routes[size_t(seat.route)]); !why.empty())
                    return set(Option::Cost::Moves, fmt::format("{}; its other signals move along", why));
    set(Option::Cost::Free, pad.resetClaim.empty() ? "free" : fmt::format("free, but {} at reset", pad.resetClaim));
}

} // namespace

std::vector<Option> optionsFor(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings, int need,
                               std::string_view signalId)
{
    std::vector<Option> out;
    const BoundNeed& bound = bindings.needs[size_t(need)];
    const SignalSpec* signal = signalNamed(bound, signalId);
    const KindSpec* kind = findKind(plan.needs[size_t(need)].kind);
    if (!signal || !kind)
        return out;
    const std::string wanted = kind->instanceGoal.empty() ? "" : goalText(plan.needs[size_t(need)], kind->instanceGoal);
    for (size_t p = 0; p < device.pads.size(); ++p) {
        const int pad = static_cast<int>(p);
        if (device.pinOf(pad).empty())
            continue;
        if (signal->pattern.empty()) {
            if (device.pads[p].port >= 0)
                out.push_back({pad, -1, -1, 0, {}, {}});
            continue;
        }
        for (const int r : device.pads[p].routes) {
            const Route& route = device.routes[size_t(r)];
            const Instance& instance = device.instances[size_t(route.instance)];
            const PatternMatch match = matchSignal(signal->pattern, instance.signals[size_t(route.signal)].name);
            if (kind->servedBy(device.blockOf(route.instance).kind) && (wanted.empty() || wanted == instance.name) && match.fits)
                out.push_back({pad, route.instance, r, match.channel, {}, {}});
        }
    }
    const Taken taken = takenBy(device, plan, need);
    for (Option& option : out)
        judge(option, device, board, plan, bindings, taken, need, *signal);
    // Several routes of one pad to one instance (lanes in other roles) are one option: the one that costs least.
    std::stable_sort(out.begin(), out.end(), [](const Option& a, const Option& b) { return std::tuple(a.pad, a.instance, a.cost) < std::tuple(b.pad, b.instance, b.cost); });
    out.erase(std::unique(out.begin(), out.end(), [](const Option& a, const Option& b) { return a.pad == b.pad && a.instance == b.instance; }), out.end());
    std::stable_sort(out.begin(), out.end(), [&](const Option& a, const Option& b) {
        if (a.cost != b.cost)
            return a.cost < b.cost;
        return naturalLess(device.pads[size_t(a.pad)].name, device.pads[size_t(b.pad)].name);
    });
    return out;
}

Edit takeOption(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings, int needIndex,
                std::string_view signal, const Option& option)
{
    const Need& need = plan.needs[size_t(needIndex)];
    const std::string instance = option.instance < 0 ? "" : device.instances[size_t(option.instance)].name;
    Binding binding = need.binding;
    // What sits already and agrees with the new pad stays where it is.
    bool agrees = binding.instance == instance;
    for (const Seat& seat : bindings.needs[size_t(needIndex)].seats)
        agrees = agrees && (option.route < 0 || seat.route < 0 || seat.signal.id == signal || agree(device, device.routes[size_t(option.route)], device.routes[size_t(seat.route)]));
    if (!agrees) {
        // The need moves: find the best pads there with this one given, else leave the others open.
        Plan trial = plan;
        Need& moved = trial.needs[size_t(needIndex)];
        moved.binding = {};
        moved.binding.instance = instance;
        moved.binding.pads[std::string(signal)] = device.pads[size_t(option.pad)].name;
        trial.holds.insert(holdOfSignal(need.id, signal));
        trial.holds.insert(holdOfNeed(need.id));
        const std::vector<int> demand = padDemand(device, plan, bindings);
        const std::vector<Candidate> found =
            candidatesFor(device, board, trial, moved, takenBy(device, trial, needIndex), demand, 1);
        binding = found.empty() ? moved.binding : found.front().binding;
    } else {
        binding.pads[std::string(signal)] = device.pads[size_t(option.pad)].name;
    }
    return editOf(fmt::format("Put {} {} on {}", need.title, signal, device.pads[size_t(option.pad)].name), SetBinding{need.id, binding});
}

namespace {

constexpr std::size_t kMaxSteps = 200'000;
constexpr std::size_t kWaysPerNeed = 48;

Problem nothingFree(const Device& device, const Need& need)
{
    const KindSpec* kind = findKind(need.kind);
    std::vector<std::string> names;
    for (const Instance& instance : device.instances)
        if (kind && kind->servedBy(device.blocks[size_t(instance.block)].kind))
            names.push_back(instance.name);
    if (kind && kind->instanceKind.empty())
        return problemOf(fmt::format("{} finds no free pad. Free one, or let one go that is held.", need.title));
    if (names.empty())
        return problemOf(fmt::format("{} has nothing on {} that could serve a {} need.", need.title, device.name, kind ? kind->title : need.kind));
    return problemOf(fmt::format("{} cannot be bound without moving another need: no free one of {} has free pads for all its "
                                 "signals. Press Space on a signal to see who has them.", need.title, listed(names)));
}

/// Depth-first over the needs that are open, those with the fewest ways first.
class Joint {
public:
    Joint(const Device& device, const Board& board, const Plan& plan) : device_(device), board_(board), plan_(plan)
    {
        const Bindings bindings = bind(device, plan);
        demand_ = padDemand(device, plan, bindings);
        for (size_t n = 0; n < plan.needs.size(); ++n) {
            if (bindings.needs[n].state == BoundNeed::State::Open)
                open_.push_back(static_cast<int>(n));
            else
                take(taken_, device, plan.needs[n], plan.needs[n].binding, static_cast<int>(n));
        }
    }

    Expected<Edit> run()
    {
        Edit edit{open_.size() == 1 ? "Bind " + plan_.needs[size_t(open_.front())].title : fmt::format("Bind {} open needs", open_.size()), {}};
        if (!place(open_, taken_))
            return stuck_ >= 0 ? nothingFree(device_, plan_.needs[size_t(stuck_)]) : problemOf("no need is open.");
        for (const int n : open_)
            edit.changes.push_back(SetBinding{plan_.needs[size_t(n)].id, chosen_[n]});
        return edit;
    }

private:
    bool place(std::vector<int> rest, const Taken& taken)
    {
        if (rest.empty())
            return true;
        if (++steps_ > kMaxSteps)
            return false;
        // The need with the fewest ways left decides soonest whether this branch can work.
        std::vector<Candidate> best;
        std::size_t bestAt = 0;
        for (std::size_t i = 0; i < rest.size(); ++i) {
            std::vector<Candidate> ways = candidatesFor(device_, board_, plan_, plan_.needs[size_t(rest[i])], taken, demand_, kWaysPerNeed);
            if (ways.empty()) {
                stuck_ = rest[i];
                return false;
            }
            if (best.empty() || ways.size() < best.size()) {
                best = std::move(ways);
                bestAt = i;
            }
        }
        const int need = rest[bestAt];
        rest.erase(rest.begin() + static_cast<std::ptrdiff_t>(bestAt));
        for (const Candidate& way : best) {
            Taken with = taken;
            take(with, device_, plan_.needs[size_t(need)], way.binding, need);
            chosen_[need] = way.binding;
            const Binding before = std::exchange(plan_.needs[size_t(need)].binding, way.binding);
            if (place(rest, with))
                return true;
            plan_.needs[size_t(need)].binding = before;
            if (steps_ > kMaxSteps)
                return false;
        }
        return false;
    }

    const Device& device_;
    const Board& board_;
    Plan plan_; ///< with what has been chosen so far, so that a part's pads come to lie together
    std::vector<int> open_;
    Taken taken_;
    std::vector<int> demand_;
    std::map<int, Binding> chosen_;
    std::size_t steps_ = 0;
    int stuck_ = -1;
};

} // namespace

Expected<Edit> bindNeed(const Device& device, const Board& board, const Plan& plan, std::string_view id)
{
    const Bindings bindings = bind(device, plan);
    for (size_t n = 0; n < plan.needs.size(); ++n) {
        const Need& need = plan.needs[n];
        if (need.id != id)
            continue;
        const int index = static_cast<int>(n);
        std::vector<Candidate> ways = candidatesFor(device, board, plan, need, takenBy(device, plan, index), padDemand(device, plan, bindings), 1);
        if (ways.empty())
            return nothingFree(device, need);
        const Binding& best = ways.front().binding;
        return editOf(fmt::format("Bind {}{}", need.title, best.instance.empty() ? "" : " to " + best.instance), SetBinding{need.id, best});
    }
    return problemOf(fmt::format("the plan has no need \"{}\".", id));
}

Expected<Edit> bindAllOpen(const Device& device, const Board& board, const Plan& plan) { return Joint(device, board, plan).run(); }

} // namespace bindrel
