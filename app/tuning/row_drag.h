// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

class QFrame;
class QPoint;
class QTableView;

namespace bindrel {

/// Lets rows of a table be dragged up and down by the mouse; Alt with an arrow moves the current one. What a place
/// means is the owner's matter.
class RowDrag : public QObject {
    Q_OBJECT
public:
    explicit RowDrag(QTableView* table);

Q_SIGNALS:
    /// Onto another row, or, when `between`, before it (the number of rows: behind the last).
    void moved(int row, int onto, bool between);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    struct Place {
        int row;
        bool between;
    };
    Place placeAt(const QPoint& at) const;
    void showAt(const Place& place);
    void end();

    QTableView* table_;
    QFrame* line_;
    int pressed_ = -1; ///< row
    int pressedAt_ = 0;
    bool dragging_ = false;
};

} // namespace bindrel
