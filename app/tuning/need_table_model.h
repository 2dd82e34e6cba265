// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "core/interchange/interrupt_sheet.h"

#include <QAbstractTableModel>

namespace bindrel {

/// Rows about needs as a table; a priority is typed in its cell and makes an edit of the document. Nothing is kept
/// here.
class NeedTableModel : public QAbstractTableModel {
    Q_OBJECT
public:
    using Sheet = NeedTable (*)(const Snapshot&);
    NeedTableModel(Document& document, Sheet sheet, QObject* parent = nullptr);

    int rowCount(const QModelIndex& parent = {}) const override
    {
        return parent.isValid() ? 0 : int(table_.rows.size());
    }
    int columnCount(const QModelIndex& parent = {}) const override
    {
        return parent.isValid() ? 0 : int(table_.headings.size());
    }
    QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role = Qt::DisplayRole) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role = Qt::EditRole) override;

    void refresh();
    /// Id of the need that a row is about.
    const std::string& needOf(int row) const { return table_.rows[size_t(row)].need; }

private:
    Document& document_;
    Sheet sheet_;
    NeedTable table_;
};

} // namespace bindrel
