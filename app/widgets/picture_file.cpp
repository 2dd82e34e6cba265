// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/picture_file.h"

#include "core/base/files.h"
#include "core/base/say.h"

#include <QBuffer>
#include <QImage>
#include <QPageSize>
#include <QPdfWriter>
#include <QStringList>
#include <QSvgGenerator>

#include <fmt/format.h>

namespace bindrel {

Outcome writePicture(const QString& path, const QString& title, const QSizeF& size,
                     const std::function<void(QPainter&, double scale)>& draw)
{
    const QString ending = path.section('.', -1).toLower();
    if (!QStringList{"svg", "pdf", "png"}.contains(ending))
        return problemOf(say("{} must end in .svg, .pdf or .png.", path.toStdString()));
    // In memory first and then in one step to its place, so that a picture that was there is not spoilt.
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
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
    return writeFileAtomically(path.toStdString(), std::string_view(bytes.constData(), std::size_t(bytes.size())));
}

} // namespace bindrel
