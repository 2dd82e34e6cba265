// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/start/start_station.h"

#include "app/theme/theme.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/quantity/format.h"

#include <QDir>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSettings>
#include <QVBoxLayout>

namespace bindrel {

QStringList recentPlans()
{
    QStringList out;
    for (const QString& path : QSettings().value("recent").toStringList())
        if (QFileInfo::exists(path))
            out << path;
    return out;
}

void rememberPlan(const QString& path)
{
    QStringList list = QSettings().value("recent").toStringList();
    list.removeAll(path);
    list.prepend(path);
    QSettings().setValue("recent", list.mid(0, 12));
}

void StartList::setEntries(std::vector<StartEntry> entries)
{
    entries_ = std::move(entries);
    rowsChanged();
}

StartStation::StartStation(Document& document, QWidget* parent) : QWidget(parent), document_(document)
{
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(34, 26, 30, 16);
    across->setSpacing(34);
    auto* column = new QVBoxLayout;
    column->setSpacing(6);
    across->addLayout(column, 4);
    auto* title = new QLabel(say("Begin with a plan"));
    title->setFont(Theme::get().text(20, true));
    column->addWidget(title);
    auto* about = new QLabel(say("A plan describes one board and its chip: what is connected, which pins and clocks it "
                                 "uses, and the C that initialises it."));
    about->setWordWrap(true);
    about->setFont(Theme::get().text(12));
    about->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
    column->addWidget(about);
    list_ = new StartList;
    list_->setAccessibleName(say("Plans and boards"));
    column->addWidget(list_, 1);
    auto* browse = new QPushButton(say("Open another plan\u2026"));
    browse->setMaximumWidth(200);
    column->addWidget(browse);
    auto* right = new QVBoxLayout;
    across->addLayout(right, 7);
    auto* chipsTitle = new QLabel(say("Or choose a chip"));
    chipsTitle->setFont(Theme::get().text(20, true));
    right->addWidget(chipsTitle);
    auto* chipsAbout = new QLabel(say("Filter by what you need; select two chips to compare them."));
    chipsAbout->setFont(Theme::get().text(12));
    chipsAbout->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
    right->setSpacing(6);
    right->addWidget(chipsAbout);
    chips_ = new ChipCatalogue(document_);
    right->addWidget(chips_, 1);
    connect(browse, &QPushButton::clicked, this, &StartStation::browseWanted);
    connect(list_, &RowList::activated, this, [this](int row) {
        const StartEntry entry = list_->entries()[size_t(row)];
        if (entry.kind == StartEntry::Kind::Board)
            Q_EMIT newWanted(entry.target);
        else if (entry.kind == StartEntry::Kind::Example)
            Q_EMIT copyWanted(entry.target);
        else
            Q_EMIT openWanted(entry.target);
    });
    setFocusProxy(list_);
}

void StartStation::showEvent(QShowEvent*)
{
    refresh();
}

void StartStation::refresh()
{
    std::vector<StartEntry> entries;
    const QStringList recent = recentPlans();
    if (!recent.isEmpty())
        entries.push_back({StartEntry::Kind::Heading, say("Recent plans"), {}, {}});
    for (const QString& path : recent.mid(0, 5))
        entries.push_back({StartEntry::Kind::Recent, QFileInfo(path).completeBaseName(), path, path});
    // The examples lie inside the data folder when installed, beside it in a source tree.
    const QString data = QString::fromStdString(document_.library().folder().string());
    for (const QString& folder : {data + "/examples", QDir::cleanPath(data + "/../examples")}) {
        const QFileInfoList plans = QDir(folder).entryInfoList({"*.bindrel"}, QDir::Files, QDir::Name);
        if (plans.isEmpty())
            continue;
        entries.push_back({StartEntry::Kind::Heading, say("Example plans, opened as copies"), {}, {}});
        for (const QFileInfo& plan : plans) {
            QString detail;
            if (const Expected<LoadedPlan> work =
                    loadPlan(plan.absoluteFilePath().toStdString(), document_.library())) {
                const Bindings bindings = bind(*work->device, work->plan);
                detail = QString(say("%1: %2 needs, %3 unbound, %4 in conflict"))
                             .arg(QString::fromStdString(work->board->title))
                             .arg(work->plan.needs.size())
                             .arg(bindings.count(BoundNeed::State::Open))
                             .arg(bindings.count(BoundNeed::State::Contested));
            }
            entries.push_back({StartEntry::Kind::Example, plan.completeBaseName(), detail, plan.absoluteFilePath()});
        }
        break;
    }
    entries.push_back({StartEntry::Kind::Heading, say("New plan for a board"), {}, {}});
    for (const std::string& name : document_.library().boardNames())
        if (const Expected<Board> board = document_.library().board(name))
            entries.push_back({StartEntry::Kind::Board, QString::fromStdString(board->title),
                               typeset(board->device + ", " + format(board->supply) + ", " +
                                       std::to_string(board->parts.size()) + say(" parts")),
                               QString::fromStdString(name)});
    list_->setEntries(std::move(entries));
    chips_->refresh();
    if (list_->currentRow() < 0)
        list_->setCurrentRow(1);
}

} // namespace bindrel
