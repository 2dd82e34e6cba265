// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/bindings.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <map>

namespace bindrel {

PatternMatch matchSignal(std::string_view pattern, std::string_view signal)
{
    const size_t hole = pattern.find('#');
    if (hole == std::string_view::npos)
        return {pattern == signal, 0};
    const std::string_view tail = pattern.substr(hole + 1);
    if (!signal.starts_with(pattern.substr(0, hole)) || !signal.ends_with(tail) || signal.size() <= hole + tail.size())
        return {};
    const std::string_view digits = signal.substr(hole, signal.size() - hole - tail.size());
    int channel = 0;
    const auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), channel);
    return {error == std::errc() && end == digits.data() + digits.size(), channel};
}

int findRoute(const Device& device, int instance, const SignalSpec& signal, int pad, int* channel)
{
    for (const int r : device.pads[size_t(pad)].routes) {
        const Route& route = device.routes[size_t(r)];
        if (route.instance != instance)
            continue;
        const PatternMatch match =
            matchSignal(signal.pattern, device.instances[size_t(instance)].signals[size_t(route.signal)].name);
        if (match.fits) {
            if (channel)
                *channel = match.channel;
            return r;
        }
    }
    return -1;
}

namespace {

Seat takeSeat(const Device& device, const BoundNeed& bound, const SignalSpec& signal, const std::string& padName)
{
    Seat seat;
    seat.signal = signal;
    if (padName.empty())
        return seat;
    seat.pad = device.findPad(padName);
    if (seat.pad < 0) {
        seat.impossible = fmt::format("{} is not a pad of {}", padName, device.name);
        return seat;
    }
    if (device.pinOf(seat.pad).empty()) {
        seat.impossible = fmt::format("{} is not brought out on {}", padName, device.package.name);
        return seat;
    }
    if (signal.pattern.empty()) {
        if (device.pads[size_t(seat.pad)].port < 0)
            seat.impossible = fmt::format("{} belongs to no port", padName);
        return seat;
    }
    if (bound.instance < 0) {
        seat.impossible = "no instance is chosen";
        return seat;
    }
    seat.route = findRoute(device, bound.instance, signal, seat.pad, &seat.channel);
    if (seat.route < 0)
        seat.impossible =
            fmt::format("{} cannot carry {} of {}", padName, signal.title, device.instances[size_t(bound.instance)].name);
    return seat;
}

/// Outputs of one pair on one channel, different outputs on different ones.
void checkChannels(BoundNeed& bound)
{
    for (Seat& seat : bound.seats)
        for (const Seat& other : bound.seats) {
            if (&seat == &other || seat.signal.channel < 0 || other.signal.channel < 0 || seat.route < 0 || other.route < 0)
                continue;
            const bool same = seat.signal.channel == other.signal.channel;
            if (same != (seat.channel == other.channel))
                seat.impossible = same ? fmt::format("{} and {} must be outputs of one channel", seat.signal.title, other.signal.title)
                                       : fmt::format("{} and {} are on the same channel", seat.signal.title, other.signal.title);
        }
}

} // namespace

Bindings bind(const Device& device, const Plan& plan)
{
    Bindings out;
    out.padClaims.resize(device.pads.size());
    std::map<Resource, std::vector<Claim>> claims;
    for (size_t n = 0; n < plan.needs.size(); ++n) {
        const Need& need = plan.needs[n];
        const KindSpec* kind = findKind(need.kind);
        BoundNeed bound;
        bound.instance = need.binding.instance.empty() ? -1 : device.findInstance(need.binding.instance);
        for (const SignalSpec& signal : signalsOf(need)) {
            const auto pad = need.binding.pads.find(signal.id);
            bound.seats.push_back(takeSeat(device, bound, signal, pad == need.binding.pads.end() ? "" : pad->second));
        }
        checkChannels(bound);
        const int index = static_cast<int>(n);
        if (bound.instance >= 0)
            claims[{Resource::Kind::Instance, bound.instance}].push_back({index, -1});
        bool complete = kind && (kind->instanceKind.empty() || bound.instance >= 0);
        for (size_t s = 0; s < bound.seats.size(); ++s) {
            const Seat& seat = bound.seats[s];
            complete = complete && seat.pad >= 0 && seat.impossible.empty();
            if (seat.pad < 0)
                continue;
            const Claim claim{index, static_cast<int>(s)};
            claims[{Resource::Kind::Pad, seat.pad}].push_back(claim);
            out.padClaims[size_t(seat.pad)].push_back(claim);
            if (seat.signal.line)
                claims[{Resource::Kind::Line, device.pads[size_t(seat.pad)].bit}].push_back(claim);
        }
        bound.state = complete ? BoundNeed::State::Bound : BoundNeed::State::Open;
        out.needs.push_back(std::move(bound));
    }
    for (const auto& [resource, who] : claims) {
        if (who.size() < 2)
            continue;
        // Two needs on one pad also meet on its interrupt line; one contest says it.
        if (resource.kind == Resource::Kind::Line &&
            std::all_of(who.begin(), who.end(), [&](const Claim& c) {
                return out.needs[size_t(c.need)].seats[size_t(c.seat)].pad == out.needs[size_t(who[0].need)].seats[size_t(who[0].seat)].pad;
            }))
            continue;
        out.contests.push_back({resource, who});
        for (const Claim& claim : who)
            out.needs[size_t(claim.need)].state = BoundNeed::State::Contested;
    }
    return out;
}

int Bindings::count(BoundNeed::State state) const
{
    return static_cast<int>(std::count_if(needs.begin(), needs.end(), [state](const BoundNeed& n) { return n.state == state; }));
}

std::string nameOf(const Device& device, const Resource& resource)
{
    switch (resource.kind) {
    case Resource::Kind::Pad:
        return device.pads[size_t(resource.index)].name;
    case Resource::Kind::Instance:
        return device.instances[size_t(resource.index)].name;
    case Resource::Kind::Line:
        break;
    }
    return fmt::format("interrupt line {}", resource.index);
}

} // namespace bindrel
