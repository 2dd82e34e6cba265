// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/row_list.h"
#include "core/plan/edit.h"

#include <optional>

namespace bindrel {

/// A change that is offered: what it is, what it does, and the edit that does it.
struct Proposal {
    QString title;
    QStringList lines;
    std::optional<Edit> edit;  ///< none: it cannot be taken, the lines say why
    std::optional<Edit> other; ///< a second way to take it, with Shift
};

/// Changes to choose from, one below the other; the current one is meant to be previewed. Enter takes it.
class ProposalList : public RowList {
    Q_OBJECT
public:
    explicit ProposalList(QWidget* parent = nullptr);
    void setProposals(std::vector<Proposal> proposals);
    const std::vector<Proposal>& proposals() const { return proposals_; }
    int rowCount() const override { return int(proposals_.size()); }
    QString rowText(int row) const override;

Q_SIGNALS:
    void hovered(int row);
    void taken(int row, bool other); ///< Enter or double click; with Shift the other way
    void closed();                   ///< Escape

protected:
    int rowHeight(int row) const override;
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    void keyPressEvent(QKeyEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;

private:
    std::vector<Proposal> proposals_;
};

} // namespace bindrel
