// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/view_state.h"
#include "app/wiring/pin_sheet_model.h"

#include <QWidget>

class QLineEdit;
class QSortFilterProxyModel;
class QTableView;

namespace bindrel {

/// The wiring as rows: sorted by any column, filtered, edited in place. A text typed or picked while several cells of
/// the column are selected goes into all of them; a column pasted from a spreadsheet fills downwards from the current
/// cell.
class PinSheetView : public QWidget {
    Q_OBJECT
public:
    PinSheetView(Document& document, ViewState& view, QWidget* parent = nullptr);

    QTableView* table() const { return table_; }
    QLineEdit* filter() const { return filter_; }
    PinSheetModel* model() const { return model_; }
    /// The rows as they are shown, to a file that ends in .csv or .xlsx.
    Outcome exportTo(const QString& path) const;

public Q_SLOTS:
    void copy();
    void paste();
    void clear();

protected:
    void showEvent(QShowEvent*) override;
    void hideEvent(QHideEvent*) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void followSelection();
    QString commitToSelection(const QModelIndex& edited, const QString& text);
    std::vector<QModelIndex> selectedCells() const; ///< of the model, in the order shown

    Document& document_;
    ViewState& view_;
    PinSheetModel* model_ = nullptr;
    QSortFilterProxyModel* sorted_ = nullptr;
    QLineEdit* filter_ = nullptr;
    QTableView* table_ = nullptr;
    bool following_ = false;
};

} // namespace bindrel
