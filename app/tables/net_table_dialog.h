// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/tables/columns_table.h"
#include "core/interchange/net_table.h"

#include <QDialog>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>

namespace bindrel {

/// Shows how a table of nets is understood and what it would change: which column is the pin and which the net can be
/// said otherwise before anything changes. What was said is kept beside the table's file.
class NetTableDialog : public QDialog {
    Q_OBJECT
public:
    /// `path` is the table's file; empty for what was pasted.
    NetTableDialog(Document& document, Grid grid, const QString& from, const QString& path, QWidget* parent = nullptr);

    ~NetTableDialog() override;

    ColumnsTable* columns() const { return table_; }
    QString summary() const { return summary_->text(); }
    QPushButton* applyButton() const { return apply_; }
    const NetTable& nets() const { return nets_; }

    void accept() override;

private:
    void choose(int column, const QString& text);
    void refresh();

    Document& document_;
    Grid grid_;
    QString path_;
    NetColumns said_, recognised_;
    NetColumns before_; ///< as it was before the column that is being chosen; keys step through its choices
    int choosing_ = -1; ///< that column
    NetTable nets_;
    Edit edit_;
    ColumnsTable* table_ = nullptr;
    QLabel* summary_ = nullptr;
    QListWidget* list_ = nullptr;
    QPushButton* apply_ = nullptr;
};

} // namespace bindrel
