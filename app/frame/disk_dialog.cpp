// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/disk_dialog.h"

#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/output/merge.h"
#include "core/plan/plan_file.h"

#include <QDialogButtonBox>
#include <QFileInfo>
#include <QLabel>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace bindrel {

DiskDialog::DiskDialog(Document& document, QWidget* parent) : QDialog(parent), document_(document)
{
    setWindowTitle(say("Changed on the disk"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(18, 16, 18, 14);
    auto* title = new QLabel(QFileInfo(document.path()).fileName() + say(" was changed outside Bindrel"));
    title->setFont(Theme::get().text(13, true));
    column->addWidget(title);
    auto* text =
        new QLabel(document.unsaved()
                       ? say("The open plan has unsaved changes, and its file has changed as well. Loading the file is "
                             "one step that can be undone; keeping yours overwrites the file.")
                       : say("The open plan has no unsaved changes. Loading the file is one step that can be undone."));
    text->setWordWrap(true);
    text->setMinimumWidth(460);
    column->addWidget(text);
    difference_ = new QPlainTextEdit;
    difference_->setReadOnly(true);
    difference_->setFont(Theme::get().editor(11));
    difference_->setLineWrapMode(QPlainTextEdit::NoWrap);
    difference_->setAccessibleName(say("Difference between the open plan and its file"));
    difference_->setVisible(false);
    column->addWidget(difference_, 1);
    auto* buttons = new QDialogButtonBox;
    compare_ = buttons->addButton(say("Compare"), QDialogButtonBox::ActionRole);
    mine_ = buttons->addButton(say("Keep mine"), QDialogButtonBox::DestructiveRole);
    take_ = buttons->addButton(say("Load the file"), QDialogButtonBox::AcceptRole);
    auto* later = buttons->addButton(say("Decide later"), QDialogButtonBox::RejectRole);
    (document.unsaved() ? later : take_)->setDefault(true);
    connect(compare_, &QPushButton::clicked, this, &DiskDialog::showDifference);
    connect(mine_, &QPushButton::clicked, this, &QDialog::accept);
    connect(take_, &QPushButton::clicked, this, [this] {
        theirs_ = true;
        accept();
    });
    connect(later, &QPushButton::clicked, this, &QDialog::reject);
    column->addWidget(buttons);
}

void DiskDialog::showDifference()
{
    const std::string mine = planText(document_.snapshot().plan);
    const std::string text = unifiedDiff(mine, document_.textOnDisk());
    difference_->setPlainText(text.empty() ? QString(say("The two are equal."))
                                           : say("\u2212 yours   + the file's\n") + QString::fromStdString(text));
    difference_->setVisible(true);
    compare_->setEnabled(false);
    resize(std::max(width(), 760), std::max(height(), 480));
}

} // namespace bindrel
