// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/document.h"
#include "core/interchange/pin_sheet.h"

#include <QAbstractTableModel>

namespace bindrel {

/// The pin sheet of the open plan as a table. Setting a cell makes an edit of the document; nothing is kept here.
class PinSheetModel : public QAbstractTableModel {
    Q_OBJECT
public:
    explicit PinSheetModel(Document& document, QObject* parent = nullptr);

    int rowCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : int(rows_.size()); }
    int columnCount(const QModelIndex& parent = {}) const override
    {
        return parent.isValid() ? 0 : int(sheetColumns().size());
    }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;

    /// Whether it follows the document; a sheet that nobody sees need not be made anew at every edit.
    void setLive(bool live);
    const std::vector<SheetRow>& rows() const { return rows_; }
    const SheetRow& row(int index) const { return rows_[size_t(index)]; }
    /// Texts that a cell can have; empty for free text.
    static QStringList choices(int column);

    /// Writes texts into cells as one undo step, or none of them: the first that cannot be says why.
    bool setCells(const std::vector<std::pair<QModelIndex, QString>>& cells, const QString& title);
    /// The same, with a problem in words instead of a message; empty when it was done.
    QString enterCells(const std::vector<std::pair<QModelIndex, QString>>& cells, const QString& title);

private:
    void refresh();

    Document& document_;
    std::vector<SheetRow> rows_;
    bool live_ = false;
};

} // namespace bindrel
