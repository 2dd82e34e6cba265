// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/row_list.h"

#include "app/theme/theme.h"

#include <QAbstractItemDelegate>
#include <QAbstractListModel>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

namespace bindrel {

/// The rows as texts. Before the first rowsChanged() and while the list goes there are none.
class RowList::Model : public QAbstractListModel {
public:
    explicit Model(RowList& list) : QAbstractListModel(&list), list_(list) {}
    int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : rows_; }
    QVariant data(const QModelIndex& index, int role) const override
    {
        const bool text = role == Qt::DisplayRole || role == Qt::AccessibleTextRole || role == Qt::ToolTipRole;
        return text && list_.has(index.row()) ? QVariant(list_.rowText(index.row())) : QVariant();
    }
    Qt::ItemFlags flags(const QModelIndex& index) const override
    {
        return list_.has(index.row()) && list_.selectable(index.row()) ? Qt::ItemIsEnabled | Qt::ItemIsSelectable
                                                                       : Qt::ItemIsEnabled;
    }
    bool there() const { return there_; }
    void reset(bool there)
    {
        beginResetModel();
        there_ = there;
        // As many as there are now: until the next reset the view asks for these, whatever its owner has put in place
        // meanwhile.
        rows_ = there ? list_.rowCount() : 0;
        endResetModel();
    }

private:
    RowList& list_;
    bool there_ = false;
    int rows_ = 0;
};

class RowList::Delegate : public QAbstractItemDelegate {
public:
    explicit Delegate(RowList& list) : QAbstractItemDelegate(&list), list_(list) {}
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override
    {
        return QSize(1, list_.has(index.row()) ? list_.rowHeight(index.row()) : 0);
    }
    void paint(QPainter* painter, const QStyleOptionViewItem&, const QModelIndex& index) const override
    {
        const int row = index.row();
        if (!list_.has(row))
            return;
        const QRect rect = list_.rowRect(row);
        painter->save();
        if (row == list_.current_) {
            painter->fillRect(rect, Theme::get().sunken);
            if (list_.hasFocus())
                painter->fillRect(QRect(rect.left(), rect.top(), 3, rect.height()), Theme::get().accent);
        }
        list_.paintRow(*painter, row, rect, row == list_.current_);
        painter->restore();
    }

private:
    RowList& list_;
};

RowList::RowList(QWidget* parent) : QListView(parent), model_(new Model(*this))
{
    setFrameShape(QFrame::NoFrame);
    setFocusPolicy(Qt::StrongFocus);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setVerticalScrollMode(ScrollPerPixel);
    setResizeMode(Adjust);
    setEditTriggers(NoEditTriggers);
    setSelectionMode(SingleSelection);
    setAutoScroll(false); // setCurrentRow() does
    setModel(model_);
    setItemDelegate(new Delegate(*this));
    viewport()->setAutoFillBackground(false);
}

RowList::~RowList()
{
    model_->reset(false);
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
    if (!has(row))
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
    current_ = has(row) ? row : -1;
    currentKey_ = current_ < 0 ? QString() : rowKey(current_);
    if (current_ >= 0) {
        const int top = topOf(current_);
        const int height = rowHeight(current_);
        QScrollBar* bar = verticalScrollBar();
        if (top < bar->value())
            bar->setValue(top);
        else if (top + height > bar->value() + viewport()->height())
            bar->setValue(top + height - viewport()->height());
    }
    tellCurrent();
    viewport()->update();
}

/// The model's selection is what assistive technology hears of.
void RowList::tellCurrent()
{
    const QModelIndex index = current_ < model_->rowCount() ? model_->index(std::max(current_, 0)) : QModelIndex();
    if (current_ < 0 || !index.isValid())
        selectionModel()->clear();
    else
        selectionModel()->setCurrentIndex(index, QItemSelectionModel::ClearAndSelect);
}

void RowList::moveTo(int row)
{
    setCurrentRow(row);
    Q_EMIT currentChanged(row);
}

void RowList::rowsChanged()
{
    const int scrolled = verticalScrollBar()->value();
    // Before the view looks: a row of what was there before is not one of what is there now.
    current_ = -1;
    for (int row = 0; !currentKey_.isEmpty() && current_ < 0 && row < rowCount(); ++row)
        if (rowKey(row) == currentKey_)
            current_ = row;
    if (current_ < 0)
        currentKey_.clear();
    model_->reset(true);
    doItemsLayout();
    verticalScrollBar()->setSingleStep(20);
    verticalScrollBar()->setValue(scrolled);
    tellCurrent();
    viewport()->update();
}

void RowList::resizeEvent(QResizeEvent* event)
{
    QListView::resizeEvent(event);
    if (!model_->there()) {
        const int current = current_;
        rowsChanged();
        return setCurrentRow(current);
    }
    doItemsLayout(); // now, not when the event loop comes round: who asks for a row's place asks at once
}

void RowList::keyPressEvent(QKeyEvent* event)
{
    const auto step = [this](int from, int by) {
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
        if (has(current_))
            Q_EMIT activated(current_);
        else
            event->ignore(); // a dialog's default button may want it
        return;
    default:
        // No search by typing: letters are commands.
        QAbstractScrollArea::keyPressEvent(event); // NOLINT(bugprone-parent-virtual-call)
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

void RowList::mouseMoveEvent(QMouseEvent* event)
{
    event->ignore();
}

void RowList::mouseReleaseEvent(QMouseEvent* event)
{
    event->ignore();
}

void RowList::focusInEvent(QFocusEvent*)
{
    viewport()->update();
}

void RowList::focusOutEvent(QFocusEvent*)
{
    viewport()->update();
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
    return QListView::viewportEvent(event);
}

bool RowList::event(QEvent* event)
{
    // Keys that the list does not use are the window's. NOLINTNEXTLINE(bugprone-parent-virtual-call)
    return event->type() == QEvent::ShortcutOverride ? QAbstractScrollArea::event(event) : QListView::event(event);
}

} // namespace bindrel
