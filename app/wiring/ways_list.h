// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/row_list.h"
#include "core/pins/options.h"
#include "core/snapshot.h"

namespace bindrel {

/// Ways out of contention, ranked: what each moves, from where to where.
class WaysList : public RowList {
    Q_OBJECT
public:
    explicit WaysList(QWidget* parent = nullptr);
    void setWays(const Snapshot& snapshot, std::vector<Untangling::Way> ways);
    const std::vector<Untangling::Way>& ways() const { return ways_; }
    int rowCount() const override { return int(ways_.size()); }

Q_SIGNALS:
    void hovered(int row);
    void closed(); ///< Escape

protected:
    int rowHeight(int row) const override;
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    QString rowText(int row) const override;
    void keyPressEvent(QKeyEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;

private:
    std::vector<Untangling::Way> ways_;
    std::vector<QStringList> moves_; ///< a line a move
};

} // namespace bindrel
