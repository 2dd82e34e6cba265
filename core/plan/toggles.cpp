// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/toggles.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/kind.h"

#include <fmt/format.h>

namespace bindrel {

ToggledOutput toggledBy(const Device& device, const Plan& plan, NeedIndex need)
{
    const Need& from = plan.needs[need];
    const KindSpec* kind = findKind(from.kind);
    const std::string id = kind && kind->toggles ? kind->toggles(from) : std::string();
    if (id.empty())
        return {};
    std::vector<std::string> outputs;
    for (const NeedIndex n : plan.needs.indices()) {
        const Need& to = plan.needs[n];
        const KindSpec* its = findKind(to.kind);
        const bool can = its && its->canBeToggled && its->canBeToggled(to);
        if (can)
            outputs.push_back(to.id);
        if (to.id != id)
            continue;
        if (!can)
            return {-1, say("{} is not a single output and cannot be toggled.", to.title)};
        if (const CoreIndex own = device.ownerCore(from.core), other = device.ownerCore(to.core); own != other)
            return {-1, say("{} belongs to {}, but the interrupt runs on {}.", to.title, device.cores[other].id,
                            device.cores[own].id)};
        if (plan.leavesOut(to) && !plan.leavesOut(from))
            return {-1, say("{} is left out of the source, so nothing there can toggle it.", to.title)};
        return {NeedIndex(n), {}};
    }
    return {-1, say("there is no need \"{}\" to toggle.{}", id, didYouMean(id, outputs))};
}

} // namespace bindrel
