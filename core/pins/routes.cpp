// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/pins/routes.h"

#include "core/base/say.h"

#include <fmt/format.h>

#include <charconv>

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

std::vector<RouteMatch> routesFor(const Device& device, InstanceIndex instance, const SignalSpec& signal, PadIndex pad)
{
    std::vector<RouteMatch> out;
    for (const RouteIndex r : device.pads[pad].routes) {
        const Route& route = device.routes[r];
        if (route.instance != instance)
            continue;
        const PatternMatch match =
            matchSignal(signal.pattern, device.instances[instance].signals[size_t(route.signal)].name);
        if (match.fits)
            out.push_back({r, match.channel});
    }
    return out;
}

bool agree(const Device&, const Route& a, const Route& b)
{
    if (a.instance == b.instance && a.group >= 0 && b.group >= 0 && a.group != b.group)
        return false;
    for (const FieldCode& one : a.selects)
        for (const FieldCode& other : b.selects)
            if (one.ref == other.ref && one.code != other.code)
                return false;
    return true;
}

std::string codeName(const Device& device, const FieldCode& select)
{
    for (const EnumValue& value : device.fieldOf(select.ref).values)
        if (value.code == select.code)
            return value.name;
    return say("code {}", select.code);
}

std::string disagreement(const Device& device, const Route& a, const Route& b)
{
    if (agree(device, a, b))
        return {};
    for (const FieldCode& one : a.selects)
        for (const FieldCode& other : b.selects)
            if (one.ref == other.ref && one.code != other.code)
                return say("{} there needs {} = {}, but {} needs {}", device.signalName(a), device.nameOf(one.ref),
                           codeName(device, one), device.signalName(b), codeName(device, other));
    return say("{} comes from group {}, {} from group {}", device.signalName(a), device.groups[size_t(a.group)],
               device.signalName(b), device.groups[size_t(b.group)]);
}

} // namespace bindrel
