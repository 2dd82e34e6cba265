// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/options.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/pins/placement_words.h"
#include "core/pins/taken.h"
#include "core/pins/wishes.h"

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

std::string titleOf(const Plan& plan, const Claim& claim)
{
    return plan.needs[claim.need].title;
}

/// Who clashes with the use that an option would make of anything but its pad, in words; empty when nobody does.
std::string clashText(const Device& device, const Plan& plan, const Taken& taken, const std::vector<Use>& uses)
{
    for (const Use& use : uses) {
        const NeedIndex owner = use.resource.kind == Resource::Kind::Pad ? -1 : taken.clash(use);
        if (owner < 0)
            continue;
        const std::string& title = plan.needs[owner].title;
        switch (use.resource.kind) {
        case Resource::Kind::Setting:
            return say("{} needs another value in {}", title, nameOf(device, use.resource));
        case Resource::Kind::Unit:
            return say("{} is in another mode for {}", nameOf(device, use.resource), title);
        default:
            return say("{} is used by {}", nameOf(device, use.resource), title);
        }
    }
    return {};
}

void judge(Option& option, const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
           const Taken& taken, NeedIndex need, const SignalSpec& signal)
{
    const BoundNeed& bound = bindings.needs[need];
    const Need& self = plan.needs[need];
    const Pad& pad = device.pads[option.pad];
    const auto set = [&option](Option::Cost cost, std::string reason) {
        option.cost = cost;
        option.reason = std::move(reason);
    };
    const auto current = self.binding.pads.find(signal.id);
    const auto own = std::find_if(bound.seats.begin(), bound.seats.end(),
                                  [&signal](const Seat& s) { return s.signal.id == signal.id; });
    if (current != self.binding.pads.end() && current->second == pad.name && option.instance == bound.instance &&
        (own == bound.seats.end() || own->channel == option.channel))
        return set(Option::Cost::Current, say("here now"));
    if (plan.held(holdOfSignal(self.id, signal.id)) && current != self.binding.pads.end())
        return set(Option::Cost::Impossible, say("the signal is held"));
    if (plan.held(holdOfNeed(self.id)) && bound.state == BoundNeed::State::Bound)
        return set(Option::Cost::Impossible, say("the need is held"));
    if (const std::string objection =
            boardObjection(device, board, option.pad, option.route, self, netOf(self, signal.id));
        !objection.empty())
        return set(Option::Cost::Impossible, objection);
    for (const Claim& claim : bindings.padClaims[option.pad])
        if (claim.need != need) {
            const bool held = plan.held(holdOfNeed(plan.needs[claim.need].id));
            option.taken = !held;
            return set(held ? Option::Cost::Impossible : Option::Cost::Contends,
                       say("{} by {}", held ? "held" : "taken", titleOf(plan, claim)));
        }
    std::vector<Use> uses;
    if (option.instance >= 0)
        useInstance(uses, device, self, option.instance);
    useSeat(uses, device, -1, signal, option.pad, option.route, option.channel);
    if (std::string clash = clashText(device, plan, taken, uses); !clash.empty()) {
        option.taken = true;
        return set(Option::Cost::Contends, std::move(clash));
    }
    if (bound.instance >= 0 && option.instance != bound.instance)
        return set(Option::Cost::Moves, say("moves the whole need to {}", device.instances[option.instance].name));
    for (const Claim& claim : bindings.padClaims[option.pad])
        if (claim.need == need && bound.seats[size_t(claim.seat)].signal.id != signal.id)
            return set(Option::Cost::Contends,
                       say("its own {} is here", say(bound.seats[size_t(claim.seat)].signal.title)));
    // The need's own other signals may lie in another remap set or group.
    if (option.route >= 0)
        for (const Seat& seat : bound.seats)
            if (seat.signal.id != signal.id && seat.route >= 0)
                if (std::string why = disagreement(device, device.routes[option.route], device.routes[seat.route]);
                    !why.empty())
                    return set(Option::Cost::Moves, say("{}; its other signals move along", why));
    set(Option::Cost::Free, pad.resetClaim.empty() ? "free" : say("free, but {} after reset", pad.resetClaim));
}

/// What the board's layout asks for, pad by pad for one signal while the others stay.
class AskedOfPads {
public:
    AskedOfPads(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings)
        : device_(device), bindings_(bindings), places_(device), wishes_(resolveWishes(device, board, plan).wishes)
    {
    }

    void judge(Option& option, NeedIndex need, const std::string& signal) const
    {
        std::vector<std::string> broken;
        std::string asItStands; // what follows from where parts stand; nobody has stated it
        bool rule = false;
        int count = 0;
        for (const ResolvedWish& wish : wishes_) {
            if (!breaks(wish, option, need, signal))
                continue;
            ++count;
            rule = rule || wish.rule;
            if (!wish.stands)
                broken.push_back(wish.text);
            else
                asItStands += wish.wish.kind == Wish::Kind::Side ? say("; away from its part")
                                                                 : say("; across another part's track");
        }
        if (count == 0 || option.cost == Option::Cost::Impossible)
            return;
        option.wishes = count;
        option.reason += asItStands;
        if (!broken.empty())
            option.reason += say("; breaks \"{}\"", joined(broken, "\", \""));
        if (rule && option.cost != Option::Cost::Current)
            option.cost = Option::Cost::Impossible;
    }

private:
    bool breaks(const ResolvedWish& wish, const Option& option, NeedIndex need, const std::string& signal) const
    {
        const auto isIt = [&](const WishedSignal& known) { return known.need == need && known.signal == signal; };
        const bool named = std::any_of(wish.signals.begin(), wish.signals.end(), isIt);
        if (!named && wish.wish.kind != Wish::Kind::KeepFree)
            return false;
        if (wish.isSingle())
            return wish.breaks(device_, places_, option.pad);
        std::vector<PadIndex> pads;
        std::vector<InstanceIndex> instances;
        for (const WishedSignal& known : wish.signals) {
            const BoundNeed& bound = bindings_.needs[known.need];
            PadIndex pad = -1;
            for (const Seat& seat : bound.seats)
                if (seat.signal.id == known.signal)
                    pad = seat.pad;
            pads.push_back(isIt(known) ? option.pad : pad);
            instances.push_back(known.need == need ? option.instance : bound.instance);
        }
        const std::vector<BrokenAt> broken = brokenAt(places_, wish, pads, instances);
        return std::any_of(broken.begin(), broken.end(), [&](const BrokenAt& at) {
            return isIt(wish.signals[size_t(at.at)]) || (at.other >= 0 && isIt(wish.signals[size_t(at.other)]));
        });
    }

    const Device& device_;
    const Bindings& bindings_;
    PadPlaces places_;
    std::vector<ResolvedWish> wishes_;
};

} // namespace

std::vector<Option> optionsFor(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                               NeedIndex need, std::string_view signalId)
{
    std::vector<Option> out;
    const BoundNeed& bound = bindings.needs[need];
    const SignalSpec* signal = signalNamed(bound, signalId);
    const KindSpec* kind = findKind(plan.needs[need].kind);
    if (!signal || !kind)
        return out;
    const std::string wanted = kind->instanceGoal.empty() ? "" : goalName(plan.needs[need], kind->instanceGoal);
    for (const PadIndex p : device.pads.indices()) {
        const PadIndex pad = static_cast<int>(p);
        if (device.pinOf(pad).empty())
            continue;
        if (signal->pattern.empty()) {
            if (device.pads[p].port >= 0)
                out.push_back({pad, -1, -1, 0, {}, {}});
            continue;
        }
        for (const RouteIndex r : device.pads[p].routes) {
            const Route& route = device.routes[r];
            const Instance& instance = device.instances[route.instance];
            const PatternMatch match = matchSignal(signal->pattern, instance.signals[size_t(route.signal)].name);
            if (kind->servedBy(device, route.instance) && (wanted.empty() || wanted == instance.name) && match.fits)
                out.push_back({pad, route.instance, r, match.channel, {}, {}});
        }
    }
    const Taken taken = takenBy(device, plan, need);
    const std::optional<AskedOfPads> asked =
        asksAnything(board) ? std::optional<AskedOfPads>(std::in_place, device, board, plan, bindings) : std::nullopt;
    for (Option& option : out) {
        judge(option, device, board, plan, bindings, taken, need, *signal);
        if (asked)
            asked->judge(option, need, signal->id);
    }
    // Several routes of one pad to one instance (lanes in other roles) are one option: the one that costs least.
    std::stable_sort(out.begin(), out.end(), [](const Option& a, const Option& b) {
        return std::tuple(a.pad, a.instance, a.channel, a.cost) < std::tuple(b.pad, b.instance, b.channel, b.cost);
    });
    out.erase(std::unique(out.begin(), out.end(),
                          [](const Option& a, const Option& b) {
                              return a.pad == b.pad && a.instance == b.instance && a.channel == b.channel;
                          }),
              out.end());
    std::stable_sort(out.begin(), out.end(), [&](const Option& a, const Option& b) {
        if (std::pair(a.cost, a.wishes) != std::pair(b.cost, b.wishes))
            return std::pair(a.cost, a.wishes) < std::pair(b.cost, b.wishes);
        return naturalLess(device.pads[a.pad].name, device.pads[b.pad].name);
    });
    return out;
}

namespace {

/// Puts the signal on the option's pad; by its channel too, where the pad alone would mean another one.
void sitBy(const Device& device, Need& need, std::string_view signal, const Option& option)
{
    const std::string id(signal);
    need.binding.pads[id] = device.pads[option.pad].name;
    need.binding.via.erase(id);
    if (option.route < 0)
        return;
    const BoundNeed bound = seatNeed(device, need);
    for (const Seat& seat : bound.seats)
        if (seat.signal.id == signal && seat.channel != option.channel)
            need.binding.via[id] =
                device.instances[option.instance].signals[size_t(device.routes[option.route].signal)].name;
}

} // namespace

Edit takeOption(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                NeedIndex needIndex, std::string_view signal, const Option& option)
{
    const Need& need = plan.needs[needIndex];
    const std::string instance = option.instance < 0 ? "" : device.instances[option.instance].name;
    Binding binding = need.binding;
    // What sits already and agrees with the new pad stays where it is.
    bool agrees = binding.instance == instance;
    for (const Seat& seat : bindings.needs[needIndex].seats)
        agrees = agrees && (option.route < 0 || seat.route < 0 || seat.signal.id == signal ||
                            agree(device, device.routes[option.route], device.routes[seat.route]));
    if (!agrees) {
        // The need moves: find the best pads there with this one given, else leave the others open.
        Plan trial = plan;
        Need& moved = trial.needs[needIndex];
        moved.binding = {};
        moved.binding.instance = instance;
        sitBy(device, moved, signal, option);
        trial.holds.insert(holdOfSignal(need.id, signal));
        trial.holds.insert(holdOfNeed(need.id));
        PlacementRequest request;
        request.needs = {needIndex};
        const PlacementResult found = place(device, board, trial, request);
        binding = moved.binding;
        if (!found.ways.empty() && !found.ways.front().bindings.empty())
            binding = found.ways.front().bindings.front().second;
    } else {
        Need seated = need;
        sitBy(device, seated, signal, option);
        binding = seated.binding;
    }
    return editOf(say("Put {} {} on {}", need.title, signal, device.pads[option.pad].name),
                  SetBinding{need.id, binding});
}

Expected<Edit> bindNeed(const Device& device, const Board& board, const Plan& plan, std::string_view id)
{
    for (const NeedIndex n : plan.needs.indices()) {
        const Need& need = plan.needs[n];
        if (need.id != id)
            continue;
        PlacementRequest request;
        request.needs = {static_cast<int>(n)};
        const PlacementResult result = place(device, board, plan, request);
        if (result.ways.empty())
            return noRoom(device, plan, result, request.needs);
        Edit edit = editOfPlacement(plan, result.ways.front(), {});
        const std::string instance = result.ways.front().bindings.empty()
                                         ? need.binding.instance
                                         : result.ways.front().bindings.front().second.instance;
        edit.title = say("Bind {}{}", need.title, instance.empty() ? "" : say(" to {}", instance));
        // Also what stays as it is can be asked for; the edit then says so by being the same.
        if (edit.changes.empty())
            edit.changes.push_back(SetBinding{need.id, need.binding});
        return edit;
    }
    return problemOf(say("the plan has no need \"{}\".", id));
}

Expected<Room> makeRoom(const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                        NeedIndex needIndex, std::string_view signal, const Option& option,
                        const std::function<bool()>& cancelled)
{
    const Need& need = plan.needs[needIndex];
    const Edit take = takeOption(device, board, plan, bindings, needIndex, signal, option);
    Expected<Plan> trial = applied(plan, take);
    if (!trial)
        return trial.problem();
    trial->holds.insert(holdOfSignal(need.id, signal));
    PlacementRequest request;
    request.needs = {needIndex};
    request.mayMove = true;
    request.leaveContests = true;
    request.cancelled = cancelled;
    const PlacementResult found = place(device, board, *trial, request);
    if (found.ways.empty())
        return noRoom(device, plan, found, request.needs);
    Plan after = plan;
    after.need(need.id)->binding = trial->need(need.id)->binding;
    for (const auto& [moved, binding] : found.ways.front().bindings)
        after.needs[moved].binding = binding;
    Room room;
    room.cost = found.ways.front().cost;
    room.proven = found.proven;
    room.edit =
        difference(plan, after, say("Make room for {} {} on {}", need.title, signal, device.pads[option.pad].name));
    for (const NeedIndex n : plan.needs.indices()) {
        if (after.needs[n].binding == plan.needs[n].binding)
            continue;
        const std::string line = describe(plan, SetBinding{plan.needs[n].id, after.needs[n].binding});
        if (static_cast<int>(n) == needIndex) {
            room.moves.insert(room.moves.begin(), line);
        } else {
            room.moves.push_back(line);
            room.others.push_back(plan.needs[n].title);
        }
    }
    return room;
}

void priceOption(Option& option, const Device& device, const Board& board, const Plan& plan, const Bindings& bindings,
                 NeedIndex need, std::string_view signal, const std::function<bool()>& cancelled)
{
    if (option.cost != Option::Cost::Contends)
        return;
    const Expected<Room> room = makeRoom(device, board, plan, bindings, need, signal, option, cancelled);
    if (!room) {
        option.cost = Option::Cost::Impossible;
        option.reason += say(", and nothing can be moved away");
        return;
    }
    option.cost = Option::Cost::Room;
    option.others = static_cast<int>(room->others.size());
    if (room->others.empty())
        option.reason += say("; its own other signals move");
    else
        option.reason += room->others.size() == 1 ? say("; {} moves", room->others.front())
                                                  : say("; {} needs move", room->others.size());
}

std::vector<InstanceOption> instanceOptions(const Device& device, const Board& board, const Plan& plan,
                                            NeedIndex needIndex, const std::function<bool()>& cancelled)
{
    std::vector<InstanceOption> out;
    const Need& need = plan.needs[needIndex];
    const KindSpec* kind = findKind(need.kind);
    if (!kind || kind->instanceKind.empty())
        return out;
    const std::string wanted = kind->instanceGoal.empty() ? "" : goalName(need, kind->instanceGoal);
    for (const InstanceIndex i : device.instances.indices()) {
        const std::string& name = device.instances[i].name;
        if (!kind->servedBy(device, static_cast<int>(i)) || (!wanted.empty() && wanted != name))
            continue;
        InstanceOption option;
        option.instance = static_cast<int>(i);
        out.push_back(option);
        InstanceOption& now = out.back();
        if (need.binding.instance == name) {
            now.cost = Option::Cost::Current;
            now.reason = say("here now");
            continue;
        }
        if (plan.held(holdOfNeed(need.id)) && !need.binding.instance.empty()) {
            now.cost = Option::Cost::Impossible;
            now.reason = say("the need is held");
            continue;
        }
        // Held to the instance, and to nothing else: the pads of the old one are of no use.
        Plan trial = plan;
        trial.needs[needIndex].binding = {};
        trial.needs[needIndex].binding.instance = name;
        trial.holds.insert(holdOfNeed(need.id));
        PlacementRequest request;
        request.needs = {needIndex};
        request.leaveContests = true;
        request.cancelled = cancelled;
        PlacementResult found = place(device, board, trial, request);
        if (found.ways.empty()) {
            request.mayMove = true;
            found = place(device, board, trial, request);
        }
        if (found.ways.empty()) {
            now.cost = Option::Cost::Impossible;
            std::vector<std::string> names;
            for (const NeedIndex culprit : found.culprits)
                if (culprit != needIndex)
                    names.push_back(plan.needs[culprit].title);
            now.reason = found.cancelled ? say("not looked at")
                         : names.empty() ? say("not all its signals reach free pads")
                                         : listed(names) + (names.size() == 1 ? say(" blocks it") : say(" block it"));
            continue;
        }
        Plan after = plan;
        after.needs[needIndex].binding = trial.needs[needIndex].binding;
        for (const auto& [moved, binding] : found.ways.front().bindings)
            after.needs[moved].binding = binding;
        std::vector<std::string> others;
        for (const NeedIndex n : plan.needs.indices())
            if (static_cast<int>(n) != needIndex && after.needs[n].binding != plan.needs[n].binding)
                others.push_back(plan.needs[n].title);
        now.cost = others.empty() ? Option::Cost::Free : Option::Cost::Room;
        now.reason = others.empty()       ? "free"
                     : others.size() == 1 ? others.front() + say(" moves")
                                          : say("{} needs move", others.size());
        now.edit = difference(plan, after, say("Put {} on {}", need.title, name));
    }
    return out;
}

} // namespace bindrel
