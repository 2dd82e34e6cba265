// SPDX-License-Identifier: GPL-3.0-or-later
// What a WaveformView paints.
#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/tuning/waveform_view.h"
#include "core/base/say.h"
#include "core/quantity/format.h"

#include <QPainter>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace bindrel {

namespace {

/// 1, 2 or 5 times a power of ten, so that four to nine divisions fit.
double division(double span)
{
    double step = std::pow(10, std::floor(std::log10(span)));
    for (const double f : {0.1, 0.2, 0.5, 1.0})
        if (span / (step * f) <= 9)
            return step * f;
    return step;
}

/// A title at the left of its line; "need\nsignal" in two rows, cut where it is too long.
void drawName(QPainter& p, const QRectF& box, const std::string& title)
{
    const QStringList rows = QString::fromStdString(title).split('\n');
    const double high = 13;
    double y = box.center().y() - high * double(rows.size()) / 2;
    for (const QString& row : rows) {
        drawLine(p, QRectF(box.left() + 2, y, box.width() - 2, high), Qt::AlignVCenter | Qt::AlignRight, row,
                 Qt::ElideRight);
        y += high;
    }
}

} // namespace

/// Zoomed in, what lies beyond is cut off at the plot; names stand beside it.
QRectF WaveformView::drawable() const
{
    return plot().adjusted(-1, -10, 1, 10);
}

void WaveformView::draw(QPainter& p, bool bare) const
{
    const Theme& t = Theme::get();
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
    drawGrid(p);
    if (wave_->ramp)
        drawRamp(p);
    drawMarks(p);
    drawTraces(p);
    if (compared_ && !bare) {
        p.setClipRect(drawable());
        drawCompared(p);
        p.setClipping(false);
    }
    const QRectF area = plot();
    const auto [top, each] = traceArea();
    for (size_t b = 0; b < wave_->bands.size(); ++b)
        drawBand(p, wave_->bands[b],
                 QRectF(area.left(), top + each * double(wave_->traces.size() + b), area.width(), each));
    if (!bare)
        drawHandles(p);
    drawLabels(p);
    if (bare)
        return;
    drawCursors(p);
    if (dragged_ && !label_.isEmpty())
        drawDragged(p);
}

void WaveformView::drawGrid(QPainter& p) const
{
    const Theme& t = Theme::get();
    const QRectF area = plot();
    const double step = division(span());
    p.setFont(t.mono(10));
    for (double at = std::ceil(from_ / step - 1e-9) * step; at <= (from_ + span()) * 1.0000001; at += step) {
        p.setPen(QPen(t.rule, 1));
        p.drawLine(QPointF(xAt(at), area.top()), QPointF(xAt(at), area.bottom() + 4));
    }
    p.setPen(t.muted);
    drawLine(p, QRectF(area.left(), area.bottom() + 5, area.width(), 16), Qt::AlignHCenter,
             timeText(step) + say(" per division") +
                 (zoom_ > 1 ? QString(say(", from %1")).arg(timeText(from_)) : QString()));
}

/// The counter behind the edges, with the levels at which they come.
void WaveformView::drawRamp(QPainter& p) const
{
    const Theme& t = Theme::get();
    const QRectF area = plot();
    const QRectF box = rampBox();
    p.setPen(t.muted);
    drawLine(p, QRectF(0, box.top(), names() - 10, box.height()), Qt::AlignVCenter | Qt::AlignRight,
             QString::fromStdString(wave_->ramp->title));
    QPolygonF line;
    for (const auto& [at, level] : wave_->ramp->points)
        line << QPointF(xAt(at.toDouble()), box.bottom() - box.height() * level.toDouble());
    p.setPen(QPen(t.muted, 1.2));
    p.setClipRect(drawable());
    p.drawPolyline(line);
    p.setClipping(false);
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

void WaveformView::drawMarks(QPainter& p) const
{
    const Theme& t = Theme::get();
    const QRectF area = plot();
    const auto [top, each] = traceArea();
    const QRectF inside = drawable();
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
        p.fillRect(QRectF(left, y0, right - left, y1 - y0) & inside, fill);
    }
}

void WaveformView::drawTraces(QPainter& p) const
{
    const Theme& t = Theme::get();
    const auto [top, each] = traceArea();
    for (size_t i = 0; i < wave_->traces.size(); ++i) {
        const Waveform::Trace& trace = wave_->traces[i];
        p.setFont(t.mono(10));
        p.setPen(t.ink);
        drawName(p, QRectF(0, top + each * double(i), names() - 10, each), trace.title);
        p.setClipRect(drawable());
        p.setPen(QPen(hue_, 1.8, Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(lineOf(trace, i));
        p.setClipping(false);
    }
}

void WaveformView::drawLabels(QPainter& p) const
{
    const Theme& t = Theme::get();
    const QRectF area = plot();
    const auto [top, each] = traceArea();
    p.setFont(t.mono(10));
    // By line, how far its labels reach: those that have no room above their line stand at its foot, if they have room
    // there.
    std::map<int, std::array<double, 2>> reach;
    for (const Waveform::Mark& mark : wave_->marks) {
        if (mark.label.empty())
            continue;
        const QString text = typeset(mark.label);
        const double width = QFontMetricsF(p.font()).horizontalAdvance(text) + 4;
        const double centre = (xAt(mark.from.toDouble()) + xAt(mark.to.toDouble())) / 2;
        if (centre < area.left() - 1 || centre > area.right() + 1)
            continue;
        const double x = std::clamp(centre - width / 2, area.left(), area.right() - width);
        const int line = std::max(0, mark.trace);
        std::array<double, 2>& known = reach[line];
        const bool foot = x < known[0];
        if (foot && x < known[1])
            continue; // the neighbours' labels say enough
        known[foot] = x + width;
        p.setPen(t.caution);
        drawLine(p, QRectF(x, foot ? top + each * (line + 1) - 15 : top + each * line - 6, width, 13), Qt::AlignCenter,
                 text);
    }
}

void WaveformView::drawCursors(QPainter& p) const
{
    const Theme& t = Theme::get();
    const QRectF area = plot();
    const auto drawCursor = [&](double at, const QColor& colour) {
        p.setPen(QPen(colour, 1));
        if (xAt(at) >= area.left() && xAt(at) <= area.right())
            p.drawLine(QPointF(xAt(at), area.top()), QPointF(xAt(at), area.bottom()));
    };
    if (anchor_)
        drawCursor(*anchor_, t.accent);
    if (cursor_) {
        drawCursor(*cursor_, t.error);
        QString text = timeText(*cursor_);
        if (anchor_ && *anchor_ != *cursor_) {
            const double apart = std::abs(*cursor_ - *anchor_);
            text += QString("   \u0394 %1, %2")
                        .arg(timeText(apart),
                             typeset(format(Frequency(Rational(1'000'000'000'000,
                                                               std::max<std::int64_t>(1, std::llround(apart * 1e12)))),
                                            4)));
        }
        p.setPen(t.ink);
        p.setFont(t.mono(10, true));
        drawLine(p, QRectF(area.left(), area.bottom() + 5, area.width(), 16), Qt::AlignRight, text);
    }
}

/// What a drag would come to, beside the pointer.
void WaveformView::drawDragged(QPainter& p) const
{
    const Theme& t = Theme::get();
    const QRectF area = plot();
    p.setFont(t.text(12, true));
    const double width = QFontMetricsF(p.font()).horizontalAdvance(label_) + 16;
    const QRectF box(std::clamp(pointer_.x() + 12, area.left(), std::max(area.left(), area.right() - width)),
                     std::clamp(pointer_.y() - 30, area.top(), area.bottom() - 22), width, 22);
    p.fillRect(box, t.raised);
    p.setPen(t.accent);
    p.drawRect(box);
    p.setPen(t.ink);
    drawLine(p, box, Qt::AlignCenter, label_);
}

QRectF WaveformView::rampBox() const
{
    const QRectF area = plot();
    return {area.left(), area.top(), area.width(), area.height() * kRampShare - 8};
}

QPolygonF WaveformView::lineOf(const Waveform::Trace& trace, std::size_t row) const
{
    const auto [top, each] = traceArea();
    const auto y = [top = top, each = each, row](bool high) {
        return top + each * double(row) + each * (high ? 0.24 : 0.78);
    };
    QPolygonF line{QPointF(plot().left(), y(trace.high))};
    bool level = trace.high;
    for (const Waveform::Edge& edge : trace.edges) {
        line << QPointF(xAt(edge.at.toDouble()), y(level)) << QPointF(xAt(edge.at.toDouble()), y(edge.high));
        level = edge.high;
    }
    line << QPointF(std::max(plot().right(), line.back().x()), y(level));
    return line;
}

void WaveformView::drawCompared(QPainter& p) const
{
    p.setPen(QPen(Theme::get().ink, 1.4, Qt::DotLine));
    p.setBrush(Qt::NoBrush);
    if (compared_->ramp && wave_->ramp) {
        const QRectF box = rampBox();
        QPolygonF line;
        for (const auto& [at, level] : compared_->ramp->points)
            line << QPointF(xAt(at.toDouble()), box.bottom() - box.height() * level.toDouble());
        p.drawPolyline(line);
    }
    for (size_t i = 0; i < std::min(compared_->traces.size(), wave_->traces.size()); ++i)
        p.drawPolyline(lineOf(compared_->traces[i], i));
}

/// Boxes side by side; a label that has no room is left out.
void WaveformView::drawBand(QPainter& p, const Waveform::Band& band, const QRectF& row) const
{
    const Theme& t = Theme::get();
    p.setFont(t.mono(10));
    p.setPen(t.ink);
    drawName(p, QRectF(0, row.top(), names() - 10, row.height()), band.title);
    const double high = std::min(34.0, row.height() * 0.7);
    for (const Waveform::Band::Part& part : band.parts) {
        const double left = std::max(row.left(), xAt(part.from.toDouble()));
        const double right = std::min(row.right(), xAt(part.to.toDouble()));
        if (right <= left)
            continue;
        const QRectF box(left, row.center().y() - high / 2, right - left, high);
        QColor fill = hue_;
        fill.setAlphaF(part.strong ? 0.34f : 0.10f);
        p.fillRect(box, Theme::get().raised); // no grid through the label
        p.fillRect(box, fill);
        p.setPen(QPen(hue_, 1));
        p.drawRect(box);
        const QString text = typeset(part.label);
        if (QFontMetricsF(p.font()).horizontalAdvance(text) + 6 > box.width())
            continue;
        p.setPen(t.ink);
        drawLine(p, box, Qt::AlignCenter, text);
    }
}

/// Small diamonds; the one that is dragged, or that the keyboard is at, is filled.
void WaveformView::drawHandles(QPainter& p) const
{
    const Theme& t = Theme::get();
    for (size_t h = 0; h < wave_->handles.size(); ++h) {
        const QPointF at = placeOf(wave_->handles[h]);
        if (!plot().adjusted(-1, 0, 1, 0).contains(at))
            continue;
        const bool now = dragged_
                             ? dragged_->goal == wave_->handles[h].goal && dragged_->trace == wave_->handles[h].trace
                             : hasFocus() && int(h) == chosen_;
        p.setPen(QPen(t.accent, 1.4));
        p.setBrush(now ? t.accent : t.raised);
        p.drawPolygon(QPolygonF{at + QPointF(0, -5), at + QPointF(5, 0), at + QPointF(0, 5), at + QPointF(-5, 0)});
    }
    p.setBrush(Qt::NoBrush);
}

} // namespace bindrel
