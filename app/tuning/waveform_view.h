// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/accessible_items.h"
#include "core/base/expected.h"
#include "core/tuning/setting.h"

#include <QColor>
#include <QWidget>

#include <optional>

namespace bindrel {

/// Draws a waveform to scale. The pointer is a cursor that snaps to edges and reads out the time; a press sets a second
/// one, and the distance between the two is shown, with its rate. Places that state a goal are handles: they are
/// dragged, or stepped by wheel and arrows to the next value that can be made. Elsewhere the wheel zooms.
class WaveformView : public QWidget, public AccessibleItems {
    Q_OBJECT
public:
    explicit WaveformView(QWidget* parent = nullptr);
    void show(const std::optional<Waveform>& waveform, const QColor& hue, const QString& otherwise);
    /// While a handle is dragged: what would be, and what it says beside the pointer.
    void preview(const std::optional<Waveform>& waveform, const QString& label);
    /// Another picture over this one, dotted, as far as both have the same lines; none ends it.
    void compare(const std::optional<Waveform>& other);
    bool comparing() const { return compared_.has_value(); }
    QSize sizeHint() const override { return {500, wished_}; }
    void setWishedHeight(int height)
    {
        wished_ = height;
        updateGeometry();
    }
    /// Seconds at a position of this widget.
    double timeAt(double x) const;
    /// Where a handle is; for tests. -1 when there is none.
    QPoint handleOf(const std::string& goal) const;
    /// As SVG, PDF or PNG, as the path's ending says.
    Outcome exportPicture(const QString& path, const QString& title);
    void copyPicture();
    /// Below it names and lines would run into each other.
    int leastHeight() const;
    bool hasPicture() const { return wave_ && wave_->span.toDouble() > 0; }
    bool dragging() const { return dragged_.has_value(); }
    /// The handles, with the goals that they state.
    std::vector<AccessibleItem> accessibleItems() const override;

Q_SIGNALS:
    void dragged(const bindrel::Waveform::Handle& handle, const bindrel::Duration& at);
    void dropped(); ///< what was previewed last is to be
    void dragCancelled();
    void stepped(const std::string& goal, bool up);
    void goalPointedAt(const std::string& goal); ///< empty when none

protected:
    void paintEvent(QPaintEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void focusInEvent(QFocusEvent*) override;
    void focusOutEvent(QFocusEvent*) override;
    void leaveEvent(QEvent*) override;
    bool event(QEvent*) override;

private:
    int wished_ = 220;
    QRectF plot() const;
    double names() const; ///< width that the titles of lines have
    double xAt(double seconds) const;
    double span() const;                   ///< seconds that are shown
    double snapped(double x) const;        ///< the time at a position, or of the edge beside it
    int handleAt(const QPointF& at) const; ///< -1 when none
    QPointF placeOf(const Waveform::Handle& handle) const;
    std::pair<double, double> traceArea() const; ///< top of the first trace and height of each
    void zoom(double factor, double around);
    void endDrag(bool drop);
    /// All but what belongs to pointer and keyboard when `bare`.
    void draw(QPainter& p, bool bare) const;
    static constexpr double kRampShare = 0.26; ///< of the plot's height
    /// A time for people from drawing arithmetic, four digits.
    static QString timeText(double seconds);
    QRectF drawable() const;
    void drawGrid(QPainter& p) const;
    void drawRamp(QPainter& p) const;
    void drawMarks(QPainter& p) const;
    void drawTraces(QPainter& p) const;
    void drawLabels(QPainter& p) const;
    void drawCursors(QPainter& p) const;
    void drawDragged(QPainter& p) const;
    void drawBand(QPainter& p, const Waveform::Band& band, const QRectF& row) const;
    void drawHandles(QPainter& p) const;
    void drawCompared(QPainter& p) const;
    QRectF rampBox() const;
    QPolygonF lineOf(const Waveform::Trace& trace, std::size_t row) const;

    std::optional<Waveform> wave_, compared_;
    QColor hue_;
    QString otherwise_;
    std::optional<double> cursor_, anchor_; ///< seconds
    double zoom_ = 1, from_ = 0;            ///< times the whole; seconds at the left
    int chosen_ = -1;                       ///< handle that the keyboard is at
    std::optional<Waveform::Handle> dragged_;
    double draggedSpan_ = 0; ///< that stays while dragging, whatever the picture's becomes
    QString label_;
    QPointF pointer_;
};

} // namespace bindrel
