// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/rehearsal/rehearsal.h"
#include "tests/support/fixtures.h"

#include <QTemporaryDir>

namespace bindrel::test {

inline std::string hazardsText(const Rehearsal& r)
{
    std::string out = r.gaveUp;
    for (const Hazard& hazard : r.hazards)
        out += fmt::format("\n{} at {} ({}): {}", nameOf(hazard.kind), momentText(hazard.at),
                           hazard.operation >= 0 ? r.operations[size_t(hazard.operation)].text : "end", hazard.text);
    return out;
}

/// What speaks against a plan's bring-up, planned and as machine code; empty when it comes up as planned and both do
/// the same.
inline std::string rehearsed(const Snapshot& s, const Scenario& scenario = {})
{
    const Rehearsal planned = rehearsePlanned(s.facts(), scenario);
    std::string out = hazardsText(planned);
    const QTemporaryDir folder;
    const Expected<Rehearsal> machine =
        rehearseMachineCode(s.facts(), s.source(), scenario, folder.path().toStdString());
    if (!machine)
        return out + "\n" + machine.problem().text();
    if (const std::string text = hazardsText(*machine); !text.empty())
        out += "\nmachine code: " + text;
    for (const Hazard& hazard : compareWrites(*s.device, planned, *machine))
        out += "\n" + hazard.text;
    return out;
}

} // namespace bindrel::test
