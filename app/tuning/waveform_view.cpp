// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/waveform_view.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/quantity/format.h"

#include <QMouseEvent>
#include <QPainter>

#include <cmath>

namespace bindrel {

namespace {

constexpr double kNames = 58;

/// A time for people from drawing arithmetic, four digits.
QString timeText(double seconds)
{
    return typeset(format(Duration(Rational(std::llround(seconds * 1e12), 1'000'000'000'000)), 4));
}

/// 1, 2 or 5 times a power of ten, so that four to nine divisions fit.
double division(double span)
{
    double step = std::pow(10, std::floor(std::log10(span)));
    for (const double f : {0.1, 0.2, 0.5, 1.0})
        if (span / (step * f) <= 9)
            return step * f;
    return step;
}

} // namespace

WaveformView::WaveformView(QWidget* parent) : QWidget(parent)
{
    setMouseTracking(true);
    setMinimumHeight(150);
    setAccessibleName("Waveform");
}

void WaveformView::show(const std::optional<Waveform>& waveform, const QColor& hue, const QString& otherwise)
{
    wave_ = waveform;
    hue_ = hue;
    otherwise_ = otherwise;
    update();
}

QRectF WaveformView::plot() const
{
    return QRectF(kNames, 10, width() - kNames - 14, height() - 34);
}
double WaveformView::xAt(double seconds) const
{
    return plot().left() + plot().width() * seconds / wave_->span.toDouble();
}
double WaveformView::timeAt(double x) const
{
    return wave_ ? std::clamp((x - plot().left()) / plot().width(), 0.0, 1.0) * wave_->span.toDouble() : 0;
}

void WaveformView::paintEvent(QPaintEvent*)
{
    const Theme& t = Theme::get();
    QPainter p(this);
    p.fillRect(rect(), t.raised);
    p.setPen(t.rule);
    p.drawRect(rect().adjusted(0, 0, -1, -1));
    if (!wave_ || !(wave_->span.toDouble() > 0)) {
        p.setPen(t.muted);
        p.setFont(t.text(12));
        p.drawText(rect().adjusted(20, 0, -20, 0), Qt::AlignCenter | Qt::TextWordWrap, otherwise_);
        return;
    }
    p.setRenderHint(QPainter::Antialiasing, true);
    const QRectF area = plot();
    const double span = wave_->span.toDouble();
    const double step = division(span);
    p.setFont(t.mono(10));
    for (double at = 0; at <= span * 1.0001; at += step) {
        p.setPen(QPen(t.rule, 1));
        p.drawLine(QPointF(xAt(at), area.top()), QPointF(xAt(at), area.bottom() + 4));
    }
    p.setPen(t.muted);
    drawLine(p, QRectF(area.left(), area.bottom() + 5, area.width(), 16), Qt::AlignHCenter,
             timeText(step) + " per division");

    const double rampShare = wave_->ramp ? 0.26 : 0;
    const double top = area.top() + area.height() * rampShare;
    const double each = (area.bottom() - top) / double(std::max<size_t>(1, wave_->traces.size()));
    if (wave_->ramp) {
        const QRectF box(area.left(), area.top(), area.width(), area.height() * rampShare - 8);
        p.setPen(t.muted);
        drawLine(p, QRectF(0, box.top(), kNames - 10, box.height()), Qt::AlignVCenter | Qt::AlignRight,
                 QString::fromStdString(wave_->ramp->title));
        QPolygonF line;
        for (const auto& [at, level] : wave_->ramp->points)
            line << QPointF(xAt(at.toDouble()), box.bottom() - box.height() * level.toDouble());
        p.setPen(QPen(t.muted, 1.2));
        p.drawPolyline(line);
        double last = -100;
        bool atRight = true;
        for (const auto& [label, level] : wave_->ramp->levels) {
            const double y = box.bottom() - box.height() * level.toDouble();
            p.setPen(QPen(t.caution, 1, Qt::DashLine));
            p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
            atRight = std::abs(y - last) < 12 ? !atRight : true;
            last = y;
            p.setPen(t.caution);
            const QString text = QString::fromStdString(label);
            const double width = QFontMetricsF(p.font()).horizontalAdvance(text) + 8;
            const QRectF place(atRight ? area.right() - width : area.left() + 2, y - 6, width, 12);
            p.fillRect(place, t.raised);
            drawLine(p, place, Qt::AlignCenter, text);
        }
    }
    const auto levelY = [&](size_t trace, bool high) {
        return top + each * double(trace) + each * (high ? 0.24 : 0.78);
    };
    for (const Waveform::Mark& mark : wave_->marks) {
        const double left = xAt(mark.from.toDouble());
        const double right = std::max(left + 1.5, xAt(mark.to.toDouble()));
        // A mark on the high side of a pair covers the low side too: dead time is about both.
        const bool pair =
            mark.trace >= 0 && size_t(mark.trace) + 1 < wave_->traces.size() && wave_->ramp && wave_->traces.size() > 1;
        const double y0 = mark.trace < 0 ? top : top + each * mark.trace + 4;
        const double y1 = mark.trace < 0 ? area.bottom() : y0 + each * (pair ? 2 : 1) - 8;
        QColor fill = t.caution;
        fill.setAlphaF(mark.shade ? 0.28f : 0.12f);
        p.fillRect(QRectF(left, y0, right - left, y1 - y0), fill);
    }
    for (size_t i = 0; i < wave_->traces.size(); ++i) {
        const Waveform::Trace& trace = wave_->traces[i];
        p.setFont(t.mono(10));
        p.setPen(t.ink);
        drawLine(p, QRectF(0, top + each * double(i), kNames - 10, each), Qt::AlignVCenter | Qt::AlignRight,
                 QString::fromStdString(trace.title));
        QPolygonF line{QPointF(area.left(), levelY(i, trace.high))};
        bool level = trace.high;
        for (const Waveform::Edge& edge : trace.edges) {
            line << QPointF(xAt(edge.at.toDouble()), levelY(i, level))
                 << QPointF(xAt(edge.at.toDouble()), levelY(i, edge.high));
            level = edge.high;
        }
        line << QPointF(area.right(), levelY(i, level));
        p.setPen(QPen(hue_, 1.8, Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(line);
    }
    p.setFont(t.mono(10));
    double free = 0;
    for (const Waveform::Mark& mark : wave_->marks) {
        if (mark.label.empty())
            continue;
        const QString text = typeset(mark.label);
        const double width = QFontMetricsF(p.font()).horizontalAdvance(text) + 4;
        const double centre = (xAt(mark.from.toDouble()) + xAt(mark.to.toDouble())) / 2;
        const double x = std::clamp(centre - width / 2, area.left(), area.right() - width);
        const double y = top + each * std::max(0, mark.trace) - 3;
        if (x < free && mark.trace <= 0)
            continue; // no room: the neighbour's label says enough
        if (mark.trace <= 0)
            free = x + width;
        p.setPen(t.caution);
        drawLine(p, QRectF(x, y - 3, width, 13), Qt::AlignCenter, text);
    }
    const auto drawCursor = [&](double at, const QColor& colour) {
        p.setPen(QPen(colour, 1));
        p.drawLine(QPointF(xAt(at), area.top()), QPointF(xAt(at), area.bottom()));
    };
    if (anchor_)
        drawCursor(*anchor_, t.accent);
    if (cursor_) {
        drawCursor(*cursor_, t.error);
        QString text = timeText(*cursor_);
        if (anchor_)
            text += QString("   \u0394 %1").arg(timeText(std::abs(*cursor_ - *anchor_)));
        p.setPen(t.ink);
        p.setFont(t.mono(10, true));
        drawLine(p, QRectF(area.left(), area.bottom() + 5, area.width(), 16), Qt::AlignRight, text);
    }
}

void WaveformView::mouseMoveEvent(QMouseEvent* event)
{
    cursor_ = timeAt(event->position().x());
    update();
}

void WaveformView::mousePressEvent(QMouseEvent* event)
{
    anchor_ = timeAt(event->position().x());
    update();
}

void WaveformView::leaveEvent(QEvent*)
{
    cursor_.reset();
    update();
}

} // namespace bindrel
