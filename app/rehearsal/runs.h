// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/rehearsal/rehearsal.h"
#include "core/snapshot.h"

#include <QString>

#include <memory>
#include <vector>

namespace bindrel {

/// Every scenario of a plan, run on the simulated chip; keeps the snapshot that its operations point into.
struct Runs {
    struct One {
        Scenario scenario;
        Rehearsal rehearsal;
        bool whatIf() const { return scenario.whatIf(); }
    };
    std::shared_ptr<const Snapshot> snapshot;
    std::vector<One> list;
    std::vector<Finding> hazards; ///< of what the program does by itself, as findings beyond the snapshot's
};

inline std::shared_ptr<const Runs> rehearseAll(std::shared_ptr<const Snapshot> snapshot)
{
    auto out = std::make_shared<Runs>();
    out->snapshot = std::move(snapshot);
    const Facts facts = out->snapshot->facts();
    for (Scenario& scenario : scenariosOf(facts)) {
        Rehearsal rehearsal = rehearsePlanned(facts, scenario);
        out->list.push_back({std::move(scenario), std::move(rehearsal)});
    }
    out->hazards = hazardFindings(facts, out->snapshot->findings);
    return out;
}

} // namespace bindrel
