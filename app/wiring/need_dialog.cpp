// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/wiring/need_dialog.h"

#include "app/theme/theme.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace bindrel {

NeedDialog::NeedDialog(const Snapshot& snapshot, const std::string& part, QWidget* parent) : QDialog(parent), snapshot_(snapshot)
{
    setWindowTitle("Add a need");
    setMinimumWidth(380);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    auto* form = new QFormLayout;
    part_ = new QComboBox;
    for (const Part& p : snapshot.board->parts)
        part_->addItem(QString::fromStdString(p.title), QString::fromStdString(p.id));
    part_->addItem("the firmware itself", QString());
    if (!part.empty())
        part_->setCurrentIndex(std::max(0, part_->findData(QString::fromStdString(part))));
    kind_ = new QComboBox;
    for (const KindSpec& kind : kinds())
        kind_->addItem(QString::fromStdString(kind.title), QString::fromStdString(kind.id));
    title_ = new QLineEdit;
    title_->setPlaceholderText("as the part");
    title_->setMaxLength(60);
    form->addRow("For", part_);
    form->addRow("Kind", kind_);
    form->addRow("Title", title_);
    column->addLayout(form);
    auto* note = new QLabel("Its goals begin with their defaults; Tuning sets them.");
    note->setStyleSheet(QString("color: %1").arg(Theme::get().muted.name()));
    column->addWidget(note);
    auto* buttons = new QDialogButtonBox;
    auto* add = buttons->addButton("Add it", QDialogButtonBox::AcceptRole);
    add->setProperty("primary", true);
    add->setDefault(true);
    buttons->addButton("Cancel", QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    kind_->setFocus();
}

Need NeedDialog::need() const
{
    Need need;
    need.part = part_->currentData().toString().toStdString();
    need.kind = kind_->currentData().toString().toStdString();
    const QString title = title_->text().trimmed();
    need.title = (title.isEmpty() ? (need.part.empty() ? kind_->currentText() : part_->currentText()) : title).toStdString();
    need.id = freeNeedId(snapshot_.plan, need.title);
    // A crystal belongs to the first oscillator that no other need has, so that it can be bound at once.
    const KindSpec* kind = findKind(need.kind);
    if (!kind->instanceGoal.empty())
        for (const Instance& instance : snapshot_.device->instances) {
            const bool fits = kind->servedBy(snapshot_.device->blocks[size_t(instance.block)].kind);
            const bool taken = std::any_of(snapshot_.plan.needs.begin(), snapshot_.plan.needs.end(),
                                           [&](const Need& other) { return other.kind == need.kind && goalText(other, kind->instanceGoal) == instance.name; });
            if (fits && !taken) {
                need.goals[kind->instanceGoal] = instance.name;
                break;
            }
        }
    return need;
}

} // namespace bindrel
