// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/change_dialog.h"

#include "app/theme/theme.h"

#include <QDialogButtonBox>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace bindrel {

ChangeDialog::ChangeDialog(const Plan& before, const Edit& edit, QWidget* parent) : QDialog(parent)
{
    setWindowTitle("What would change");
    setMinimumWidth(460);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    auto* title = new QLabel(QString::fromStdString(edit.title));
    title->setTextFormat(Qt::PlainText);
    title->setFont(Theme::get().text(14, true));
    column->addWidget(title);
    Plan step = before;
    for (const Change& change : edit.changes) {
        auto* line = new QLabel(typeset(describe(step, change)));
        line->setTextFormat(Qt::PlainText);
        line->setWordWrap(true);
        line->setFont(Theme::get().mono(11));
        column->addWidget(line);
        if (const Expected<Plan> next = applied(step, {"", {change}}))
            step = *next;
    }
    auto* buttons = new QDialogButtonBox;
    auto* apply = buttons->addButton("Change it", QDialogButtonBox::AcceptRole);
    apply->setProperty("primary", true);
    apply->setDefault(true);
    buttons->addButton("Leave it", QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addSpacing(8);
    column->addWidget(buttons);
}

} // namespace bindrel
