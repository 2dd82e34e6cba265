// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/editable_table.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QPointer>

namespace bindrel {

// A view hides the editors that it lets go of; one that it still has is not hidden, even when the table is.

void EditableTable::commitData(QWidget* editor)
{
    if (editor && !editor->isHidden())
        QTableView::commitData(editor);
}

void EditableTable::closeEditor(QWidget* editor, QAbstractItemDelegate::EndEditHint hint)
{
    if (editor && !editor->isHidden())
        QTableView::closeEditor(editor, hint);
}

bool PromptDelegate::eventFilter(QObject* object, QEvent* event)
{
    auto* field = qobject_cast<QLineEdit*>(object);
    if (!field || event->type() != QEvent::KeyPress)
        return QStyledItemDelegate::eventFilter(object, event);
    const int key = static_cast<QKeyEvent*>(event)->key();
    if (key != Qt::Key_Return && key != Qt::Key_Enter)
        return QStyledItemDelegate::eventFilter(object, event);
    const QPointer<QWidget> guard(field);
    Q_EMIT commitData(field);
    if (guard)
        Q_EMIT closeEditor(guard, SubmitModelCache);
    return true;
}

} // namespace bindrel
