// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/plan/edit.h"

namespace bindrel {

/// A plan and the edits that led to it. Undo and redo are lists of edits; a saved position tells whether the plan
/// differs from what is on disk. Copies are cheap enough for tests; not thread-safe.
class History {
public:
    explicit History(Plan plan) : plan_(std::move(plan)) {}

    const Plan& plan() const { return plan_; }

    /// Applies an edit as one undo step and forgets what was undone. An edit that leaves the plan equal is not
    /// recorded.
    Outcome apply(const Edit& edit);
    bool undo();
    bool redo();
    bool canUndo() const { return !done_.empty(); }
    bool canRedo() const { return !undone_.empty(); }
    std::string undoTitle() const { return done_.empty() ? "" : done_.back().forth.title; }
    std::string redoTitle() const { return undone_.empty() ? "" : undone_.back().forth.title; }
    /// Titles of the steps that can be undone, the latest last.
    std::vector<std::string> titles() const;

    void markSaved() { saved_ = static_cast<long>(done_.size()); }
    bool unsaved() const { return saved_ != static_cast<long>(done_.size()); }

private:
    struct Step {
        Edit forth;
        Edit back;
    };
    Plan plan_;
    std::vector<Step> done_;
    std::vector<Step> undone_;
    long saved_ = 0; ///< size of done_ at the last save; -1 when that state can no longer be reached
};

} // namespace bindrel
