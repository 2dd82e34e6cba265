// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/rail.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

namespace bindrel {

namespace {

constexpr int kItem = 56;
const char* const kNames[kStations] = {later("Start"),  later("Wiring"),    later("Clocks"), later("Tuning"),
                                       later("Source"), later("Rehearsal"), later("Board")};

/// Line drawings of our own, in a box of 20 by 20.
void drawIcon(QPainter& p, Station station, const QPointF& at)
{
    p.save();
    p.translate(at);
    p.setRenderHint(QPainter::Antialiasing, true);
    p.setBrush(Qt::NoBrush);
    switch (station) {
    case Station::Start: // a sheet with its first line
        p.drawRect(QRectF(4, 2, 12, 16));
        p.drawLine(QPointF(7, 7), QPointF(13, 7));
        p.drawLine(QPointF(7, 11), QPointF(10, 11));
        break;
    case Station::Wiring: // a leg, a wire, a card
        p.drawRect(QRectF(1, 3, 6, 6));
        p.drawRect(QRectF(13, 11, 6, 6));
        p.drawPolyline(QPolygonF{QPointF(7, 6), QPointF(10, 6), QPointF(10, 14), QPointF(13, 14)});
        break;
    case Station::Clocks: // rungs with marks
        for (int i = 0; i < 3; ++i) {
            const double y = 4 + 6 * i;
            p.drawLine(QPointF(1, y), QPointF(19, y));
            p.save();
            p.setBrush(p.pen().color());
            p.drawEllipse(QPointF(5 + 5 * i, y), 1.8, 1.8);
            p.restore();
        }
        break;
    case Station::Tuning: // a pulse to scale
        p.drawPolyline(QPolygonF{QPointF(1, 15), QPointF(5, 15), QPointF(5, 5), QPointF(11, 5), QPointF(11, 15),
                                 QPointF(15, 15), QPointF(15, 5), QPointF(19, 5)});
        break;
    case Station::Source: // lines of text with an indent
        p.drawLine(QPointF(2, 4), QPointF(12, 4));
        p.drawLine(QPointF(6, 8), QPointF(18, 8));
        p.drawLine(QPointF(6, 12), QPointF(15, 12));
        p.drawLine(QPointF(2, 16), QPointF(7, 16));
        break;
    case Station::Rehearsal: // a rate that climbs, step by step, under a cursor
        p.drawPolyline(
            QPolygonF{QPointF(1, 17), QPointF(6, 17), QPointF(6, 12), QPointF(13, 12), QPointF(13, 5), QPointF(19, 5)});
        p.drawLine(QPointF(10, 2), QPointF(10, 18));
        break;
    case Station::Board: // an outline with a corner hole and two parts
        p.drawRect(QRectF(2, 3, 16, 14));
        p.drawEllipse(QPointF(5, 6), 1.2, 1.2);
        p.drawRect(QRectF(8, 8, 5, 5));
        p.drawLine(QPointF(15, 6), QPointF(15, 11));
        break;
    }
    p.restore();
}

} // namespace

Rail::Rail(QWidget* parent) : QWidget(parent)
{
    setFixedWidth(56);
    setMouseTracking(true);
    setAccessibleName(say("Stations"));
}

void Rail::setCurrent(Station station)
{
    current_ = station;
    update();
}

void Rail::setCount(Station station, int count, bool error)
{
    counts_[size_t(station)] = {count, error};
    update();
}

QRect Rail::rectOf(Station station) const
{
    // What is soldered stands apart from the work on the chip.
    constexpr int kApart = 14;
    return QRect(0, 4 + kItem * int(station) + (station == Station::Board ? kApart : 0), width(), kItem);
}

void Rail::paintEvent(QPaintEvent*)
{
    const Theme& t = Theme::get();
    QPainter p(this);
    p.fillRect(QRect(width() - 1, 0, 1, height()), t.rule);
    for (int i = 0; i < kStations; ++i) {
        const auto station = Station(i);
        const QRect rect = rectOf(station);
        const bool current = station == current_;
        if (current || i == hovered_)
            p.fillRect(rect.adjusted(0, 0, -1, 0), t.sunken);
        if (current)
            p.fillRect(QRect(0, rect.top(), 3, rect.height()), t.accent);
        p.setPen(QPen(current ? t.accent : t.ink, 1.4));
        // A long number beside it needs room.
        const int aside = counts_[size_t(i)].number > 99 ? 6 : 0;
        drawIcon(p, station, QPointF(rect.center().x() - 10 - aside, rect.top() + 9));
        // The longest name must not touch the edges.
        p.setFont(
            t.text(QFontMetrics(t.text(11, true)).horizontalAdvance(say(kNames[i])) > width() - 10 ? 10 : 11, current));
        p.setPen(current ? t.accent : t.ink);
        drawLine(p, rect.adjusted(0, 34, 0, 0), Qt::AlignHCenter | Qt::AlignTop, say(kNames[i]));
        if (const Count& count = counts_[size_t(i)]; count.number > 0) {
            p.setFont(t.text(10, true));
            p.setPen(count.error ? t.error : t.caution);
            drawLine(p, rect.adjusted(0, 6, -5, 0), Qt::AlignRight | Qt::AlignTop,
                     count.number > 99 ? QString("99+") : QString::number(count.number));
        }
    }
}

void Rail::mousePressEvent(QMouseEvent* event)
{
    for (int i = 0; i < kStations; ++i)
        if (rectOf(Station(i)).contains(event->position().toPoint()))
            Q_EMIT picked(Station(i));
}

void Rail::mouseMoveEvent(QMouseEvent* event)
{
    hovered_ = -1;
    for (int i = 0; i < kStations; ++i)
        if (rectOf(Station(i)).contains(event->position().toPoint()))
            hovered_ = i;
    update();
}

void Rail::leaveEvent(QEvent*)
{
    hovered_ = -1;
    update();
}

} // namespace bindrel
