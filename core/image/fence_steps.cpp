// SPDX-License-Identifier: GPL-3.0-or-later
// Who may reach an instance: set by the first core before anybody else runs.
#include "core/base/say.h"
#include "core/image/image.h"
#include "core/plan/fences.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace bindrel {

void appendFenceSteps(Image& image, const Device& device, const Plan& plan, const Bindings& bindings)
{
    std::map<int, std::vector<const Need*>> users;
    for (const NeedIndex n : plan.needs.indices())
        if (const BoundNeed& bound = bindings.needs[n]; bound.instance >= 0 && bound.state == BoundNeed::State::Bound)
            users[bound.instance].push_back(&plan.needs[n]);
    // Fields of one register are written at once.
    std::map<std::pair<int, int>, std::vector<FieldWrite>> byRegister;
    for (const auto& [instance, needs] : users)
        for (const Fence& fence : device.instances[InstanceIndex(instance)].fences) {
            const std::optional<std::uint32_t> code = fenceCode(device, fence, needs);
            if (code && *code != device.resetCode(fence.field))
                byRegister[{fence.field.instance, fence.field.reg}].push_back(
                    {fence.field, *code, needs.front()->title + say(", access")});
        }
    std::vector<int> woken;
    for (auto& [where, fields] : byRegister) {
        std::vector<Step> steps;
        if (std::find(woken.begin(), woken.end(), where.first) == woken.end()) {
            steps = wakeSteps(device, where.first);
            woken.push_back(where.first);
        }
        steps.push_back(updateStep(device, std::move(fields),
                                   say("{}: assign each instance to the core that owns it.",
                                       device.instances[InstanceIndex(where.first)].name)));
        for (Step& step : steps) {
            step.phase = Step::Phase::Unlock;
            image.steps.push_back(std::move(step));
        }
    }
}

} // namespace bindrel
