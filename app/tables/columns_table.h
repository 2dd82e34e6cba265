// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/tables/grid.h"

#include <QComboBox>
#include <QTableWidget>

namespace bindrel {

/// A table as it was read, with a choice above each column of what it says. Rows of headings are muted. Shows the first
/// rows only; all of them are read.
class ColumnsTable : public QTableWidget {
    Q_OBJECT
public:
    /// With `typed`, a choice can be completed by hand ("code 7").
    ColumnsTable(const Grid& grid, const QStringList& choices, bool typed, QWidget* parent = nullptr);

    QString choice(int column) const { return boxes_[size_t(column)]->currentText(); }
    /// Shows a choice without telling that it was made.
    void setChoice(int column, const QString& text);
    /// Rows of the grid before this one are headings.
    void setBody(std::size_t body);
    /// A column whose choice is not understood stands out.
    void setWrong(int column, bool wrong);
    QComboBox* box(int column) const { return boxes_[size_t(column)]; }

Q_SIGNALS:
    void chosen(int column, const QString& text); ///< by the person

private:
    std::vector<QComboBox*> boxes_;
};

} // namespace bindrel
