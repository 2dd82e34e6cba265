// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/marks.h"

#include "app/theme/theme.h"

#include <QPainter>
#include <QPainterPath>

namespace bindrel {

void drawStateMark(QPainter& painter, const QRectF& box, BoundNeed::State state, const QColor& hue, const QColor& other)
{
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing, true);
    switch (state) {
    case BoundNeed::State::Bound:
        painter.fillRect(box, hue);
        break;
    case BoundNeed::State::Open:
        painter.setPen(QPen(hue, 1.4));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(box.adjusted(0.7, 0.7, -0.7, -0.7));
        break;
    case BoundNeed::State::Contested: {
        const QColor second = other.isValid() ? other : Theme::get().error;
        painter.setPen(Qt::NoPen);
        painter.setBrush(hue);
        painter.drawPolygon(QPolygonF{box.topLeft(), box.topRight(), box.bottomLeft()});
        painter.setBrush(second);
        painter.drawPolygon(QPolygonF{box.topRight(), box.bottomRight(), box.bottomLeft()});
        painter.setPen(QPen(Theme::get().raised, 1.2));
        painter.drawLine(box.topRight(), box.bottomLeft());
        break;
    }
    }
    painter.restore();
}

void drawHoldBar(QPainter& painter, const QRectF& box)
{
    painter.fillRect(QRectF(box.left() - 4, box.top(), 2, box.height()), Theme::get().ink);
}

void drawSeverityMark(QPainter& painter, const QRectF& box, Finding::Severity severity)
{
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing, true);
    painter.setPen(Qt::NoPen);
    if (severity == Finding::Severity::Error) {
        painter.setBrush(Theme::get().error);
        painter.drawRect(box.adjusted(1, 1, -1, -1));
    } else {
        painter.setBrush(Theme::get().caution);
        painter.drawPolygon(QPolygonF{QPointF(box.center().x(), box.top()), box.bottomRight(), box.bottomLeft()});
    }
    painter.restore();
}

QColor hueOf(const Snapshot& snapshot, const Need& need)
{
    for (size_t i = 0; i < snapshot.board->parts.size(); ++i)
        if (snapshot.board->parts[i].id == need.part)
            return Theme::get().hue(static_cast<int>(i));
    return Theme::get().muted;
}

} // namespace bindrel
