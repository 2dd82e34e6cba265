// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/backups_dialog.h"

#include "app/theme/theme.h"
#include "app/widgets/lexers.h"
#include "app/widgets/scintilla.h"
#include "core/base/directory.h"
#include "core/base/say.h"
#include "core/output/merge.h"
#include "core/output/project_folder.h"

#include <QDialogButtonBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>

namespace bindrel {

BackupsDialog::BackupsDialog(std::filesystem::path folder, std::vector<Backup> backups, const QString& file,
                             QWidget* parent)
    : QDialog(parent), folder_(std::move(folder)), backups_(std::move(backups))
{
    const Theme& t = Theme::get();
    setWindowTitle(say("Earlier texts"));
    resize(860, 560);
    auto* column = new QVBoxLayout(this);
    auto* row = new QHBoxLayout;
    list_ = new QListWidget;
    list_->setFont(t.mono(11));
    list_->setFixedWidth(260);
    list_->setAccessibleName(say("Earlier texts"));
    int first = 0;
    for (size_t i = 0; i < backups_.size(); ++i) {
        const Backup& backup = backups_[i];
        const QString name = QString::fromStdString(backup.file);
        list_->addItem(backup.ago == 1 ? name + say("\nbefore its last change")
                                       : QString(say("%1\n%2 changes ago")).arg(name).arg(backup.ago));
        if (first == 0 && name == file)
            first = int(i);
    }
    row->addWidget(list_);
    text_ = new QsciScintilla;
    text_->setReadOnly(true);
    text_->setUtf8(true);
    text_->setLexer(diffLexer(text_));
    text_->setPaper(t.raised);
    text_->setColor(t.ink);
    text_->setMarginWidth(1, 0);
    text_->setAccessibleName(say("What restoring would change"));
    row->addWidget(text_, 1);
    column->addLayout(row, 1);
    message_ = new QLabel;
    message_->setTextFormat(Qt::PlainText);
    message_->setWordWrap(true);
    column->addWidget(message_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    restore_ = buttons->addButton(say("Restore"), QDialogButtonBox::ActionRole);
    connect(restore_, &QPushButton::clicked, this, &BackupsDialog::restore);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    connect(list_, &QListWidget::currentRowChanged, this, &BackupsDialog::showBackup);
    list_->setCurrentRow(first);
    list_->setFocus();
}

std::string BackupsDialog::present(const std::string& file) const
{
    const Expected<Directory> folder = Directory::open(folder_);
    if (!folder)
        return {};
    const Expected<std::optional<std::string>> text = ProjectFolder(*folder).read(file);
    return text ? text->value_or(std::string()) : std::string();
}

void BackupsDialog::showBackup(int row)
{
    if (row < 0 || row >= int(backups_.size()))
        return;
    const Backup& backup = backups_[size_t(row)];
    const std::string now = present(backup.file);
    const std::string difference = unifiedDiff(now, backup.text);
    text_->setText(QString::fromStdString(difference.empty() ? say("The file holds this text.\n") : difference));
    restore_->setEnabled(!difference.empty());
    message_->setText(difference.empty()
                          ? say("There is nothing to restore.")
                          : say("Shown is what restoring would change. The present text becomes a backup, "
                                "and the next write shows what differs from the plan."));
}

void BackupsDialog::restore()
{
    const int row = list_->currentRow();
    if (row < 0 || row >= int(backups_.size()))
        return;
    const Backup backup = backups_[size_t(row)];
    const Outcome done = restoreBackup(folder_, backup, present(backup.file));
    if (!done) {
        message_->setText(QString::fromStdString(done.problem().text()));
        return;
    }
    accept();
}

} // namespace bindrel
