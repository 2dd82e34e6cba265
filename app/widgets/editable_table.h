// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QStyledItemDelegate>
#include <QTableView>

namespace bindrel {

/// A table whose cells are edited while its rows may change at any moment, also because of what was just entered:
/// an editor that has lost its cell meanwhile is left alone.
class EditableTable : public QTableView {
    Q_OBJECT

public:
    using QTableView::QTableView;

protected Q_SLOTS:
    void commitData(QWidget* editor) override;
    void closeEditor(QWidget* editor, QAbstractItemDelegate::EndEditHint hint) override;
};

/// Commits at Enter, not one turn of the event loop later, when the cell may no longer exist.
class PromptDelegate : public QStyledItemDelegate {
    Q_OBJECT

public:
    using QStyledItemDelegate::QStyledItemDelegate;

protected:
    bool eventFilter(QObject* editor, QEvent* event) override;
};

} // namespace bindrel
