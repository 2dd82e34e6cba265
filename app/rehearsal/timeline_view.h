// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/rehearsal/runs.h"

#include <QAbstractScrollArea>

namespace bindrel {

/// A run over time: the rates of the clocks on a logarithmic scale, the operations with what is waited for, wait states
/// and pads. The axis counts operations, or shows time on a logarithmic scale; the cursor stands on an operation. Keys:
/// left and right for the cursor, Home and End, T for the axis.
class TimelineView : public QAbstractScrollArea {
    Q_OBJECT
public:
    explicit TimelineView(QWidget* parent = nullptr);
    /// `run` and `snapshot` must outlive what is shown; null: nothing.
    void setRun(const Snapshot* snapshot, const Rehearsal* run);
    void setCursor(int operation);
    int cursorOperation() const { return cursor_; }
    bool timeAxis() const { return timeAxis_; }
    void setTimeAxis(bool time);
    /// Middle of an operation on the axis, in the viewport; for tests.
    double xOfOperation(int operation) const;
    /// Clocks that have a line, in the order of their labels; for tests.
    const std::vector<ClockIndex>& shownClocks() const { return clocks_; }

Q_SIGNALS:
    void picked(int operation); ///< by mouse or key
    void axisChanged();

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool viewportEvent(QEvent*) override;

private:
    struct Lane {
        PadIndex pad = -1;
        QString name;
        QColor hue;
    };
    QRectF plot() const;
    double labelWidth() const; ///< at the right: what the longest needs, as far as that leaves room
    double lanesTop() const;
    /// Where a moment under an operation lies; -1 as operation: before or after all.
    double xOf(Moment at, int operation) const;
    double yOf(double hertz) const;
    int operationAt(double x) const;
    void choose();
    void layOut();
    void paintClocks(QPainter& painter);
    void paintOperations(QPainter& painter);
    void paintLanes(QPainter& painter);

    const Snapshot* snapshot_ = nullptr;
    const Rehearsal* run_ = nullptr;
    std::vector<ClockIndex> clocks_;
    std::vector<Lane> lanes_;
    double labels_ = 0;         ///< width of the longest name of a lane
    std::vector<double> steps_; ///< width of each operation on the axis of operations, summed up
    double lowest_ = 1e4, highest_ = 1e9;
    int cursor_ = -1;
    bool timeAxis_ = false;
};

} // namespace bindrel
