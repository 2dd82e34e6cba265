// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/cell_editor.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QKeyEvent>
#include <QLineEdit>
#include <QPointer>

namespace bindrel {

CellEditor::CellEditor(Choices choices, QString empty, Commit commit, PendingText& pending, QObject* parent)
    : PromptDelegate(parent), choices_(std::move(choices)), empty_(std::move(empty)), commit_(std::move(commit)),
      pending_(pending)
{
}

QWidget* CellEditor::createEditor(QWidget* parent, const QStyleOptionViewItem&, const QModelIndex& index) const
{
    const QStringList choices = choices_(index);
    auto* self = const_cast<CellEditor*>(this);
    if (choices.isEmpty()) {
        auto* field = new QLineEdit(parent);
        field->setMaxLength(maxLength_);
        field->setFrame(false);
        // Whoever goes elsewhere by a key has the text taken first, as by a click.
        connect(field, &QLineEdit::textEdited, self, [self, field, cell = QPersistentModelIndex(index)] {
            self->pending_.typed(field, [self, field, cell] { return self->take(field, cell, field->text()); });
        });
        return field;
    }
    auto* box = new QComboBox(parent);
    box->addItems(choices);
    box->addItem(empty_);
    connect(box, &QComboBox::activated, self,
            [self, box, cell = QPersistentModelIndex(index)] { self->tell(self->take(box, cell, textOf(*box))); });
    return box;
}

void CellEditor::destroyEditor(QWidget* editor, const QModelIndex& index) const
{
    pending_.forget(editor);
    PromptDelegate::destroyEditor(editor, index);
}

void CellEditor::setEditorData(QWidget* editor, const QModelIndex& index) const
{
    const QString text = index.data(Qt::EditRole).toString();
    if (auto* box = qobject_cast<QComboBox*>(editor))
        box->setCurrentText(text.isEmpty() ? empty_ : text);
    else
        static_cast<QLineEdit*>(editor)->setText(text);
}

void CellEditor::setModelData(QWidget* editor, QAbstractItemModel*, const QModelIndex& index) const
{
    if (auto* box = qobject_cast<QComboBox*>(editor)) {
        tell(commit_(index, textOf(*box)));
        return;
    }
    pending_.forget(editor);
    tell(commit_(index, static_cast<QLineEdit*>(editor)->text()));
}

/// Entered by a key: a text that is refused keeps its field.
bool CellEditor::eventFilter(QObject* object, QEvent* event)
{
    auto* field = qobject_cast<QLineEdit*>(object);
    const int key = event->type() == QEvent::KeyPress ? static_cast<QKeyEvent*>(event)->key() : 0;
    const bool next = key == Qt::Key_Tab, previous = key == Qt::Key_Backtab;
    auto* view = qobject_cast<QAbstractItemView*>(field && field->parentWidget() ? field->parentWidget()->parentWidget()
                                                                                 : nullptr);
    const QModelIndex cell = view ? view->indexAt(field->pos()) : QModelIndex();
    if (!cell.isValid() || !(next || previous || key == Qt::Key_Return || key == Qt::Key_Enter))
        return PromptDelegate::eventFilter(object, event);
    const QPointer<QLineEdit> guard(field);
    if (const QString why = commit_(cell, field->text()); !why.isEmpty()) {
        tell(why);
        if (guard)
            guard->selectAll();
        return true;
    }
    if (guard) {
        pending_.forget(guard);
        Q_EMIT closeEditor(guard, next ? EditNextItem : previous ? EditPreviousItem : NoHint);
    }
    return true;
}

QString CellEditor::textOf(const QComboBox& box)
{
    return box.currentIndex() == box.count() - 1 ? QString() : box.currentText();
}

void CellEditor::tell(const QString& why) const
{
    if (!why.isEmpty())
        Q_EMIT pending_.refused(why);
}

/// What was entered goes to its cell, also when the view has closed the editor meanwhile.
QString CellEditor::take(QWidget* editor, const QPersistentModelIndex& cell, const QString& text)
{
    const QPointer<QWidget> guard(editor);
    if (const QString why = cell.isValid() ? commit_(cell, text) : QString(); !why.isEmpty())
        return why;
    const auto* view = qobject_cast<QAbstractItemView*>(
        guard && guard->parentWidget() ? guard->parentWidget()->parentWidget() : nullptr);
    if (view && cell.isValid() && view->indexWidget(cell) == guard)
        Q_EMIT closeEditor(guard);
    return {};
}

} // namespace bindrel
