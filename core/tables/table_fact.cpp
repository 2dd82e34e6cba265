// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tables/table_fact.h"

#include <algorithm>
#include <string_view>

namespace bindrel {

const std::vector<TableFactSpec>& tableFactSpecs()
{
    using What = TableFact::What;
    using Of = TableFactSpec::Of;
    static const std::vector<TableFactSpec> all{
        {What::Limit, "limit", Of::Needed},
        {What::Rate, "rate", Of::Needed},
        {What::Tolerance, "tolerance", Of::Needed},
        {What::StartUp, "start-up time", Of::Needed},
        {What::Crystal, "crystal range", Of::Needed},
        {What::Supply, "supply", Of::Possible},
        {What::Temperature, "temperature", Of::Never},
        {What::Bank, "voltage", Of::Needed},
        {What::Toggle, "toggle rate of pads", Of::Never},
        {What::SlowToggle, "slow toggle rate of pads", Of::Never},
        {What::Drive, "drive strength of pads", Of::Never},
        {What::Load, "load of pads", Of::Never},
        {What::ModeCurrent, "current", Of::Needed},
        {What::WakeTime, "wake-up time", Of::Needed},
        {What::Range, "range", Of::Needed},
    };
    return all;
}

std::string textOf(const TableFact& fact)
{
    for (const TableFactSpec& spec : tableFactSpecs())
        if (spec.what == fact.what)
            return fact.of.empty()                       ? std::string(spec.words)
                   : fact.what == TableFact::What::Range ? std::string(spec.words) + " " + fact.of
                                                         : std::string(spec.words) + " of " + fact.of;
    return {};
}

std::optional<TableFact> tableFactFrom(const std::string& text)
{
    for (const TableFactSpec& spec : tableFactSpecs()) {
        if (text == spec.words && spec.of != TableFactSpec::Of::Needed)
            return TableFact{spec.what, {}};
        const std::string before = std::string(spec.words) + (spec.what == TableFact::What::Range ? " " : " of ");
        if (spec.of != TableFactSpec::Of::Never && text.starts_with(before) && text.size() > before.size() &&
            text.find(' ', before.size()) == std::string::npos)
            return TableFact{spec.what, text.substr(before.size())};
    }
    return std::nullopt;
}

} // namespace bindrel
