// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/source/search_panel.h"

#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/base/text.h"

#include <QLabel>
#include <QListWidget>
#include <QVBoxLayout>

namespace bindrel {

namespace {

constexpr int kMostShown = 400; ///< lines; who finds more types another letter

} // namespace

SearchPanel::SearchPanel(QWidget* parent) : QWidget(parent)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 4, 12, 0);
    column->setSpacing(4);
    status_ = new QLabel;
    status_->setTextFormat(Qt::PlainText);
    status_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    column->addWidget(status_);
    list_ = new QListWidget;
    list_->setAccessibleName(say("Lines that were found"));
    list_->setFixedHeight(132);
    column->addWidget(list_);
    const auto choose = [this](const QListWidgetItem* item) {
        const int row = list_->row(item);
        if (row >= 0 && row < int(matches_.size()))
            Q_EMIT placeChosen(matches_[size_t(row)].file, matches_[size_t(row)].line);
    };
    connect(list_, &QListWidget::itemClicked, this, choose);
    connect(list_, &QListWidget::itemActivated, this, choose);
    retheme();
    hide();
}

void SearchPanel::retheme()
{
    status_->setFont(Theme::get().text(12));
    list_->setFont(Theme::get().mono(11));
}

void SearchPanel::goToNext()
{
    if (matches_.empty())
        return;
    const int row = (list_->currentRow() + 1) % int(matches_.size());
    list_->setCurrentRow(row);
    Q_EMIT placeChosen(matches_[size_t(row)].file, matches_[size_t(row)].line);
}

QString SearchPanel::status() const
{
    return status_->text();
}

void SearchPanel::search(const QString& text, const std::vector<FileChange>& files)
{
    setVisible(!text.isEmpty());
    list_->clear();
    matches_.clear();
    if (text.isEmpty())
        return;
    int count = 0, inFiles = 0;
    for (const FileChange& file : files) {
        const QString name = QString::fromStdString(file.name);
        const QStringList lines =
            QString::fromStdString(withLineFeeds(file.after.empty() ? file.before : file.after)).split('\n');
        bool any = false;
        for (qsizetype i = 0; i < lines.size(); ++i) {
            if (!lines[i].contains(text, Qt::CaseInsensitive))
                continue;
            any = true;
            if (++count > kMostShown)
                continue;
            matches_.push_back({name, int(i) + 1});
            list_->addItem(QString("%1:%2  %3").arg(name).arg(i + 1).arg(lines[i].trimmed().left(200)));
        }
        inFiles += any;
    }
    status_->setText(count == 0 ? QString(say("No line holds \"%1\".")).arg(text)
                                : QString::fromStdString(sayCount(count, "{} line", "{} lines") + say(" in ") +
                                                         sayCount(inFiles, "{} file", "{} files")) +
                                      (count > kMostShown ? QString(say(", the first %1 are listed.")).arg(kMostShown)
                                                          : QString(".")));
}

} // namespace bindrel
