// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/entry_list.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"

#include <QPainter>

namespace bindrel {

void EntryList::paintRow(QPainter& p, int row, const QRect& rect, bool)
{
    const Theme& t = Theme::get();
    const Look entry = look(row);
    if (entry.heading) {
        p.setFont(t.heading());
        p.setPen(t.muted);
        drawLine(p, rect.adjusted(12, 8, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, entry.title);
        return;
    }
    p.setFont(t.text(13, true));
    p.setPen(t.ink);
    drawLine(p, rect.adjusted(14, 3, -8, -19), Qt::AlignVCenter | Qt::AlignLeft, entry.title);
    p.setFont(t.text(11));
    p.setPen(t.muted);
    drawLine(p, rect.adjusted(14, 19, -8, -2), Qt::AlignVCenter | Qt::AlignLeft, entry.detail, Qt::ElideMiddle);
}

} // namespace bindrel
