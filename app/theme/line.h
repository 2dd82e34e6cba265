// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QRectF>
#include <QString>

class QPainter;

namespace bindrel {

/// Draws one line in a box with the painter's font, cut where it is longer than the box if `elide` says so. How a line
/// lies is worked out once and kept, since most of what a view paints after an edit was there before; on anything but a
/// screen (a picture file) it is drawn as ordinary text.
void drawLine(QPainter& painter, const QRectF& box, Qt::Alignment align, const QString& text,
              Qt::TextElideMode elide = Qt::ElideNone);

} // namespace bindrel
