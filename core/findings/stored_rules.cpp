// SPDX-License-Identifier: GPL-3.0-or-later
// What the plan puts into the chip's non-volatile memory: that the chip has it, and that it comes out of reset with it.
#include "core/base/say.h"
#include "core/findings/finding.h"
#include "core/plan/stored_settings.h"
#include "core/quantity/format.h"

#include <fmt/format.h>

namespace bindrel {

namespace {

using Severity = Finding::Severity;

void unknownSetting(const Facts& f, std::vector<Finding>& out)
{
    for (const auto& [id, value] : f.plan.stored)
        if (const Expected<std::uint32_t> code = storedCode(f.device, id, value); !code)
            out.push_back({Severity::Error,
                           {},
                           message("Non-volatile memory: {}", code.problem().message),
                           {Place::Kind::Stored, id, {}},
                           say("Restore the factory default"),
                           {}});
}

Expected<Edit> fixUnknown(const Facts&, const Finding& finding)
{
    return editOf(say("Restore the factory default of {}", finding.place.id),
                  SetStored{finding.place.id, std::nullopt});
}

/// The levels under which the chip is held in reset, against the supply that the board gives and the one that the
/// plan's range needs.
void brownOut(const Facts& f, std::vector<Finding>& out)
{
    const OperatingRange& range = f.device.ranges[std::size_t(f.rates.range)];
    for (const auto& [id, value] : f.plan.stored) {
        const StoredSetting* setting = findStored(f.device, id);
        const Expected<std::uint32_t> code = storedCode(f.device, id, value);
        if (!setting || !code)
            continue;
        const auto level = setting->holdsBelow.find(*code);
        if (level == setting->holdsBelow.end())
            continue;
        const Place place{Place::Kind::Stored, id, {}};
        if (level->second >= f.rates.supply)
            out.push_back({Severity::Error,
                           {},
                           message("{} is {}: the chip is held in reset below {}, but the board supplies {}. It "
                                   "would never start. Choose a lower level.",
                                   id, value, format(level->second), format(f.rates.supply)),
                           place,
                           {},
                           {}});
        else if (level->second < range.supplyMin)
            out.push_back({Severity::Caution,
                           {},
                           message("{} is {}: between {} and {} the chip keeps running although {} needs more. "
                                   "Choose a higher level, or an operating range that needs less.",
                                   id, value, format(range.supplyMin), format(level->second), range.name),
                           place,
                           {},
                           {}});
    }
}

} // namespace

std::vector<Rule> storedRules()
{
    return {
        {"NVM-01", later("The chip has every non-volatile setting that the plan makes."), unknownSetting, fixUnknown},
        {"NVM-02", later("The brown-out level suits the supply and the operating range."), brownOut, nullptr},
    };
}

} // namespace bindrel
