// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"
#include "app/session/view_state.h"
#include "app/widgets/proposal_list.h"
#include "core/clocks/reach.h"
#include "core/clocks/repair.h"

#include <QLabel>
#include <QWidget>

namespace bindrel {

/// The ways to wanted rates, or to mend what is wrong, below the ladder: the current one is previewed on it, Enter
/// takes it, Esc leaves all as it is.
class ReachPanel : public QWidget {
    Q_OBJECT
public:
    ReachPanel(Document& document, ViewState& view, QWidget* parent = nullptr);

    /// Looks for ways to a rate; with `also` in addition to what is wanted already.
    void want(const ReachTarget& target, bool also);
    void repair();
    void close();

    const std::vector<ReachTarget>& targets() const { return targets_; }
    ProposalList* list() const { return list_; }
    QString note() const { return note_->text(); }
    /// What a rehearsal of the current way shows.
    QString verdict() const { return verdict_->text(); }
    Background& background() { return background_; }

Q_SIGNALS:
    void shown(bool open);

private:
    void search();
    void show(const QString& heading, const QString& note, std::vector<Proposal> proposals);
    void showReach(const std::vector<ReachTarget>& targets, const ReachResult& result);
    void showRepair(const RepairResult& result);
    Proposal proposalOf(int number, const ClockSolution& way) const;
    void previewRow(int row);
    void rehearse(const std::shared_ptr<const Snapshot>& way, const QString& which);
    void take(int row);

    Document& document_;
    ViewState& view_;
    std::vector<ReachTarget> targets_; ///< of clocks of the chip of that name
    std::string chip_;
    QLabel* heading_ = nullptr;
    QLabel* note_ = nullptr;
    QLabel* verdict_ = nullptr;
    ProposalList* list_ = nullptr;
    Background background_{this};
    Background rehearsing_{this};
};

} // namespace bindrel
