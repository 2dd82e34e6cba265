// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/pin_sheet_view.h"

#include "app/theme/theme.h"
#include "app/widgets/cell_editor.h"
#include "app/widgets/editable_table.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/base/text.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QSortFilterProxyModel>
#include <QTableView>
#include <QVBoxLayout>

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

/// Pins sort as numbers, balls as letters and numbers; a row fits the filter when any of its cells does.
class SheetOrder : public QSortFilterProxyModel {
public:
    using QSortFilterProxyModel::QSortFilterProxyModel;

protected:
    bool lessThan(const QModelIndex& a, const QModelIndex& b) const override
    {
        return naturalLess(a.data().toString().toStdString(), b.data().toString().toStdString());
    }
    bool filterAcceptsRow(int row, const QModelIndex& parent) const override
    {
        const QStringList words = filterRegularExpression().pattern().split(' ', Qt::SkipEmptyParts);
        return std::all_of(words.begin(), words.end(), [&](const QString& word) {
            for (int c = 0; c < sourceModel()->columnCount(parent); ++c)
                if (sourceModel()->index(row, c, parent).data().toString().contains(word, Qt::CaseInsensitive))
                    return true;
            return false;
        });
    }
};

} // namespace

PinSheetView::PinSheetView(Document& document, ViewState& view, QWidget* parent)
    : QWidget(parent), document_(document), view_(view)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(10, 8, 0, 0);
    column->setSpacing(6);
    auto* head = new QHBoxLayout;
    filter_ = new QLineEdit;
    filter_->setPlaceholderText(say("Filter rows"));
    filter_->setAccessibleName(say("Filter rows of the pin sheet"));
    filter_->setClearButtonEnabled(true);
    filter_->setMaximumWidth(240);
    head->addWidget(filter_);
    auto* hint =
        new QLabel(say("Bold: set in the plan. F2 edits all selected cells of a column; Delete restores the default."));
    const auto tint = [hint] { restyle(hint, QString("color: %1; font-size: 11px").arg(Theme::get().muted.name())); };
    tint();
    connect(&document_, &Document::changed, hint, tint); // also when the theme is another
    hint->setMinimumWidth(10);
    head->addWidget(hint, 1);
    column->addLayout(head);

    model_ = new PinSheetModel(document_, this);
    sorted_ = new SheetOrder(this);
    sorted_->setSourceModel(model_);
    table_ = new EditableTable;
    table_->setAccessibleName(say("Pin sheet"));
    table_->setModel(sorted_);
    table_->setFrameShape(QFrame::NoFrame);
    table_->setShowGrid(false);
    table_->setWordWrap(false); // a name of two words is not cut after the first
    table_->setAlternatingRowColors(false);
    table_->setSortingEnabled(true);
    table_->sortByColumn(0, Qt::AscendingOrder);
    table_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    table_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                            QAbstractItemView::AnyKeyPressed);
    table_->setTabKeyNavigation(false);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(22);
    table_->setIconSize({9, 9});
    const std::vector<int> widths{36, 44, 84, 138, 76, 64, 44, 63, 40, 52, 44, 40, 40, 46, 60, 52};
    for (int c = 0; c < model_->columnCount() && size_t(c) < widths.size(); ++c)
        table_->setColumnWidth(c, widths[size_t(c)]);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->setItemDelegate(
        new CellEditor([](const QModelIndex& index) { return PinSheetModel::choices(index.column()); }, "automatic",
                       [this](const QModelIndex& index, const QString& text) { return commitToSelection(index, text); },
                       view_.pending(), this));
    table_->installEventFilter(this);
    column->addWidget(table_, 1);
    setFocusProxy(table_);

    connect(filter_, &QLineEdit::textChanged, this,
            [this](const QString& text) { sorted_->setFilterRegularExpression(QRegularExpression(text)); });
    connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
            [this](const QModelIndex& current) {
                if (!current.isValid() || following_)
                    return;
                const SheetRow& row = model_->row(sorted_->mapToSource(current).row());
                if (row.pad >= 0)
                    view_.select({Place::Kind::Pad, row.cells[1],
                                  row.need >= 0 ? document_.snapshot().plan.needs[row.need].id : std::string()});
            });
    connect(&view_, &ViewState::selectionChanged, this, &PinSheetView::followSelection);
}

void PinSheetView::showEvent(QShowEvent*)
{
    model_->setLive(true);
    followSelection();
}

void PinSheetView::hideEvent(QHideEvent*)
{
    model_->setLive(false);
}

void PinSheetView::followSelection()
{
    const Place& place = view_.selected();
    if (!document_.isOpen() ||
        (place.kind != Place::Kind::Pad && place.kind != Place::Kind::Signal && place.kind != Place::Kind::Need))
        return;
    for (int r = 0; r < model_->rowCount(); ++r) {
        const SheetRow& row = model_->row(r);
        const bool here = place.kind == Place::Kind::Pad
                              ? row.pad >= 0 && row.cells[1] == place.id
                              : row.need >= 0 && document_.snapshot().plan.needs[row.need].id == place.id &&
                                    (place.sub.empty() || row.signal == place.sub);
        const QModelIndex shown =
            here ? sorted_->mapFromSource(model_->index(r, std::max(0, table_->currentIndex().column())))
                 : QModelIndex();
        if (!shown.isValid())
            continue;
        if (shown.row() != table_->currentIndex().row()) {
            following_ = true;
            table_->setCurrentIndex(shown);
            following_ = false;
        }
        return;
    }
}

std::vector<QModelIndex> PinSheetView::selectedCells() const
{
    QModelIndexList shown = table_->selectionModel()->selectedIndexes();
    std::sort(shown.begin(), shown.end(), [](const QModelIndex& a, const QModelIndex& b) {
        return std::pair(a.row(), a.column()) < std::pair(b.row(), b.column());
    });
    std::vector<QModelIndex> out;
    for (const QModelIndex& index : shown)
        out.push_back(sorted_->mapToSource(index));
    return out;
}

QString PinSheetView::commitToSelection(const QModelIndex& edited, const QString& text)
{
    const QModelIndex cell = sorted_->mapToSource(edited);
    std::vector<std::pair<QModelIndex, QString>> cells{{cell, text}};
    // A name or a net exists once; everything else can be the same for many.
    const QString title = model_->headerData(cell.column(), Qt::Horizontal, Qt::DisplayRole).toString();
    if (!PinSheetModel::choices(cell.column()).isEmpty())
        for (const QModelIndex& other : selectedCells())
            if (other.column() == cell.column() && other != cell && (model_->flags(other) & Qt::ItemIsEditable))
                cells.emplace_back(other, text);
    if (cells.size() == 1 && cell.data(Qt::EditRole).toString() == text)
        return {};
    return model_->enterCells(
        cells, cells.size() == 1
                   ? QString(say("%1 of %2")).arg(title, QString::fromStdString(model_->row(cell.row()).cells[1]))
                   : QString(say("%1 of %2 pads")).arg(title).arg(cells.size()));
}

void PinSheetView::copy()
{
    QString text;
    int row = -1;
    for (const QModelIndex& cell : selectedCells()) {
        if (row >= 0)
            text += cell.row() == row ? "\t" : "\n";
        row = cell.row();
        text += cell.data().toString();
    }
    QGuiApplication::clipboard()->setText(text);
}

void PinSheetView::paste()
{
    const QModelIndex from = table_->currentIndex();
    QStringList lines = QGuiApplication::clipboard()->text().remove('\r').split('\n');
    while (!lines.isEmpty() && lines.last().isEmpty())
        lines.removeLast();
    if (!from.isValid() || lines.isEmpty())
        return;
    // One text for many selected cells fills them all.
    if (lines.size() == 1 && !lines[0].contains('\t') && selectedCells().size() > 1) {
        std::vector<std::pair<QModelIndex, QString>> cells;
        for (const QModelIndex& cell : selectedCells())
            if (model_->flags(cell) & Qt::ItemIsEditable)
                cells.emplace_back(cell, lines[0]);
        model_->setCells(cells, QString(say("Paste into %1 cells")).arg(cells.size()));
        return;
    }
    if (from.row() + lines.size() > sorted_->rowCount()) {
        Q_EMIT document_.refused(
            QString(say("The clipboard has %1 rows, and only %2 are left from here down; nothing was pasted."))
                .arg(lines.size())
                .arg(sorted_->rowCount() - from.row()));
        return;
    }
    std::vector<std::pair<QModelIndex, QString>> cells;
    for (int r = 0; r < int(lines.size()); ++r) {
        const QStringList texts = lines[r].split('\t');
        for (int c = 0; c < int(texts.size()); ++c) {
            const QModelIndex shown = sorted_->index(from.row() + r, from.column() + c);
            const QModelIndex cell = sorted_->mapToSource(shown);
            if (!cell.isValid()) {
                Q_EMIT document_.refused(
                    say("The clipboard has more columns than are left from here on; nothing was pasted."));
                return;
            }
            // A pin of the supply in between has nothing to paste into, and what is there already needs no edit.
            const QString text = texts[c].trimmed();
            if (text != cell.data(Qt::EditRole).toString() &&
                !(text.isEmpty() && !(model_->flags(cell) & Qt::ItemIsEditable)))
                cells.emplace_back(cell, text);
        }
    }
    if (!cells.empty())
        model_->setCells(cells, cells.size() == 1 ? QString(say("Paste a cell"))
                                                  : QString(say("Paste %1 cells")).arg(cells.size()));
}

void PinSheetView::clear()
{
    std::vector<std::pair<QModelIndex, QString>> cells;
    for (const QModelIndex& cell : selectedCells())
        if (model_->flags(cell) & Qt::ItemIsEditable)
            cells.emplace_back(cell, QString());
    if (!cells.empty())
        model_->setCells(cells, cells.size() == 1 ? QString(say("Clear a cell"))
                                                  : QString(say("Clear %1 cells")).arg(cells.size()));
}

bool PinSheetView::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == table_ && event->type() == QEvent::KeyPress) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (key->matches(QKeySequence::Copy))
            return copy(), true;
        if (key->matches(QKeySequence::Paste))
            return paste(), true;
        if (key->key() == Qt::Key_Delete && key->modifiers() == Qt::NoModifier)
            return clear(), true;
        if ((key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) && key->modifiers() == Qt::NoModifier &&
            table_->currentIndex().isValid() && !table_->indexWidget(table_->currentIndex()))
            return table_->currentIndex().flags().testFlag(Qt::ItemIsEditable) ? table_->edit(table_->currentIndex())
                                                                               : void(),
                   true;
    }
    return QWidget::eventFilter(watched, event);
}

Outcome PinSheetView::exportTo(const QString& path) const
{
    // As it is seen, filtered and sorted; while it is not seen its model is empty, and all of it is meant. Whoever
    // reads the file may speak another language than the one who wrote it.
    const InEnglish whileWriting;
    std::vector<SheetRow> rows =
        document_.isOpen() ? pinSheet(*document_.snapshot().inEnglish()) : std::vector<SheetRow>();
    if (isVisible()) {
        std::vector<SheetRow> seen;
        for (int r = 0; r < sorted_->rowCount(); ++r)
            seen.push_back(rows[size_t(sorted_->mapToSource(sorted_->index(r, 0)).row())]);
        rows = std::move(seen);
    }
    if (path.endsWith(".csv", Qt::CaseInsensitive))
        return writeFileAtomically(path.toStdString(), pinSheetCsv(rows));
    if (path.endsWith(".xlsx", Qt::CaseInsensitive))
        return writePinSheetXlsx(rows, document_.isOpen() ? document_.snapshot().plan.name : std::string(),
                                 path.toStdString());
    return problemOf(say("{} must end in .csv or .xlsx.", path.toStdString()));
}

} // namespace bindrel
