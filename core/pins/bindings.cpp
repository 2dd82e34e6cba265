// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/bindings.h"

#include "core/base/say.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace bindrel {

namespace {

/// A seat with its pad, and the routes by which the pad could carry the signal.
struct OpenSeat {
    Seat seat;
    std::vector<RouteMatch> routes;
};

OpenSeat takeSeat(const Device& device, const BoundNeed& bound, const SignalSpec& signal, const std::string& padName,
                  const std::string& via)
{
    OpenSeat open;
    Seat& seat = open.seat;
    seat.signal = signal;
    if (padName.empty())
        return open;
    seat.pad = device.findPad(padName);
    if (seat.pad < 0) {
        seat.impossible = say("{} is not a pad of {}", padName, device.name);
        return open;
    }
    if (device.pinOf(seat.pad).empty()) {
        seat.impossible = say("{} is not connected in package {}", padName, device.package.name);
        return open;
    }
    if (signal.pattern.empty()) {
        const Pad& pad = device.pads[seat.pad];
        if (pad.port < 0)
            seat.impossible = say("{} is not on a port", padName);
        else if (signal.line && !device.linesInPorts && (pad.line < 0 || device.lineInstance < 0))
            seat.impossible = say("{} has no interrupt line", padName);
        return open;
    }
    if (bound.instance < 0) {
        seat.impossible = say("no instance is chosen");
        return open;
    }
    open.routes = routesFor(device, bound.instance, signal, seat.pad);
    const Instance& instance = device.instances[bound.instance];
    if (open.routes.empty())
        seat.impossible = say("{} cannot carry {} of {}", padName, say(signal.title), instance.name);
    else if (!via.empty()) {
        std::erase_if(open.routes, [&](const RouteMatch& match) {
            return instance.signals[size_t(device.routes[match.route].signal)].name != via;
        });
        if (open.routes.empty())
            seat.impossible = say("{} of {} does not lead to {} as {}", via, instance.name, padName, say(signal.title));
    }
    return open;
}

/// Picks a route for each seat so that all agree; the first ways that work, in the order of the device file.
class RoutePicker {
public:
    RoutePicker(const Device& device, std::vector<OpenSeat>& seats) : device_(device), seats_(seats) {}

    void run()
    {
        if (descend(0))
            return;
        // No way for all: each takes its first, and who disagrees with one before it says so.
        for (size_t s = 0; s < seats_.size(); ++s) {
            take(s, 0);
            for (size_t other = 0; other < s && seats_[s].seat.impossible.empty(); ++other)
                seats_[s].seat.impossible = objection(s, other);
        }
    }

private:
    void take(size_t s, size_t way)
    {
        if (seats_[s].routes.empty())
            return;
        seats_[s].seat.route = seats_[s].routes[way].route;
        seats_[s].seat.channel = seats_[s].routes[way].channel;
    }

    std::string objection(size_t s, size_t other) const
    {
        const Seat& a = seats_[s].seat;
        const Seat& b = seats_[other].seat;
        if (a.route < 0 || b.route < 0)
            return {};
        if (a.signal.channel >= 0 && b.signal.channel >= 0) {
            // Outputs of one pair on one channel, different outputs on different ones.
            const bool same = a.signal.channel == b.signal.channel;
            if (same != (a.channel == b.channel))
                return same ? say("{} and {} must be outputs of the same channel", say(a.signal.title),
                                  say(b.signal.title))
                            : say("{} and {} are on the same channel", say(a.signal.title), say(b.signal.title));
        }
        // Two signals on one pad contend for it; that says enough.
        return a.pad == b.pad ? std::string() : disagreement(device_, device_.routes[a.route], device_.routes[b.route]);
    }

    bool descend(size_t s)
    {
        if (s == seats_.size())
            return true;
        if (seats_[s].routes.empty())
            return descend(s + 1);
        for (size_t way = 0; way < seats_[s].routes.size(); ++way) {
            if (++trials_ > kMaxTrials)
                return false;
            take(s, way);
            bool fits = true;
            for (size_t other = 0; other < s && fits; ++other)
                fits = objection(s, other).empty();
            if (fits && descend(s + 1))
                return true;
        }
        return false;
    }

    static constexpr int kMaxTrials = 5000;
    const Device& device_;
    std::vector<OpenSeat>& seats_;
    int trials_ = 0;
};

Stream takeStream(const Device& device, const BoundNeed& bound, const std::string& request, const Binding& binding)
{
    Stream stream;
    stream.request = request;
    const auto said = binding.dma.find(request);
    if (said == binding.dma.end())
        return stream;
    stream.channel = said->second;
    if (bound.instance < 0) {
        stream.impossible = say("no instance is chosen");
        return stream;
    }
    const Instance& instance = device.instances[bound.instance];
    const auto links = instance.dma.find(request);
    if (links == instance.dma.end())
        stream.impossible = say("{} has no DMA request for {}", instance.name, request);
    else if (std::none_of(links->second.begin(), links->second.end(),
                          [&](const DmaLink& link) { return link.channel == stream.channel; }))
        stream.impossible = say("DMA channel {} cannot serve {}.{}", stream.channel, instance.name, request);
    return stream;
}

/// The instance that stands for a unit; -1 for one that stands for itself.
int firstOfUnit(const Device& device, InstanceIndex instance)
{
    const std::string& unit = device.instances[instance].unit;
    if (unit.empty())
        return -1;
    const auto at = std::find_if(device.instances.begin(), device.instances.end(),
                                 [&unit](const Instance& i) { return i.unit == unit; });
    return static_cast<int>(at - device.instances.begin());
}

/// Whether another contest tells it already: two needs on one pad also meet on its line and its mux fields.
bool saidElsewhere(const Device& device, const Bindings& out, const Contest& contest)
{
    const auto seatOf = [&](const Claim& claim) -> const Seat* {
        return claim.seat < 0 ? nullptr : &out.needs[claim.need].seats[size_t(claim.seat)];
    };
    const auto padOf = [&](const Claim& claim) { return seatOf(claim) ? seatOf(claim)->pad : PadIndex(); };
    const auto instanceOf = [&](const Claim& claim) { return out.needs[claim.need].instance; };
    const auto same = [&](auto value) {
        return std::all_of(contest.claims.begin(), contest.claims.end(),
                           [&](const Claim& c) { return value(c) >= 0 && value(c) == value(contest.claims.front()); });
    };
    const auto unitOf = [&](const Claim& claim) {
        const InstanceIndex instance = instanceOf(claim);
        return instance < 0 ? -1 : firstOfUnit(device, instance);
    };
    switch (contest.resource.kind) {
    case Resource::Kind::Pad:
    case Resource::Kind::Instance:
    case Resource::Kind::Unit:
    case Resource::Kind::Dma:
        return false;
    case Resource::Kind::Line:
    case Resource::Kind::Exclusive:
        return same(padOf);
    case Resource::Kind::Channel:
        return same(padOf) || !out.needs[contest.claims.front().need].shared;
    case Resource::Kind::Setting:
        return same(padOf) || same(unitOf) || (same(instanceOf) && !out.needs[contest.claims.front().need].shared);
    }
    return false;
}

} // namespace

BoundNeed seatNeed(const Device& device, const Need& need)
{
    BoundNeed bound;
    bound.instance = need.binding.instance.empty() ? InstanceIndex() : device.findInstance(need.binding.instance);
    std::vector<OpenSeat> seats;
    for (const SignalSpec& signal : signalsOf(need)) {
        const auto pad = need.binding.pads.find(signal.id);
        const auto via = need.binding.via.find(signal.id);
        seats.push_back(takeSeat(device, bound, signal, pad == need.binding.pads.end() ? "" : pad->second,
                                 via == need.binding.via.end() ? "" : via->second));
    }
    RoutePicker(device, seats).run();
    for (OpenSeat& open : seats)
        bound.seats.push_back(std::move(open.seat));
    for (const std::string& request : requestsOf(need))
        bound.streams.push_back(takeStream(device, bound, request, need.binding));
    return bound;
}

void useInstance(std::vector<Use>& out, const Device& device, const Need& need, InstanceIndex instance)
{
    const Instance& facts = device.instances[instance];
    const KindSpec* kind = findKind(need.kind);
    out.push_back(
        {{Resource::Kind::Instance, instance}, kind && kind->sharedAs ? kind->sharedAs(need) : std::string(), -1});
    if (!facts.unit.empty()) {
        out.push_back({{Resource::Kind::Unit, firstOfUnit(device, instance)}, facts.name, -1});
    }
    for (const FieldCode& select : facts.selects)
        out.push_back({{Resource::Kind::Setting, device.muxField(select.ref)}, std::to_string(select.code), -1});
}

void useSeat(std::vector<Use>& out, const Device& device, int seat, const SignalSpec& signal, PadIndex pad,
             RouteIndex route, int channel)
{
    out.push_back({{Resource::Kind::Pad, pad}, {}, seat});
    const Pad& facts = device.pads[pad];
    if (signal.line && device.lineInstance >= 0)
        out.push_back({{Resource::Kind::Line, facts.line}, {}, seat});
    if (route < 0)
        return;
    const Route& way = device.routes[route];
    for (const FieldCode& select : way.selects)
        if (!facts.isPickedBy(select.ref))
            out.push_back({{Resource::Kind::Setting, device.muxField(select.ref)}, std::to_string(select.code), seat});
    if (channel > 0 || signal.channel >= 0)
        // A pair's two outputs are one channel: they share it within their need, and with no other.
        out.push_back({{Resource::Kind::Channel, way.instance * 256 + channel}, {}, seat});
    for (size_t e = 0; e < device.exclusives.size(); ++e)
        for (const auto& [instance, index] : device.exclusives[e].signals)
            if (instance == way.instance && index == way.signal)
                out.push_back({{Resource::Kind::Exclusive, static_cast<int>(e)}, {}, seat});
}

std::vector<Use> usesOf(const Device& device, const Need& need, const BoundNeed& bound)
{
    std::vector<Use> out;
    if (bound.instance >= 0)
        useInstance(out, device, need, bound.instance);
    for (size_t s = 0; s < bound.seats.size(); ++s)
        if (const Seat& seat = bound.seats[s]; seat.pad >= 0)
            useSeat(out, device, static_cast<int>(s), seat.signal, seat.pad, seat.route, seat.channel);
    for (const Stream& stream : bound.streams)
        if (stream.channel >= 0)
            out.push_back({{Resource::Kind::Dma, stream.channel}, {}, -1});
    return out;
}

Bindings bind(const Device& device, const Plan& plan)
{
    Bindings out;
    out.padClaims.resize(device.pads.size());
    std::map<Resource, std::vector<std::pair<Claim, Use>>> claims;
    for (const NeedIndex n : plan.needs.indices()) {
        const Need& need = plan.needs[n];
        const KindSpec* kind = findKind(need.kind);
        BoundNeed bound = seatNeed(device, need);
        bool complete = kind && (kind->instanceKind.empty() || bound.instance >= 0);
        for (const Seat& seat : bound.seats)
            complete = complete && seat.pad >= 0 && seat.impossible.empty();
        for (const Stream& stream : bound.streams)
            complete = complete && stream.channel >= 0 && stream.impossible.empty();
        const int index = static_cast<int>(n);
        for (const Use& use : usesOf(device, need, bound)) {
            const Claim claim{index, use.seat};
            if (use.resource.kind == Resource::Kind::Pad)
                out.padClaims[PadIndex(use.resource.index)].push_back(claim);
            claims[use.resource].emplace_back(claim, use);
        }
        bound.state = complete ? BoundNeed::State::Bound : BoundNeed::State::Open;
        out.needs.push_back(std::move(bound));
    }
    // Who shares an instance must be known before anything is judged that depends on it.
    std::vector<Contest> found;
    for (const auto& [resource, who] : claims) {
        bool clash = false;
        bool several = false;
        for (size_t a = 0; a < who.size(); ++a)
            for (size_t b = a + 1; b < who.size(); ++b) {
                const bool sameNeed = who[a].first.need == who[b].first.need;
                several = several || !sameNeed;
                // Within a need, what its signals share is judged where their routes are picked.
                clash = clash ||
                        (who[a].second.clashes(who[b].second) &&
                         (!sameNeed || resource.kind == Resource::Kind::Pad || resource.kind == Resource::Kind::Dma));
            }
        if (resource.kind == Resource::Kind::Instance && several && !clash)
            for (const auto& [claim, use] : who)
                out.needs[claim.need].shared = true;
        if (!clash)
            continue;
        Contest contest{resource, {}, {}};
        for (const auto& [claim, use] : who) {
            contest.claims.push_back(claim);
            contest.as.push_back(use.as);
        }
        found.push_back(std::move(contest));
    }
    for (Contest& contest : found) {
        if (saidElsewhere(device, out, contest))
            continue;
        for (const Claim& claim : contest.claims)
            out.needs[claim.need].state = BoundNeed::State::Contested;
        out.contests.push_back(std::move(contest));
    }
    return out;
}

int Bindings::count(BoundNeed::State state) const
{
    return static_cast<int>(
        std::count_if(needs.begin(), needs.end(), [state](const BoundNeed& n) { return n.state == state; }));
}

std::string nameOf(const Device& device, const Resource& resource)
{
    switch (resource.kind) {
    case Resource::Kind::Pad:
        return device.pads[PadIndex(resource.index)].name;
    case Resource::Kind::Instance:
        return device.instances[InstanceIndex(resource.index)].name;
    case Resource::Kind::Unit:
        return device.instances[InstanceIndex(resource.index)].unit;
    case Resource::Kind::Setting:
        return device.nameOf(device.muxFields[size_t(resource.index)]);
    case Resource::Kind::Channel:
        return say("channel {} of {}", resource.index % 256,
                   device.instances[InstanceIndex(resource.index / 256)].name);
    case Resource::Kind::Exclusive:
        return device.exclusives[size_t(resource.index)].name;
    case Resource::Kind::Dma:
        return say("DMA channel {}", resource.index);
    case Resource::Kind::Line:
        break;
    }
    return say("interrupt line {}", resource.index);
}

} // namespace bindrel
