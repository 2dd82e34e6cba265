// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/alternatives_list.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QKeyEvent>
#include <QPainter>

#include <algorithm>

namespace bindrel {

namespace {
constexpr int kAlternativeRow = 21;
constexpr int kAlternativeMark = 16; ///< at the left, for the one in use
} // namespace

AlternativesList::AlternativesList(QWidget* parent) : RowList(parent)
{
    setAccessibleName(say("Alternatives"));
    setObjectName("alternatives");
    setFrameShape(QFrame::NoFrame);
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    viewport()->setAutoFillBackground(false);
    connect(this, &RowList::currentChanged, this, &AlternativesList::compared);
    connect(this, &RowList::activated, this, &AlternativesList::applied);
}

void AlternativesList::setAlternatives(Alternatives alternatives)
{
    const bool same = alternatives.all.size() == alternatives_.all.size() &&
                      std::equal(alternatives.all.begin(), alternatives.all.end(), alternatives_.all.begin(),
                                 [](const Alternative& a, const Alternative& b) { return a.choice == b.choice; });
    const int row = currentRow();
    alternatives_ = std::move(alternatives);
    rowsChanged();
    setCurrentRow(same ? row : -1);
    updateGeometry();
}

QSize AlternativesList::sizeHint() const
{
    return {240, rowCount() * kAlternativeRow + 4};
}

int AlternativesList::rowHeight(int) const
{
    return kAlternativeRow;
}

QString AlternativesList::rowText(int row) const
{
    const Alternative& one = alternatives_.all[size_t(row)];
    return QString("%1, %2, %3%4")
        .arg(typeset(one.choice), typeset(one.result), typeset(one.note),
             row == alternatives_.used ? QString(say(", in use")) : QString());
}

void AlternativesList::paintRow(QPainter& p, int row, const QRect& rect, bool)
{
    const Theme& t = Theme::get();
    const auto width = [&](auto text) {
        int most = 0;
        for (const Alternative& one : alternatives_.all)
            most = std::max(most, QFontMetrics(t.mono(11)).horizontalAdvance(typeset(text(one))));
        return most + 14;
    };
    const Alternative& one = alternatives_.all[size_t(row)];
    const bool used = row == alternatives_.used;
    if (used) {
        p.setRenderHint(QPainter::Antialiasing, true);
        p.setPen(Qt::NoPen);
        p.setBrush(t.accent);
        const QPointF at(rect.left() + 6, rect.center().y() + 0.5);
        p.drawPolygon(QPolygonF{at + QPointF(0, -4), at + QPointF(6, 0), at + QPointF(0, 4)});
        p.setRenderHint(QPainter::Antialiasing, false);
    }
    p.setFont(t.mono(11, used));
    p.setPen(used ? t.ink : t.muted);
    int left = rect.left() + kAlternativeMark;
    const int choice = width([](const Alternative&a) { return a.choice; }),
              result = width([](const Alternative&a) { return a.result; });
    drawLine(p, QRect(left, rect.top(), choice, kAlternativeRow), Qt::AlignVCenter | Qt::AlignLeft,
             typeset(one.choice));
    left += choice;
    drawLine(p, QRect(left, rect.top(), result, kAlternativeRow), Qt::AlignVCenter | Qt::AlignLeft,
             typeset(one.result));
    left += result;
    drawLine(p, QRect(left, rect.top(), rect.right() - left, kAlternativeRow), Qt::AlignVCenter | Qt::AlignLeft,
             typeset(one.note), Qt::ElideRight);
}

void AlternativesList::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Escape && currentRow() >= 0) {
        setCurrentRow(-1);
        Q_EMIT compared(-1);
    } else {
        RowList::keyPressEvent(event);
    }
}

void AlternativesList::focusOutEvent(QFocusEvent* event)
{
    RowList::focusOutEvent(event);
    if (event->reason() == Qt::PopupFocusReason || event->reason() == Qt::ActiveWindowFocusReason)
        return;
    setCurrentRow(-1);
    Q_EMIT compared(-1);
}

} // namespace bindrel
