// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tuning/setting.h"

#include <QColor>
#include <QWidget>

#include <optional>

namespace bindrel {

/// Draws a waveform to scale. The pointer is a cursor that reads out the time; a press sets a second one, and the
/// distance between the two is shown.
class WaveformView : public QWidget {
    Q_OBJECT
public:
    explicit WaveformView(QWidget* parent = nullptr);
    void show(const std::optional<Waveform>& waveform, const QColor& hue, const QString& otherwise);
    QSize sizeHint() const override { return {500, 220}; }
    /// Seconds at a position of this widget.
    double timeAt(double x) const;

protected:
    void paintEvent(QPaintEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void leaveEvent(QEvent*) override;

private:
    QRectF plot() const;
    double xAt(double seconds) const;
    std::optional<Waveform> wave_;
    QColor hue_;
    QString otherwise_;
    std::optional<double> cursor_, anchor_; ///< seconds
};

} // namespace bindrel
