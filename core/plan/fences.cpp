// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/fences.h"

#include "core/base/say.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

std::vector<std::string> openToChoices(const Device& device)
{
    std::vector<std::string> out;
    for (const Instance& instance : device.instances)
        for (const Fence& fence : instance.fences)
            for (const auto& [code, names] : fence.admits)
                for (const std::string& name : names)
                    if (std::find(out.begin(), out.end(), name) == out.end())
                        out.push_back(name);
    if (!out.empty())
        out.emplace_back("nobody");
    return out;
}

Expected<std::string> checkOpenTo(const Device& device, const std::string& name)
{
    const std::vector<std::string> choices = openToChoices(device);
    if (name.empty() || std::find(choices.begin(), choices.end(), name) != choices.end())
        return name;
    return problemOf(choices.empty() ? say("{} has no access guards, so access cannot be granted.", device.name)
                                     : say("\"{}\" cannot be granted access to an instance of {}; use {}.{}", name,
                                           device.name, listed(choices), didYouMean(name, choices)));
}

std::optional<std::uint32_t> fenceCode(const Device& device, const Fence& fence, const std::vector<const Need*>& needs)
{
    const auto suits = [&](std::uint32_t code) {
        return std::all_of(needs.begin(), needs.end(), [&](const Need* need) {
            const Core& core = device.cores[device.ownerCore(need->core)];
            return fence.admit(code, core.id, core.world) &&
                   (need->openTo.empty() || need->openTo == "nobody" || fence.admit(code, need->openTo, {}));
        });
    };
    const bool stated = std::any_of(needs.begin(), needs.end(), [](const Need* need) { return !need->openTo.empty(); });
    if (const std::uint32_t reset = device.resetCode(fence.field); !stated && suits(reset))
        return reset;
    std::optional<std::uint32_t> best;
    for (const auto& [code, names] : fence.admits)
        if (suits(code) && (!best || names.size() < fence.admits.at(*best).size()))
            best = code;
    return best;
}

} // namespace bindrel
