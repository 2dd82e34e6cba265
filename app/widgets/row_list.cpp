// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/row_list.h"

#include "app/theme/theme.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

namespace bindrel {

RowList::RowList(QWidget* parent) : QAbstractScrollArea(parent)
{
    setFrameShape(QFrame::NoFrame);
    setFocusPolicy(Qt::StrongFocus);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    viewport()->setAutoFillBackground(false);
}

int RowList::topOf(int row) const
{
    int top = 0;
    for (int i = 0; i < row; ++i)
        top += rowHeight(i);
    return top;
}

QRect RowList::rowRect(int row) const
{
    if (row < 0 || row >= rowCount())
        return {};
    return QRect(0, topOf(row) - verticalScrollBar()->value(), viewport()->width(), rowHeight(row));
}

int RowList::rowAt(const QPoint& point) const
{
    int top = -verticalScrollBar()->value();
    for (int i = 0; i < rowCount(); ++i) {
        const int bottom = top + rowHeight(i);
        if (point.y() >= top && point.y() < bottom)
            return i;
        top = bottom;
    }
    return -1;
}

void RowList::setCurrentRow(int row)
{
    current_ = row >= 0 && row < rowCount() ? row : -1;
    if (current_ >= 0) {
        const int top = topOf(current_);
        const int height = rowHeight(current_);
        QScrollBar* bar = verticalScrollBar();
        if (top < bar->value())
            bar->setValue(top);
        else if (top + height > bar->value() + viewport()->height())
            bar->setValue(top + height - viewport()->height());
    }
    viewport()->update();
}

void RowList::moveTo(int row)
{
    setCurrentRow(row);
    Q_EMIT currentChanged(row);
}

void RowList::rowsChanged()
{
    updateScroll();
    if (current_ >= rowCount())
        current_ = rowCount() - 1;
    viewport()->update();
}

void RowList::updateScroll()
{
    verticalScrollBar()->setRange(0, std::max(0, topOf(rowCount()) - viewport()->height()));
    verticalScrollBar()->setPageStep(viewport()->height());
    verticalScrollBar()->setSingleStep(20);
}

void RowList::resizeEvent(QResizeEvent*) { updateScroll(); }

void RowList::paintEvent(QPaintEvent*)
{
    QPainter painter(viewport());
    int top = -verticalScrollBar()->value();
    for (int i = 0; i < rowCount() && top < viewport()->height(); ++i) {
        const QRect rect(0, top, viewport()->width(), rowHeight(i));
        if (rect.bottom() >= 0) {
            painter.save();
            if (i == current_) {
                painter.fillRect(rect, Theme::get().sunken);
                if (hasFocus())
                    painter.fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), Theme::get().accent);
            }
            paintRow(painter, i, rect, i == current_);
            painter.restore();
        }
        top += rect.height();
    }
}

void RowList::keyPressEvent(QKeyEvent* event)
{
    const auto step = [this](int from, ClockIndex by) {
        for (int row = from + by; row >= 0 && row < rowCount(); row += by)
            if (selectable(row))
                return row;
        return -1;
    };
    int target = -1;
    switch (event->key()) {
    case Qt::Key_Down:
        target = step(current_, 1);
        break;
    case Qt::Key_Up:
        target = step(current_ < 0 ? rowCount() : current_, -1);
        break;
    case Qt::Key_Home:
        target = step(-1, 1);
        break;
    case Qt::Key_End:
        target = step(rowCount(), -1);
        break;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        if (current_ >= 0)
            Q_EMIT activated(current_);
        else
            event->ignore(); // a dialog's default button may want it
        return;
    default:
        QAbstractScrollArea::keyPressEvent(event);
        return;
    }
    if (target >= 0)
        moveTo(target);
}

void RowList::mousePressEvent(QMouseEvent* event)
{
    const int row = rowAt(event->position().toPoint());
    if (row >= 0 && selectable(row))
        moveTo(row);
}

void RowList::mouseDoubleClickEvent(QMouseEvent* event)
{
    if (const int row = rowAt(event->position().toPoint()); row >= 0 && selectable(row))
        Q_EMIT activated(row);
}

bool RowList::viewportEvent(QEvent* event)
{
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const int row = rowAt(help->pos());
        QToolTip::showText(help->globalPos(), row < 0 ? QString() : rowText(row), this);
        return true;
    }
    return QAbstractScrollArea::viewportEvent(event);
}

} // namespace bindrel
