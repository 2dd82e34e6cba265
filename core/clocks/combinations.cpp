// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/clocks/combinations.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/format.h"

#include <algorithm>

namespace bindrel {

bool holds(const Device& device, const ClockCombination& combination, const Rates& rates)
{
    return std::all_of(combination.terms.begin(), combination.terms.end(), [&](const ClockCombination::Term& term) {
        const ClockState& clock = rates.clocks[term.clock];
        return clock.running && (clock.used || device.clocks[term.clock].tier != "kernel") && term.has(clock.setting);
    });
}

std::string combinationText(const Device& device, const Rates& rates, const ClockCombination& combination)
{
    std::vector<std::string> parts;
    for (const ClockCombination::Term& term : combination.terms) {
        const ClockNode& node = device.clocks[term.clock];
        const std::string operation = operationText(device, rates, term.clock);
        parts.push_back(node.name + " " +
                        (operation.empty() ? say("at ") + format(rates.clocks[term.clock].rate) : operation));
    }
    return listed(parts);
}

} // namespace bindrel
