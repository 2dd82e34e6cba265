// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/change_dialog.h"

#include "app/theme/theme.h"
#include "core/rehearsal/rehearsal.h"

#include <QDialogButtonBox>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace bindrel {

ChangeDialog::ChangeDialog(const Document& document, const Edit& edit, QWidget* parent) : QDialog(parent)
{
    setWindowTitle("What would change");
    setMinimumWidth(460);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    auto* title = new QLabel(QString::fromStdString(edit.title));
    title->setTextFormat(Qt::PlainText);
    title->setFont(Theme::get().text(14, true));
    column->addWidget(title);
    Plan step = document.snapshot().plan;
    for (const Change& change : edit.changes) {
        auto* line = new QLabel(typeset(describe(step, change)));
        line->setTextFormat(Qt::PlainText);
        line->setWordWrap(true);
        line->setFont(Theme::get().mono(11));
        column->addWidget(line);
        if (const Expected<Plan> next = applied(step, {"", {change}}))
            step = *next;
    }
    verdict_ = new QLabel("Rehearsing the changed plan\u2026");
    verdict_->setTextFormat(Qt::PlainText);
    verdict_->setWordWrap(true);
    verdict_->setFont(Theme::get().text(12));
    column->addSpacing(6);
    column->addWidget(verdict_);
    if (const auto after = document.preview(edit))
        background_.run<Verdict>(
            "Rehearsing",
            [after = *after](const Background::Stopped&) { return verdictOn(after->facts(), after->findings); },
            [this](const Verdict& verdict) {
                verdict_->setText(typeset(verdict.text));
                restyle(verdict_,
                        QString("color: %1").arg((verdict.hazards ? Theme::get().error : Theme::get().muted).name()));
            });
    auto* buttons = new QDialogButtonBox;
    auto* apply = buttons->addButton("Apply", QDialogButtonBox::AcceptRole);
    apply->setProperty("primary", true);
    apply->setDefault(true);
    buttons->addButton("Cancel", QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addSpacing(8);
    column->addWidget(buttons);
}

} // namespace bindrel
