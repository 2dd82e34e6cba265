// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/frame/goto_targets.h"
#include "app/session/document.h"
#include "app/session/view_state.h"
#include "app/widgets/row_list.h"

#include <QLineEdit>

#include <functional>

namespace bindrel {

/// The list under the go-to field.
class GotoList : public RowList {
    Q_OBJECT
public:
    using RowList::RowList;
    std::vector<GotoTarget> targets;
    int rowCount() const override { return int(targets.size()); }
    QString rowText(int row) const override
    {
        const GotoTarget& target = targets[size_t(row)];
        return QString::fromStdString(target.label + (target.kind.empty() ? "" : ", " + target.kind) +
                                      (target.hint.empty() ? "" : ", " + target.hint));
    }
    void refresh() { rowsChanged(); }

protected:
    int rowHeight(int) const override { return 22; }
    bool selectable(int row) const override { return !targets[size_t(row)].kind.empty(); }
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    void paintEvent(QPaintEvent*) override;
};

/// Type a part of any name, choose with the arrow keys, Enter goes there.
class GotoField : public QLineEdit {
    Q_OBJECT
public:
    GotoField(Document& document, ViewState& view, QWidget* parent = nullptr);
    void begin();
    /// Commands that the field offers beside places to go to.
    void setCommands(std::function<std::vector<GotoTarget>()> commands) { commands_ = std::move(commands); }

protected:
    void keyPressEvent(QKeyEvent*) override;
    void focusOutEvent(QFocusEvent*) override;

private:
    void search();
    GotoTarget changeOf(const std::string& typed) const;
    void go(int row);
    Document& document_;
    ViewState& view_;
    std::function<std::vector<GotoTarget>()> commands_;
    std::vector<GotoTarget> all_;
    GotoList* list_ = nullptr;
};

} // namespace bindrel
