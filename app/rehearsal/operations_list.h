// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/rehearsal/runs.h"
#include "app/widgets/row_list.h"

namespace bindrel {

/// Every operation of a run with its moment; a hazard stands below the operation that causes it.
class OperationsList : public RowList {
    Q_OBJECT
public:
    explicit OperationsList(QWidget* parent = nullptr);
    /// `run` must outlive what is shown; null: nothing.
    void setRun(const Rehearsal* run);
    int rowCount() const override { return int(rows_.size()); }
    QString rowText(int row) const override;
    int operationOf(int row) const { return row < 0 || row >= int(rows_.size()) ? -1 : rows_[size_t(row)].operation; }
    int hazardOf(int row) const { return row < 0 || row >= int(rows_.size()) ? -1 : rows_[size_t(row)].hazard; }
    int rowOf(int operation) const;
    /// The next or previous row with a hazard, from the current one; -1 when there is none.
    int nextHazard(int by) const;

protected:
    int rowHeight(int) const override { return 19; }
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;

private:
    struct Row {
        int operation = -1;
        int hazard = -1; ///< into Rehearsal::hazards; -1: the operation itself
    };
    const Rehearsal* run_ = nullptr;
    std::vector<Row> rows_;
};

} // namespace bindrel
