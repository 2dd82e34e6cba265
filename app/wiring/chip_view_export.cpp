// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/theme/theme.h"
#include "app/wiring/chip_view.h"

#include <QBuffer>
#include <QPageSize>
#include <QPainter>
#include <QPdfWriter>
#include <QSaveFile>
#include <QSvgGenerator>

#include <fmt/format.h>

namespace bindrel {

Outcome ChipView::exportPicture(const QString& path)
{
    const QString ending = path.section('.', -1).toLower();
    if (!QStringList{"svg", "pdf", "png"}.contains(ending))
        return problemOf(fmt::format("{} ends neither in .svg nor in .pdf nor in .png.", path.toStdString()));
    if (!document_.isOpen())
        return problemOf("no plan is open.");
    // The whole picture at full size, whatever part of it the window shows.
    const QSizeF size = layout_.bounds.size();
    const QTransform shownTransform = transform_;
    const auto draw = [&](QPainter& p, double scale) {
        transform_ = QTransform::fromScale(scale, scale).translate(-layout_.bounds.left(), -layout_.bounds.top());
        p.setRenderHint(QPainter::Antialiasing, true);
        p.fillRect(QRectF(QPointF(0, 0), size * scale), Theme::get().paper);
        drawAll(p);
        transform_ = shownTransform;
    };
    // In memory first and then in one step to its place, so that a picture that was there is not spoilt.
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    const QString title = QString::fromStdString(document_.snapshot().plan.name);
    if (ending == "svg") {
        QSvgGenerator svg;
        svg.setOutputDevice(&buffer);
        svg.setSize(size.toSize());
        svg.setViewBox(QRectF(QPointF(0, 0), size));
        svg.setTitle(title);
        QPainter p(&svg);
        draw(p, 1);
    } else if (ending == "pdf") {
        QPdfWriter pdf(&buffer);
        pdf.setTitle(title);
        pdf.setCreator("Bindrel");
        pdf.setResolution(72);
        pdf.setPageMargins({});
        pdf.setPageSize(QPageSize(size, QPageSize::Point, {}, QPageSize::ExactMatch));
        QPainter p(&pdf);
        draw(p, 1);
    } else {
        QImage image((size * 2).toSize(), QImage::Format_RGB32);
        QPainter p(&image);
        draw(p, 2);
        p.end();
        image.save(&buffer, "PNG");
    }
    QSaveFile file(path);
    if (!file.open(QIODevice::WriteOnly) || file.write(bytes) != bytes.size() || !file.commit())
        return problemOf(fmt::format("{} cannot be written: {}. Choose another place.", path.toStdString(), file.errorString().toStdString()));
    return {};
}

} // namespace bindrel
