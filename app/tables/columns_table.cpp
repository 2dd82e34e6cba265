// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tables/columns_table.h"

#include "app/theme/theme.h"
#include "core/base/say.h"

#include <QHeaderView>
#include <QLineEdit>
#include <QSignalBlocker>

#include <algorithm>

namespace bindrel {

namespace {
constexpr std::size_t kRowsShown = 60, kColumnsShown = 60;
constexpr int kRowHeight = 22, kBoxHeight = 30, kNarrowest = 104, kWidest = 220;
} // namespace

ColumnsTable::ColumnsTable(const Grid& grid, const QStringList& choices, bool typed, QWidget* parent)
    : QTableWidget(parent)
{
    setAccessibleName(say("Table as it was read"));
    std::size_t columns = 0;
    for (const Grid::Row& row : grid.rows)
        columns = std::max(columns, row.cells.size());
    columns = std::min(columns, kColumnsShown);
    const std::size_t rows = std::min(grid.rows.size(), kRowsShown);
    setColumnCount(int(columns));
    setRowCount(int(rows) + 1);
    horizontalHeader()->hide();
    setEditTriggers(NoEditTriggers);
    setSelectionMode(NoSelection);
    setShowGrid(false);
    setWordWrap(false);
    setTabKeyNavigation(false);
    verticalHeader()->setDefaultSectionSize(kRowHeight);
    verticalHeader()->setDefaultAlignment(Qt::AlignRight | Qt::AlignVCenter);
    restyle(verticalHeader(), QString("QHeaderView { background: transparent; } QHeaderView::section { background: "
                                      "transparent; border: 0; color: %1; padding-right: 6px; }")
                                  .arg(Theme::get().muted.name()));
    QStringList numbers{QString()};
    for (std::size_t r = 0; r < rows; ++r) {
        numbers << QString::number(grid.rows[r].line);
        for (std::size_t c = 0; c < std::min(columns, grid.rows[r].cells.size()); ++c) {
            auto* item = new QTableWidgetItem(
                QString::fromStdString(grid.rows[r].cells[c]).replace('\n', QStringLiteral(" \u21B5 ")));
            item->setToolTip(item->text());
            setItem(int(r) + 1, int(c), item);
        }
    }
    setVerticalHeaderLabels(numbers);
    setRowHeight(0, kBoxHeight);
    for (std::size_t c = 0; c < columns; ++c) {
        auto* box = new QComboBox;
        box->addItems(choices);
        box->setEditable(typed);
        box->setInsertPolicy(QComboBox::NoInsert);
        box->setAccessibleName(QString(say("Meaning of column %1")).arg(c + 1));
        box->setMinimumWidth(kNarrowest - 8);
        setCellWidget(0, int(c), box);
        boxes_.push_back(box);
        connect(box, &QComboBox::activated, this, [this, c, box] { Q_EMIT chosen(int(c), box->currentText()); });
        if (typed)
            connect(box->lineEdit(), &QLineEdit::editingFinished, this,
                    [this, c, box] { Q_EMIT chosen(int(c), box->currentText()); });
    }
    resizeColumnsToContents();
    for (int c = 0; c < columnCount(); ++c)
        setColumnWidth(c, std::clamp(columnWidth(c) + 8, kNarrowest, kWidest));
}

void ColumnsTable::setChoice(int column, const QString& text)
{
    if (column < 0 || size_t(column) >= boxes_.size())
        return;
    QComboBox* box = boxes_[size_t(column)];
    const QSignalBlocker quiet(box);
    if (box->isEditable())
        box->setEditText(text);
    else
        box->setCurrentText(text);
}

void ColumnsTable::setBody(std::size_t body)
{
    const Theme& t = Theme::get();
    for (int r = 1; r < rowCount(); ++r)
        for (int c = 0; c < columnCount(); ++c)
            if (QTableWidgetItem* cell = item(r, c)) {
                const bool head = std::size_t(r - 1) < body;
                cell->setForeground(head ? t.muted : t.ink);
                cell->setFont(head ? t.text(12, true) : t.mono(11));
            }
}

void ColumnsTable::setWrong(int column, bool wrong)
{
    if (column >= 0 && size_t(column) < boxes_.size())
        restyle(boxes_[size_t(column)], wrong ? QString("color: %1").arg(Theme::get().error.name()) : QString());
}

} // namespace bindrel
