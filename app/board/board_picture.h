// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/view_state.h"
#include "app/widgets/accessible_items.h"
#include "core/interchange/board_sheet.h"

#include <QWidget>

#include <optional>

namespace bindrel {

/// The board as far as it is known, seen from above: its outline, the chip turned as it stands there, and the parts
/// with a line to the chip each; those whose place is not known stand beside it. Things are placed by dragging. Arrows
/// choose one, with Shift they move it by a millimetre (with Ctrl by five), R turns it, B puts it on the other side of
/// the board, Delete takes its place back, Return asks for it as text.
class BoardPicture : public QWidget, public AccessibleItems {
    Q_OBJECT
public:
    BoardPicture(Document& document, ViewState& view, QWidget* parent = nullptr);

    /// Whether it follows the document.
    void setLive(bool live);
    const BoardItem* chosen() const;
    void choose(int item);
    /// The part that a need belongs to, where it is drawn; else what is chosen stays.
    /// REQUIRES: no typed place waits to be taken.
    void choosePartOf(const std::string& need);
    std::vector<AccessibleItem> accessibleItems() const override;
    void chooseAccessibleItem(int item) override { choose(item); }
    QSize minimumSizeHint() const override { return {320, 160}; }
    /// For tests: where a thing is drawn, and the widget's point of a place on the board.
    QRectF rectOf(int item) const;
    QPointF pointOf(const BoardPlace& place) const;

Q_SIGNALS:
    void chosenChanged();
    void textWanted(); ///< the place of what is chosen is to be typed

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void focusInEvent(QFocusEvent*) override;
    void focusOutEvent(QFocusEvent*) override;

private:
    /// Board to widget.
    struct View {
        QRectF room;                 ///< of the board in the widget
        double scale = 1;            ///< pixels a micrometre
        double left = 0, bottom = 0; ///< of the board's corner that `room` shows, in micrometres
    };
    View viewNow() const;
    std::optional<BoardPlace> placeOf(int item) const; ///< with what is being dragged
    BoardPlace placeAt(const QPointF& point, const BoardPlace& as) const;
    QRectF plainRectOf(int item) const; ///< whoever else is there
    std::vector<QRectF> boxes() const;
    QString labelOf(int item) const;
    int itemAt(const QPointF& point) const;
    void refresh();
    void setPlace(int item, const std::optional<BoardPlace>& place);
    void chooseTowards(int key);
    void drawBoard(QPainter& p) const;
    void drawItem(QPainter& p, int item) const;
    void drawLines(QPainter& p) const;
    QString nameOf(int item) const;

    Document& document_;
    ViewState& view_;
    bool live_ = false;
    std::vector<BoardItem> items_;
    std::optional<BoardOutline> outline_;
    View shown_;
    std::string chosen_; ///< id; empty: the chip
    QPointF pressedAt_;
    QPointF grip_; ///< from the item's middle to where it was pressed
    int pressed_ = -1;
    std::optional<BoardPlace> dragged_; ///< where the pressed one would stand
};

} // namespace bindrel
