// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot.h"

#include "core/base/say.h"
#include "core/plan/board_facts.h"
#include "core/plan/stored_settings.h"
#include "core/source/names.h"

#include <algorithm>

namespace bindrel {

int Snapshot::count(Finding::Severity severity) const
{
    return static_cast<int>(std::count_if(findings.begin(), findings.end(),
                                          [severity](const Finding& f) { return f.severity == severity; }));
}

std::shared_ptr<const Snapshot> computeSnapshot(const LoadedPlan& work)
{
    auto s = std::make_shared<Snapshot>();
    s->language = &catalogue();
    s->filedDevice = work.device;
    s->device = withStored(work.device, work.plan);
    s->filedBoard = work.board;
    s->board = std::make_shared<const Board>(boardWithPlan(*work.board, *work.device, work.plan));
    s->plan = work.plan;
    s->bindings = bind(*s->device, s->plan);
    s->rates = computeRates(*s->device, *s->board, s->plan, s->bindings);
    s->settings = tune(*s->device, s->plan, s->bindings, s->rates);
    s->accuracy = accuracyOf(*s->device, s->plan, s->bindings, s->rates);
    s->pads = setUpPads(*s->device, s->plan, s->bindings, s->settings);
    s->image = makeImage(*s->device, *s->board, s->plan, s->bindings, s->rates, s->settings, s->pads);
    s->provenance = work.provenance;
    s->findings = findAll(s->facts());
    nameFindings(s->facts(), s->findings);
    return s;
}

const Source& Snapshot::source() const
{
    std::call_once(sourceMade_, [this] {
        const std::shared_ptr<const Snapshot> snapshot = inEnglish();
        const InEnglish whileWriting;
        source_ = makeSource(snapshot->facts());
    });
    return *source_;
}

std::shared_ptr<const Snapshot> Snapshot::inEnglish() const
{
    if (language == &english())
        return shared_from_this();
    const InEnglish whileComputing;
    return computeSnapshot(with(plan));
}

} // namespace bindrel
