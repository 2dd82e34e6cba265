// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/index_vector.h"
#include "core/base/say.h"
#include "core/findings/finding.h"
#include "core/plan/plan_file.h"
#include "core/source/source.h"

#include <memory>
#include <mutex>
#include <optional>

namespace bindrel {

/// The result of one run of the pipeline over one plan. Immutable; shared freely between threads. Indices of needs are
/// those of plan.needs, of clocks those of device->clocks, and so on.
struct Snapshot : std::enable_shared_from_this<Snapshot> {
    std::shared_ptr<const Device> device; ///< with what the plan puts into its non-volatile memory
    std::shared_ptr<const Device> filedDevice;
    std::shared_ptr<const Board> board; ///< with what the plan adds to its file
    std::shared_ptr<const Board> filedBoard;
    Plan plan;
    Bindings bindings;
    Rates rates;
    IndexVector<NeedIndex, Setting> settings;
    IndexVector<NeedIndex, Accuracy> accuracy;
    std::vector<PadSetup> pads;
    Image image;
    std::vector<Finding> findings;
    Provenance provenance;
    const Catalogue* language = nullptr; ///< of the texts in it

    /// The same with its texts in English, for what is written into files; itself when they are.
    std::shared_ptr<const Snapshot> inEnglish() const;

    /// The written C, whose comments are in English: made when somebody looks for the first time, more than half of all
    /// the work. Safe to be called by several threads.
    const Source& source() const;

    /// A need's picture and the ways beside the one that was taken; made at each call.
    Look lookAt(NeedIndex need) const { return bindrel::lookAt(*device, plan, bindings, rates, need); }

    Facts facts() const
    {
        return {*device, *board, plan, bindings, rates, settings, accuracy, pads, image, provenance};
    }
    int count(Finding::Severity severity) const;
    /// The same device and board with another plan for them.
    LoadedPlan with(Plan other) const { return {filedDevice, filedBoard, std::move(other), provenance, {}, {}}; }

private:
    mutable std::once_flag sourceMade_;
    mutable std::optional<Source> source_;
};

/// Runs every stage. Never fails: what is wrong with a plan is in the findings.
std::shared_ptr<const Snapshot> computeSnapshot(const LoadedPlan& work);

} // namespace bindrel
