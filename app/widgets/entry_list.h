// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/row_list.h"

namespace bindrel {

/// Entries of a title and a line of detail under headings: things to choose from.
class EntryList : public RowList {
    Q_OBJECT
public:
    using RowList::RowList;

protected:
    struct Look {
        bool heading = false;
        QString title;
        QString detail;
    };
    virtual Look look(int row) const = 0;

    int rowHeight(int row) const override { return look(row).heading ? 30 : 40; }
    bool selectable(int row) const override { return !look(row).heading; }
    void paintRow(QPainter& painter, int row, const QRect& rect, bool current) override;
    QString rowText(int row) const override { return look(row).title + "\n" + look(row).detail; }
};

} // namespace bindrel
