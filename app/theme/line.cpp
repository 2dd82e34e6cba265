// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/theme/line.h"

#include <QCache>
#include <QFontMetricsF>
#include <QPaintEngine>
#include <QPainter>
#include <QStaticText>

namespace bindrel {

namespace {

constexpr int kKept = 4000; ///< lines; a full window has some hundreds

struct Key {
    QString text;
    QFont font;
    double width; ///< to which it is cut
    Qt::TextElideMode elide;
    friend bool operator==(const Key&, const Key&) = default;
    friend std::size_t qHash(const Key& key, std::size_t seed)
    {
        return qHashMulti(seed, key.text, key.font, key.width, int(key.elide));
    }
};

QString cut(const QPainter& painter, const QRectF& box, const QString& text, Qt::TextElideMode elide)
{
    return elide == Qt::ElideNone ? text : QFontMetricsF(painter.font()).elidedText(text, elide, box.width());
}

} // namespace

void drawLine(QPainter& painter, const QRectF& box, Qt::Alignment align, const QString& text, Qt::TextElideMode elide)
{
    if (text.isEmpty())
        return;
    if (painter.paintEngine()->type() != QPaintEngine::Raster) {
        painter.drawText(box, int(align), cut(painter, box, text, elide));
        return;
    }
    static QCache<Key, QStaticText> kept(kKept);
    const Key key{text, painter.font(), elide == Qt::ElideNone ? 0.0 : box.width(), elide};
    QStaticText* line = kept.object(key);
    if (!line) {
        line = new QStaticText(cut(painter, box, text, elide));
        line->setTextFormat(Qt::PlainText);
        line->setPerformanceHint(QStaticText::AggressiveCaching);
        line->prepare(QTransform(), painter.font());
        kept.insert(key, line);
    }
    const QSizeF size = line->size();
    QPointF at = box.topLeft();
    if (align & Qt::AlignRight)
        at.setX(box.right() - size.width());
    else if (align & Qt::AlignHCenter)
        at.setX(box.center().x() - size.width() / 2);
    if (align & Qt::AlignBottom)
        at.setY(box.bottom() - size.height());
    else if (align & Qt::AlignVCenter)
        at.setY(box.center().y() - size.height() / 2);
    // What is longer than its box and not cut ends where the box does.
    const bool tooLong = size.width() > box.width() + 1;
    if (tooLong) {
        painter.save();
        painter.setClipRect(box, Qt::IntersectClip);
    }
    painter.drawStaticText(at, *line);
    if (tooLong)
        painter.restore();
}

} // namespace bindrel
