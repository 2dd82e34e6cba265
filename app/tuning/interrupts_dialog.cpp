// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/interrupts_dialog.h"

#include "app/session/document.h"
#include "app/theme/theme.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QShortcut>
#include <QTableWidget>
#include <QVBoxLayout>

namespace bindrel {

namespace {
constexpr int kNeedId = Qt::UserRole;

QString titleOf(const std::string& heading)
{
    QString text = QString::fromStdString(heading).replace('_', ' ');
    return text == "at most" ? QString("At most") : text.left(1).toUpper() + text.mid(1);
}
} // namespace

InterruptsDialog::InterruptsDialog(Document& document, QWidget* parent) : QDialog(parent), document_(document)
{
    setWindowTitle("Interrupts and DMA");
    resize(1160, 560);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    const auto part = [&](const QString& title, const QString& name, int stretch) {
        auto* heading = new QLabel(title);
        heading->setFont(Theme::get().heading());
        column->addWidget(heading);
        auto* table = new QTableWidget;
        table->setAccessibleName(name);
        table->setSelectionBehavior(QAbstractItemView::SelectRows);
        table->setSelectionMode(QAbstractItemView::SingleSelection);
        table->verticalHeader()->hide();
        table->verticalHeader()->setDefaultSectionSize(24);
        table->setShowGrid(false);
        table->setWordWrap(false);
        table->horizontalHeader()->setStretchLastSection(true);
        table->horizontalHeader()->setHighlightSections(false);
        table->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        column->addWidget(table, stretch);
        // Enter in a cell that is being typed into belongs to that.
        auto* go = new QShortcut(QKeySequence(Qt::Key_Return), table, nullptr, nullptr, Qt::WidgetShortcut);
        connect(go, &QShortcut::activated, this, [this, table] {
            if (table->currentRow() < 0)
                return;
            chosen_ = table->item(table->currentRow(), 0)->data(kNeedId).toString().toStdString();
            accept();
        });
        return table;
    };
    interrupts_ = part("INTERRUPTS", "Interrupts", 3);
    interrupts_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed | QAbstractItemView::AnyKeyPressed);
    channels_ = part("DMA CHANNELS", "DMA channels", 2);
    channels_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    connect(interrupts_, &QTableWidget::cellChanged, this, &InterruptsDialog::setPriority);
    // After the editor of a cell has closed, since the cells are made anew.
    connect(&document_, &Document::changed, this, &InterruptsDialog::refill, Qt::QueuedConnection);
    none_ = new QLabel;
    column->addWidget(none_);
    auto* note = new QLabel("Type a priority in its cell, in the chip's own levels; empty leaves it as after reset. Enter goes to the need's goals.");
    restyle(note, QString("color: %1").arg(Theme::get().muted.name()));
    column->addWidget(note);
    auto* buttons = new QDialogButtonBox;
    buttons->addButton("Close", QDialogButtonBox::RejectRole)->setAutoDefault(false);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    refill();
    interrupts_->setFocus();
}

void InterruptsDialog::fill(QTableWidget* table, const NeedTable& sheet)
{
    const int row = table->currentRow();
    table->clearContents();
    table->setColumnCount(int(sheet.headings.size()));
    table->setRowCount(int(sheet.rows.size()));
    QStringList titles;
    for (const std::string& heading : sheet.headings)
        titles << titleOf(heading);
    table->setHorizontalHeaderLabels(titles);
    for (int r = 0; r < int(sheet.rows.size()); ++r)
        for (int c = 0; c < int(sheet.headings.size()); ++c) {
            const NeedTable::Row& from = sheet.rows[size_t(r)];
            const Need* need = document_.snapshot().plan.need(from.need);
            const bool isNeed = sheet.headings[size_t(c)] == "need";
            auto* item = new QTableWidgetItem(QString::fromStdString(isNeed && need ? need->title : from.cells[size_t(c)]));
            item->setData(kNeedId, QString::fromStdString(from.need));
            Qt::ItemFlags flags = Qt::ItemIsSelectable | Qt::ItemIsEnabled;
            if (sheet.headings[size_t(c)] == "priority")
                flags |= Qt::ItemIsEditable;
            item->setFlags(flags);
            table->setItem(r, c, item);
        }
    table->resizeColumnsToContents();
    for (int c = 0; c < table->columnCount(); ++c)
        table->setColumnWidth(c, table->columnWidth(c) + 8);
    if (row >= 0 && row < table->rowCount())
        table->setCurrentCell(row, table->currentColumn() < 0 ? 0 : table->currentColumn());
}

void InterruptsDialog::refill()
{
    if (!document_.isOpen())
        return;
    filling_ = true;
    fill(interrupts_, interruptSheet(document_.snapshot()));
    fill(channels_, dmaSheet(document_.snapshot()));
    none_->setText(interrupts_->rowCount() == 0 && channels_->rowCount() == 0 ? "No need that is bound asks for an interrupt or for DMA."
                   : interrupts_->rowCount() == 0                             ? "No need that is bound asks for an interrupt."
                   : channels_->rowCount() == 0                               ? "No need that is bound asks for DMA."
                                                                              : "");
    none_->setVisible(!none_->text().isEmpty());
    filling_ = false;
}

void InterruptsDialog::setPriority(int row, int column)
{
    if (filling_)
        return;
    const QTableWidgetItem* item = interrupts_->item(row, column);
    const std::string need = item->data(kNeedId).toString().toStdString(), text = item->text().trimmed().toStdString();
    const Need* told = document_.snapshot().plan.need(need);
    // What needs of a pad's edges and of DMA share is theirs: one need, one level.
    const Change change = SetGoal{need, "priority", text.empty() ? std::nullopt : std::optional(text)};
    if (!told || !document_.apply(editOf("Priority of " + told->title, change)))
        refill();
}

} // namespace bindrel
