// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/tuning/interrupts_dialog.h"

#include "app/session/document.h"
#include "app/theme/theme.h"
#include "app/tuning/need_table_model.h"
#include "app/tuning/row_drag.h"
#include "app/widgets/editable_table.h"
#include "app/widgets/marks.h"
#include "core/base/say.h"
#include "core/findings/interrupt_times.h"
#include "core/quantity/format.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QShortcut>
#include <QTableView>
#include <QVBoxLayout>

namespace bindrel {

InterruptsDialog::InterruptsDialog(Document& document, QWidget* parent) : QDialog(parent), document_(document)
{
    setWindowTitle(say("Interrupts and DMA"));
    resize(1160, 560);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    const auto part = [&](const QString& title, const QString& name, NeedTableModel* rows, int stretch) {
        auto* heading = new QLabel(title);
        heading->setFont(Theme::get().heading());
        column->addWidget(heading);
        auto* table = new EditableTable;
        table->setItemDelegate(new PromptDelegate(table));
        table->setModel(rows);
        table->setAccessibleName(name);
        table->setSelectionBehavior(QAbstractItemView::SelectRows);
        table->setSelectionMode(QAbstractItemView::SingleSelection);
        table->verticalHeader()->hide();
        table->verticalHeader()->setDefaultSectionSize(24);
        table->setShowGrid(false);
        table->setWordWrap(false);
        table->horizontalHeader()->setStretchLastSection(true);
        table->horizontalHeader()->setHighlightSections(false);
        column->addWidget(table, stretch);
        // Enter in a cell that is being typed into belongs to that.
        auto* go = new QShortcut(QKeySequence(Qt::Key_Return), table, nullptr, nullptr, Qt::WidgetShortcut);
        connect(go, &QShortcut::activated, this, [this, table, rows] {
            if (!table->currentIndex().isValid())
                return;
            chosen_ = rows->needOf(table->currentIndex().row());
            accept();
        });
        return table;
    };
    interruptRows_ = new NeedTableModel(document_, &interruptsByUrgency, this);
    channelRows_ = new NeedTableModel(document_, &dmaSheet, this);
    interrupts_ = part(say("Interrupts"), say("Interrupts"), interruptRows_, 3);
    interrupts_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed |
                                 QAbstractItemView::AnyKeyPressed);
    connect(new RowDrag(interrupts_), &RowDrag::moved, this, &InterruptsDialog::moveRow);
    channels_ = part(say("DMA channels"), say("DMA channels"), channelRows_, 2);
    channels_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    // After the editor of a cell has closed, since rows may come and go.
    connect(&document_, &Document::changed, this, &InterruptsDialog::refill, Qt::QueuedConnection);
    loads_ = new QLabel;
    loads_->setObjectName("loads");
    column->addWidget(loads_);
    none_ = new QLabel;
    column->addWidget(none_);
    auto* note = new QLabel(
        say("The most urgent comes first. Drag a row onto another one or between two, or press Alt with an arrow, to "
            "change its priority; or type it (in the chip's own levels), and the time that your function takes. "
            "Without a time, 100 core cycles are taken. The worst-case delay is from the event until "
            "the handler is through, behind all that are as urgent or more. Enter goes to the need's "
            "goals."));
    note->setWordWrap(true);
    restyle(note, QString("color: %1").arg(Theme::get().muted.name()));
    column->addWidget(note);
    auto* buttons = new QDialogButtonBox;
    buttons->addButton(say("Close"), QDialogButtonBox::RejectRole)->setAutoDefault(false);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    refill();
    interrupts_->setFocus();
}

void InterruptsDialog::done(int result)
{
    if (QWidget* editor = interrupts_->indexWidget(interrupts_->currentIndex()))
        QMetaObject::invokeMethod(interrupts_, "commitData", Q_ARG(QWidget*, editor));
    QDialog::done(result);
}

void InterruptsDialog::moveRow(int row, int at, bool between)
{
    if (!document_.isOpen())
        return;
    const Snapshot& s = document_.snapshot();
    const NeedTable table = interruptsByUrgency(s);
    if (row < 0 || size_t(row) >= table.rows.size())
        return;
    const std::string need = table.rows[size_t(row)].need;
    const std::optional<std::uint32_t> level = priorityAt(s, table, size_t(row), size_t(std::max(at, 0)), between);
    const Need* told = s.plan.need(need);
    if (!level || !told)
        return; // of another core
    (void)document_.apply(editOf(say("Priority of ") + told->title, SetGoal{need, "priority", std::to_string(*level)}));
}

void InterruptsDialog::refill()
{
    for (const auto& [table, rows] : {std::pair(interrupts_, interruptRows_), {channels_, channelRows_}}) {
        rows->refresh();
        table->resizeColumnsToContents();
        for (int c = 0; c < rows->columnCount(); ++c)
            table->setColumnWidth(c, table->columnWidth(c) + 8);
    }
    const bool interrupts = interruptRows_->rowCount() > 0, channels = channelRows_->rowCount() > 0;
    none_->setText(!interrupts && !channels ? say("No bound need uses an interrupt or DMA.")
                   : !interrupts            ? say("No bound need uses an interrupt.")
                   : !channels              ? say("No bound need uses DMA.")
                                            : "");
    none_->setVisible(!none_->text().isEmpty());
    // How much of each core's time its interrupts take.
    QStringList loads;
    if (document_.isOpen()) {
        const Snapshot& s = document_.snapshot();
        const std::vector<InterruptTime> times = interruptTimes(s.facts());
        for (const CoreIndex core : s.device->cores.indices()) {
            Rational load;
            int many = 0, unknown = 0, late = 0;
            for (const InterruptTime& time : times)
                if (time.core == CoreIndex(int(core))) {
                    load = load + time.load.value;
                    ++many;
                    unknown += !time.every;
                    late += time.late();
                }
            if (many == 0)
                continue;
            QString text =
                QString(say("%1: interrupts take %2 of its time"))
                    .arg(QString::fromStdString(s.device->cores[core].name), typeset(format(Ratio(load), 3)));
            if (unknown > 0)
                text += QString(say(", without %1 whose rate nobody can say")).arg(unknown);
            if (late > 0)
                text += QString(say("; %1 may be through only after the next event")).arg(late);
            loads << text + ".";
        }
    }
    loads_->setText(loads.join("\n"));
    loads_->setVisible(!loads.isEmpty());
}

} // namespace bindrel
