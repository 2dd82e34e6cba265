// SPDX-License-Identifier: GPL-3.0-or-later
// Pads, the package, and the ways by which signals reach them.
#include "core/device/lint_remarks.h"

#include <algorithm>
#include <map>
#include <set>

namespace bindrel {

namespace {

void lintPins(const Device& device, LintRemarks& out)
{
    std::map<std::pair<int, int>, std::string> bits;
    for (const PadIndex p : device.pads.indices()) {
        const Pad& pad = device.pads[p];
        const bool onPin = !device.pinOf(p).empty();
        const bool said = std::find(device.unbonded.begin(), device.unbonded.end(), pad.name) != device.unbonded.end();
        if (!onPin && !said)
            out.addRemark("pad-on-no-pin", "{} is on no pin of {}, and \"unbonded\" does not say so", pad.name,
                          device.package.name);
        if (onPin && said)
            out.addRemark("unbonded-on-pin", "\"unbonded\" has {}, which is on pin {}", pad.name, device.pinOf(p));
        if (pad.port >= 0)
            if (const auto [at, fresh] = bits.emplace(std::pair(pad.port, pad.bit), pad.name); !fresh)
                out.addRemark("port-bit-twice", "{} and {} are the same bit of {}", at->second, pad.name,
                              device.instances[pad.port].name);
        if (device.lineInstance >= 0 && pad.line >= 0 && pad.port >= 0) {
            const FieldRef port = device.roleField(device.lineInstance, "port" + std::to_string(pad.line));
            const auto watches = [&](const EnumValue& value) {
                return value.name == pad.name || value.name == device.instances[pad.port].name;
            };
            if (!port.valid() ||
                std::none_of(device.fieldOf(port).values.begin(), device.fieldOf(port).values.end(), watches))
                out.addRemark("line-missing", "{} is to drive interrupt line {}, but {} cannot watch it", pad.name,
                              pad.line, device.instances[device.lineInstance].name);
        }
        if (pad.resetClaim.empty())
            continue;
        const bool known = std::any_of(pad.routes.begin(), pad.routes.end(), [&](RouteIndex r) {
            return device.signalName(device.routes[r]) == pad.resetClaim;
        });
        if (!known)
            out.addRemark("reset-claim", "{} is {} at reset, but is not connected to it", pad.name, pad.resetClaim);
    }
    for (const std::string& name : device.unbonded)
        if (device.findPad(name) < 0)
            out.addRemark("unbonded-unknown", "\"unbonded\" has {}, which is no pad of this device", name);
}

void lintSignals(const Device& device, LintRemarks& out)
{
    std::set<std::pair<int, int>> reached;
    for (const Route& route : device.routes)
        for (const FieldCode& select : route.selects)
            if (select.code > device.fieldOf(select.ref).maxCode())
                out.addRemark("encoding-range", "the code {} that leads {} to {} does not fit into {}", select.code,
                              device.signalName(route), device.pads[route.pad].name, device.nameOf(select.ref));
    for (const Route& route : device.routes)
        if (!device.pinOf(route.pad).empty())
            reached.insert({route.instance, route.signal});
    for (const InstanceIndex i : device.instances.indices())
        for (size_t s = 0; s < device.instances[i].signals.size(); ++s)
            if (!reached.contains({int(i), int(s)}))
                out.addRemark("unreachable-signal", "{}.{} reaches no pin of {}", device.instances[i].name,
                              device.instances[i].signals[s].name, device.package.name);
}

/// A remap's or matrix's code that has a name but leads nowhere on this package. The pads' own function fields are
/// shared by all pads of a port and so are not looked at.
void lintMuxCodes(const Device& device, LintRemarks& out)
{
    std::map<FieldRef, std::set<std::uint32_t>> used;
    for (const Route& route : device.routes)
        for (const FieldCode& select : route.selects)
            used[select.ref].insert(select.code);
    for (const Instance& instance : device.instances)
        for (const FieldCode& select : instance.selects)
            used[select.ref].insert(select.code);
    for (const FieldCode& empty : device.emptySets)
        used[empty.ref].insert(empty.code);
    for (const FieldRef& field : device.muxFields) {
        // Fields for the mode of a unit are seen once from each instance of their unit; together those use all codes.
        if (!device.instances[field.instance].unit.empty())
            continue;
        for (const EnumValue& value : device.fieldOf(field).values)
            if (!used[field].contains(value.code))
                out.addRemark("unreachable-mux-code", "{} = {} leads to no signal", device.nameOf(field), value.name);
    }
}

} // namespace

void lintPads(const Device& device, LintRemarks& out)
{
    lintPins(device, out);
    lintSignals(device, out);
    lintMuxCodes(device, out);
}

} // namespace bindrel
