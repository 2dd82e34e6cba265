// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/describe/coverage.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/device/block_kind.h"
#include "core/device/undescribed.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

const char* nameOf(CoverageLevel level)
{
    switch (level) {
    case CoverageLevel::Named:
        return say("cannot be used");
    case CoverageLevel::Known:
        return say("kind known");
    case CoverageLevel::Placed:
        return say("can be placed");
    case CoverageLevel::Computed:
        return say("can be computed");
    case CoverageLevel::Written:
        return say("can be written");
    }
    return "";
}

namespace {

/// Roles without which the kind's registers cannot be computed.
std::string lackingRoles(const Block& block, const BlockKind& kind)
{
    std::vector<std::string> out;
    const auto has = [&block](const std::string& name) {
        return std::any_of(block.roles.begin(), block.roles.end(),
                           [&name](const auto& known) { return isWordOf(known.first, name); });
    };
    for (const RoleSpec& role : kind.roles)
        if (role.required && !has(role.name) && (role.unless.empty() || !has(role.unless)))
            out.push_back(role.name);
    if (out.size() > 6) {
        const std::size_t more = out.size() - 5;
        out.resize(5);
        out.push_back(sayCount(long(more), "{} more role", "{} more roles"));
    }
    return listed(out);
}

InstanceCoverage coverageOf(const Device& device, InstanceIndex i)
{
    const Instance& instance = device.instances[i];
    const Block& block = device.blockOf(i);
    InstanceCoverage out{i, block.kind, CoverageLevel::Named, {}};
    const BlockKind* kind = findBlockKind(block.kind);
    if (!kind) {
        out.next = say("its kind (\"kind\" of its block)");
        return out;
    }
    out.level = CoverageLevel::Known;
    if (!kind->signals.empty() && instance.signals.empty() && block.roles.empty()) {
        out.next = say("its signals");
        return out;
    }
    const bool led = instance.signals.empty() || std::any_of(device.routes.begin(), device.routes.end(),
                                                             [i](const Route& route) { return route.instance == i; });
    if (!led) {
        out.next = say("pads for its signals");
        return out;
    }
    out.level = CoverageLevel::Placed;
    const std::string roles = lackingRoles(block, *kind);
    const bool clocked =
        device.hasClocks() && instance.kernel >= 0 && device.clocks[instance.kernel].id != kUnknownClock;
    const bool noRegisters = block.registers.empty() && !kind->roles.empty();
    if (noRegisters || !roles.empty() || !clocked) {
        std::vector<std::string> lacks;
        if (noRegisters)
            lacks.emplace_back(say("its registers"));
        else if (!roles.empty())
            lacks.push_back(say("fields for {}", roles));
        if (!clocked)
            lacks.emplace_back(say("its clock"));
        out.next = listed(lacks);
        return out;
    }
    out.level = CoverageLevel::Computed;
    if (!device.canBeWritten()) {
        std::vector<std::string> lacks;
        for (const std::string& what : device.undescribed)
            if (what != "supply" && what != "operating ranges" && what != "wait states" && what != "package" &&
                what != "pads")
                lacks.push_back(what);
        out.next = say("of the device: ") + listed(lacks);
        return out;
    }
    out.level = CoverageLevel::Written;
    return out;
}

} // namespace

std::vector<InstanceCoverage> coverageOf(const Device& device)
{
    std::vector<InstanceCoverage> out;
    for (std::size_t i = 0; i < device.instances.size(); ++i)
        out.push_back(coverageOf(device, InstanceIndex(int(i))));
    return out;
}

} // namespace bindrel
