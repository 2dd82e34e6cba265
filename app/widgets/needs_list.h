// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "app/session/view_state.h"
#include "app/widgets/row_list.h"

namespace bindrel {

/// The needs, grouped by part: how each stands, its kind and goal in short, its instance; below the selected need its
/// signals with their pads. Follows and sets the selection. A row can be dragged out; whoever owns the list says what a
/// drag does.
class NeedsList : public RowList {
    Q_OBJECT
public:
    enum class Detail { Needs, NeedsAndSignals };
    NeedsList(Document& document, ViewState& view, Detail detail, QWidget* parent = nullptr);

    int rowCount() const override { return int(rows_.size()); }
    QString rowText(int row) const override;
    void setFilter(const QString& text);
    /// Row of a need, or of a signal of it when it is shown; -1 when filtered out.
    int rowOf(const std::string& need, const std::string& signal = {}) const;

Q_SIGNALS:
    void bindWanted(const std::string& need); ///< Enter
    void unbindWanted(const std::string& need);
    void holdWanted(const bindrel::Place& place);
    void optionPicked(int number); ///< 1 to 9, while options are shown
    void dragMoved(const bindrel::Place& what, const QPoint& global);
    void dragDropped(const bindrel::Place& what, const QPoint& global);

protected:
    int rowHeight(int row) const override;
    bool selectable(int row) const override { return rows_[size_t(row)].need >= 0; }
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    void paintEvent(QPaintEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;

private:
    struct Row {
        std::string part; ///< heading
        NeedIndex need = -1;
        int seat = -1; ///< -1 for the need itself
    };
    void rebuild();
    void followSelection();
    Place placeOf(int row) const;

    Document& document_;
    ViewState& view_;
    Detail detail_;
    QString filter_;
    std::vector<Row> rows_;
    QPoint pressed_;
    bool dragging_ = false;
};

} // namespace bindrel
