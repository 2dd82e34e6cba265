// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/pending_text.h"
#include "app/widgets/editable_table.h"

#include <functional>

class QComboBox;
class QLineEdit;

namespace bindrel {

/// Edits cells in place: a box of choices where there are some, a field where the text is free. What is entered is
/// given to a function, not to the model; what is refused stays in its cell, to be corrected.
class CellEditor : public PromptDelegate {
    Q_OBJECT
public:
    using Choices = std::function<QStringList(const QModelIndex&)>;
    /// Puts a text where it belongs; a problem in words when it cannot go there. Such a text stays in its cell when
    /// somebody goes elsewhere by a key.
    using Commit = std::function<QString(const QModelIndex&, const QString&)>;

    /// `empty`: how the choice of saying nothing is called.
    CellEditor(Choices choices, QString empty, Commit commit, PendingText& pending, QObject* parent);

    QWidget* createEditor(QWidget* parent, const QStyleOptionViewItem&, const QModelIndex& index) const override;
    void destroyEditor(QWidget* editor, const QModelIndex& index) const override;
    void setEditorData(QWidget* editor, const QModelIndex& index) const override;
    void setModelData(QWidget* editor, QAbstractItemModel*, const QModelIndex& index) const override;

    bool eventFilter(QObject* object, QEvent* event) override;

    void setMaxLength(int length) { maxLength_ = length; }

private:
    static QString textOf(const QComboBox& box);
    QString take(QWidget* editor, const QPersistentModelIndex& cell, const QString& text);
    void tell(const QString& why) const;

    Choices choices_;
    QString empty_;
    Commit commit_;
    PendingText& pending_;
    int maxLength_ = 64;
};

} // namespace bindrel
