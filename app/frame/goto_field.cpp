// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/goto_field.h"

#include "app/theme/line.h"
#include "app/theme/theme.h"

#include <QKeyEvent>
#include <QPainter>

namespace bindrel {

void GotoList::paintEvent(QPaintEvent* event)
{
    QPainter p(viewport());
    p.fillRect(viewport()->rect(), Theme::get().raised);
    p.setPen(Theme::get().accent);
    p.drawRect(viewport()->rect().adjusted(0, 0, -1, -1));
    p.end();
    RowList::paintEvent(event);
}

void GotoList::paintRow(QPainter& p, int row, const QRect& rect, bool)
{
    const Theme& t = Theme::get();
    const GotoTarget& target = targets[size_t(row)];
    p.setFont(t.text(12, true));
    p.setPen(t.ink);
    const QString label = QString::fromStdString(target.label);
    drawLine(p, rect.adjusted(10, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, label);
    const int used = QFontMetrics(p.font()).horizontalAdvance(label) + 22;
    p.setFont(t.text(11));
    p.setPen(t.muted);
    const QRect hint = rect.adjusted(used, 0, -70, 0);
    drawLine(p, hint, Qt::AlignVCenter | Qt::AlignLeft, typeset(target.hint), Qt::ElideRight);
    drawLine(p, rect.adjusted(0, 0, -10, 0), Qt::AlignVCenter | Qt::AlignRight, QString::fromStdString(target.kind));
}

GotoField::GotoField(Document& document, ViewState& view, QWidget* parent)
    : QLineEdit(parent), document_(document), view_(view)
{
    setPlaceholderText("Go to pin, need, clock, register\u2026          Ctrl+K");
    setAccessibleName("Go to");
    connect(this, &QLineEdit::textEdited, this, &GotoField::search);
}

void GotoField::begin()
{
    setFocus(Qt::ShortcutFocusReason);
    selectAll();
}

void GotoField::search()
{
    if (!document_.isOpen())
        return;
    if (!list_) {
        list_ = new GotoList(window());
        list_->setFocusPolicy(Qt::NoFocus);
        connect(list_, &RowList::currentChanged, this, &GotoField::go);
    }
    all_ = gotoTargets(document_.snapshot());
    list_->targets = matchTargets(all_, text().toStdString(), 12);
    list_->refresh();
    list_->setCurrentRow(list_->targets.empty() ? -1 : 0);
    const QPoint at = mapTo(window(), QPoint(0, height() + 2));
    list_->setGeometry(at.x() - 60, at.y(), width() + 160, 22 * int(list_->targets.size()) + 2);
    list_->setVisible(!list_->targets.empty());
    list_->raise();
}

void GotoField::go(int row)
{
    if (!list_ || row < 0 || row >= int(list_->targets.size()))
        return;
    const Place place = list_->targets[size_t(row)].place;
    list_->hide();
    clear();
    clearFocus();
    view_.jump(place);
}

void GotoField::keyPressEvent(QKeyEvent* event)
{
    const bool open = list_ && list_->isVisible();
    if (open && (event->key() == Qt::Key_Down || event->key() == Qt::Key_Up)) {
        const int count = list_->rowCount();
        list_->setCurrentRow((list_->currentRow() + (event->key() == Qt::Key_Down ? 1 : count - 1)) % count);
    } else if (open && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)) {
        go(list_->currentRow());
    } else if (event->key() == Qt::Key_Escape) {
        if (open)
            list_->hide();
        clear();
        clearFocus();
    } else {
        QLineEdit::keyPressEvent(event);
    }
}

void GotoField::focusOutEvent(QFocusEvent* event)
{
    QLineEdit::focusOutEvent(event);
    if (list_)
        list_->hide();
}

} // namespace bindrel
