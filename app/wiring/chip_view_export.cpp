// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/theme/theme.h"
#include "app/widgets/picture_file.h"
#include "app/wiring/chip_view.h"
#include "core/base/say.h"

namespace bindrel {

Outcome ChipView::exportPicture(const QString& path)
{
    if (!document_.isOpen())
        return problemOf(say("no plan is open."));
    // The whole picture at full size, whatever part of it the window shows.
    const QSizeF size = layout_.bounds.size();
    const QTransform shownTransform = transform_;
    return writePicture(
        path, QString::fromStdString(document_.snapshot().plan.name), size, [&](QPainter& p, double scale) {
            transform_ = QTransform::fromScale(scale, scale).translate(-layout_.bounds.left(), -layout_.bounds.top());
            p.setRenderHint(QPainter::Antialiasing, true);
            p.fillRect(QRectF(QPointF(0, 0), size * scale), Theme::get().paper);
            drawAll(p);
            transform_ = shownTransform;
        });
}

} // namespace bindrel
