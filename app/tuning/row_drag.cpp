// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/row_drag.h"

#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QApplication>
#include <QFrame>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QTableView>

#include <algorithm>
#include <cstdlib>

namespace bindrel {

namespace {
constexpr int kBoundary = 4; ///< pixels on either side of a row's edge that mean the gap
} // namespace

RowDrag::RowDrag(QTableView* table) : QObject(table), table_(table), line_(new QFrame(table->viewport()))
{
    line_->setAttribute(Qt::WA_TransparentForMouseEvents);
    line_->hide();
    table->viewport()->installEventFilter(this);
    table->installEventFilter(this);
}

RowDrag::Place RowDrag::placeAt(const QPoint& at) const
{
    const int many = table_->model()->rowCount();
    for (int row = 0; row < many; ++row) {
        const int top = table_->rowViewportPosition(row), bottom = top + table_->rowHeight(row);
        if (at.y() < top + kBoundary)
            return {row, true};
        if (at.y() < bottom - kBoundary)
            return {row, false};
    }
    return {many, true};
}

void RowDrag::showAt(const Place& place)
{
    const Theme& t = Theme::get();
    const int many = table_->model()->rowCount();
    const int wide = table_->viewport()->width();
    if (place.between) {
        const int y = place.row < many ? table_->rowViewportPosition(place.row)
                                       : table_->rowViewportPosition(many - 1) + table_->rowHeight(many - 1);
        line_->setGeometry(0, y - 1, wide, 2);
        restyle(line_, QString("background: %1").arg(t.accent.name()));
    } else {
        line_->setGeometry(0, table_->rowViewportPosition(place.row), wide, table_->rowHeight(place.row));
        restyle(line_, QString("background: transparent; border: 2px solid %1").arg(t.accent.name()));
    }
    line_->show();
    line_->raise();
}

void RowDrag::end()
{
    pressed_ = -1;
    dragging_ = false;
    line_->hide();
}

bool RowDrag::eventFilter(QObject* watched, QEvent* event)
{
    switch (event->type()) {
    case QEvent::MouseButtonPress:
        if (auto* mouse = static_cast<QMouseEvent*>(event);
            watched == table_->viewport() && mouse->button() == Qt::LeftButton) {
            pressed_ = table_->rowAt(mouse->position().toPoint().y());
            pressedAt_ = mouse->position().toPoint().y();
            dragging_ = false;
        }
        break;
    case QEvent::MouseMove:
        if (auto* mouse = static_cast<QMouseEvent*>(event); watched == table_->viewport() && pressed_ >= 0) {
            const QPoint at = mouse->position().toPoint();
            dragging_ = dragging_ || std::abs(at.y() - pressedAt_) >= QApplication::startDragDistance();
            if (!dragging_)
                return false;
            showAt(placeAt(at));
            return true; // the table would select what the pointer passes
        }
        break;
    case QEvent::MouseButtonRelease:
        if (auto* mouse = static_cast<QMouseEvent*>(event); watched == table_->viewport() && pressed_ >= 0) {
            const int row = pressed_;
            const bool drop = dragging_ && row < table_->model()->rowCount();
            const Place place = placeAt(mouse->position().toPoint());
            end();
            if (drop && place.row != row && !(place.between && place.row == row + 1))
                Q_EMIT moved(row, place.row, place.between);
            return drop;
        }
        break;
    case QEvent::Hide:
        end();
        break;
    case QEvent::KeyPress:
        if (auto* key = static_cast<QKeyEvent*>(event);
            watched == table_ && key->modifiers() == Qt::AltModifier && table_->currentIndex().isValid()) {
            const int row = table_->currentIndex().row();
            if (key->key() == Qt::Key_Up) {
                Q_EMIT moved(row, std::max(0, row - 1), row == 0);
                return true;
            }
            if (key->key() == Qt::Key_Down) {
                const bool last = row + 1 >= table_->model()->rowCount();
                Q_EMIT moved(row, row + 1, last);
                return true;
            }
        }
        break;
    default:
        break;
    }
    return QObject::eventFilter(watched, event);
}

} // namespace bindrel
