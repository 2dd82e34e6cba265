// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/accessible_items.h"
#include "core/tuning/segment_digits.h"

#include <QColor>
#include <QPolygonF>
#include <QWidget>

namespace bindrel {

/// The digits of a display, and beside them a table of backplanes and segment lines with the segment that each place
/// drives. A segment is chosen by click or arrows; a click on a place, or Shift with an arrow, connects it there, and
/// what was there takes the place that it leaves. Delete disconnects it, Insert adds a digit.
class DigitsView : public QWidget, public AccessibleItems {
    Q_OBJECT
public:
    explicit DigitsView(QWidget* parent = nullptr);
    void show(const SegmentDigits& digits, const QColor& hue);
    QSize sizeHint() const override { return {500, wished_}; }
    void setWishedHeight(int height)
    {
        wished_ = height;
        updateGeometry();
    }
    std::vector<AccessibleItem> accessibleItems() const override;
    void chooseAccessibleItem(int item) override;
    /// For tests: where a segment is drawn, and where a place of the table is.
    QPointF segmentAt(int digit, int segment) const;
    QRectF placeAt(int backplane, int line) const;

Q_SIGNALS:
    void changed(const bindrel::SegmentDigits& digits);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void focusInEvent(QFocusEvent*) override;
    void focusOutEvent(QFocusEvent*) override;

private:
    int wished_ = 200;
    int digitCount() const; ///< with the one that can be begun
    QRectF digitBox(int digit) const;
    QPolygonF shape(int digit, int segment) const;
    SegmentDigits::Place placeOf(int digit, int segment) const;
    std::pair<int, int> segmentOf(const SegmentDigits::Place& place) const; ///< -1: none is there
    void connectTo(const SegmentDigits::Place& place);
    QString nameOf(int digit, int segment) const;

    SegmentDigits digits_;
    QColor hue_;
    int digit_ = 0, segment_ = 0; ///< chosen
    bool adding_ = false;         ///< one more digit is shown than is connected
};

} // namespace bindrel
