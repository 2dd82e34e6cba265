// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/session/view_state.h"
#include "app/widgets/row_list.h"

namespace bindrel {

/// One line a finding: severity, rule, words, fix. Enter jumps to the place.
class FindingsList : public RowList {
    Q_OBJECT
public:
    FindingsList(Document& document, ViewState& view, QWidget* parent = nullptr);
    int rowCount() const override;
    QString rowText(int row) const override;
    QString rowKey(int row) const override;
    /// Makes the next (or previous) finding current and jumps there; round and round.
    void step(int by);
    /// Jumps to what the finding of a row is about.
    void goTo(int row);
    /// Shows what the fix of the current finding would change, and makes it when the person agrees.
    void fixCurrent();
    /// Asks for the ways that may mend the current finding, where a search is offered for it.
    void waysForCurrent();

Q_SIGNALS:
    void waysWanted(const bindrel::WaysOffer& offer);

protected:
    int rowHeight(int) const override { return 21; }
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    /// What can be pressed at the end of a row: the fix, and before it the ways; a null rectangle for what is not
    /// offered.
    struct RowButtons {
        QRect fix, ways;
    };
    RowButtons rowButtons(int row, const QRect& rect) const;
    /// The current one; null when there is none.
    const Finding* current() const;
    void refill();
    Document& document_;
    ViewState& view_;
    int lastRow_ = -1; ///< where the person was, when what stood there is gone
};

/// The drawer at the bottom of the window: a head that opens and shuts it, and the list.
class FindingsDrawer : public QWidget {
    Q_OBJECT
public:
    FindingsDrawer(Document& document, ViewState& view, QWidget* parent = nullptr);
    FindingsList* list() const { return list_; }
    void setOpen(bool open);
    bool isOpen() const { return open_; }

private:
    class Head;
    void refresh();
    Document& document_;
    FindingsList* list_ = nullptr;
    Head* head_ = nullptr;
    bool open_ = true;
};

} // namespace bindrel
