// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/frame/goto_targets.h"
#include "app/session/document.h"
#include "app/session/view_state.h"
#include "app/widgets/row_list.h"

#include <QLineEdit>

namespace bindrel {

/// The list under the go-to field.
class GotoList : public RowList {
    Q_OBJECT
public:
    using RowList::RowList;
    std::vector<GotoTarget> targets;
    int rowCount() const override { return int(targets.size()); }
    QString rowText(int row) const override { return QString::fromStdString(targets[size_t(row)].hint); }
    void refresh() { rowsChanged(); }

protected:
    int rowHeight(int) const override { return 22; }
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    void paintEvent(QPaintEvent*) override;
};

/// Type a part of any name, choose with the arrow keys, Enter goes there.
class GotoField : public QLineEdit {
    Q_OBJECT
public:
    GotoField(Document& document, ViewState& view, QWidget* parent = nullptr);
    void begin();

protected:
    void keyPressEvent(QKeyEvent*) override;
    void focusOutEvent(QFocusEvent*) override;

private:
    void search();
    void go(int row);
    Document& document_;
    ViewState& view_;
    std::vector<GotoTarget> all_;
    GotoList* list_ = nullptr;
};

} // namespace bindrel
