// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/memory_bars.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QPainter>

#include <algorithm>

namespace bindrel {

namespace {

QString bytesText(std::uint64_t bytes)
{
    return bytes < 1024 ? QString("%1 B").arg(bytes) : QString(say("%1 KiB")).arg(double(bytes) / 1024, 0, 'f', 1);
}

} // namespace

MemoryBars::MemoryBars(QWidget* parent) : QWidget(parent)
{
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setAccessibleName(say("Memory that the programs take"));
}

void MemoryBars::setRows(std::vector<Row> rows)
{
    rows_ = std::move(rows);
    QStringList said;
    for (const Row& row : rows_)
        said << QString(say("%1: %2 of %3")).arg(row.name, bytesText(row.used), bytesText(row.all));
    setAccessibleDescription(said.join("; "));
    updateGeometry();
    update();
}

QSize MemoryBars::sizeHint() const
{
    return {320, int(rows_.size()) * kRow};
}

void MemoryBars::paintEvent(QPaintEvent*)
{
    const Theme& t = Theme::get();
    QPainter p(this);
    for (size_t i = 0; i < rows_.size(); ++i) {
        const Row& row = rows_[i];
        const QRect line(0, int(i) * kRow, width(), kRow);
        const double part = row.all > 0 ? double(row.used) / double(row.all) : 0;
        p.setFont(t.text(12));
        p.setPen(t.ink);
        drawLine(p, QRect(line.left(), line.top(), 140, kRow), Qt::AlignVCenter | Qt::AlignLeft, row.name);
        const QString text = QString(say("%1 of %2, %3 %"))
                                 .arg(bytesText(row.used), bytesText(row.all))
                                 .arg(part * 100, 0, 'f', part < 0.1 ? 1 : 0);
        drawLine(p, QRect(line.right() - 200, line.top(), 200, kRow), Qt::AlignVCenter | Qt::AlignRight, text);
        const QRect bar(line.left() + 148, line.top() + 6, std::max(40, line.width() - 148 - 212), kRow - 12);
        p.fillRect(bar, t.sunken);
        p.fillRect(QRect(bar.left(), bar.top(), std::max(1, int(bar.width() * std::min(part, 1.0))), bar.height()),
                   part > 1     ? t.error
                   : part > 0.9 ? t.caution
                                : t.accent);
    }
}

} // namespace bindrel
