// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/rehearsal/runs.h"
#include "app/widgets/row_list.h"

namespace bindrel {

/// What is rehearsed, each with its outcome: what the program does by itself first, then what if something fails.
class ScenarioList : public RowList {
    Q_OBJECT
public:
    explicit ScenarioList(QWidget* parent = nullptr);
    void setRuns(std::shared_ptr<const Runs> runs);
    /// Into Runs::list; -1 for a heading or none.
    int runOf(int row) const { return row < 0 || row >= int(rows_.size()) ? -1 : rows_[size_t(row)].run; }
    int rowOfRun(int run) const;
    int rowCount() const override { return int(rows_.size()); }
    QString rowText(int row) const override;

protected:
    int rowHeight(int row) const override { return rows_[size_t(row)].run < 0 ? 24 : 36; }
    bool selectable(int row) const override { return rows_[size_t(row)].run >= 0; }
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;

private:
    struct Row {
        QString heading;
        int run = -1;
    };
    std::shared_ptr<const Runs> runs_;
    std::vector<Row> rows_;
};

} // namespace bindrel
