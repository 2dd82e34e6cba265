// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/document.h"

#include "core/base/files.h"
#include "core/device/device_memory.h"
#include "core/snapshot_change.h"

#include <QCryptographicHash>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QStandardPaths>

namespace bindrel {

Document::Document(Library library, QObject* parent) : QObject(parent), library_(std::move(library))
{
    // Writing the journal at every keystroke would wear the disk for nothing; a second's work is the most that can go.
    journalTimer_.setSingleShot(true);
    journalTimer_.setInterval(1000);
    connect(&journalTimer_, &QTimer::timeout, this, &Document::writeJournal);
}

Outcome Document::open(const QString& path)
{
    Expected<Workpiece> work = loadPlan(path.toStdString(), library_);
    if (!work)
        return work.problem();
    adopt(*std::move(work), QFileInfo(path).absoluteFilePath(), false);
    findRecovered();
    return {};
}

Outcome Document::openCopy(const QString& path)
{
    Expected<Workpiece> work = loadPlan(path.toStdString(), library_);
    if (!work)
        return work.problem();
    adopt(*std::move(work), QString(), true);
    return {};
}

Outcome Document::newFromBoard(const std::string& name)
{
    Expected<Board> board = library_.board(name);
    if (!board)
        return board.problem();
    Expected<Device> device = library_.device(board->device);
    if (!device)
        return device.problem();
    Workpiece work;
    Expected<Plan> plan = planFromBoard(*board);
    if (!plan)
        return plan.problem();
    work.plan = *std::move(plan);
    work.board = std::make_shared<const Board>(*std::move(board));
    work.device = std::make_shared<const Device>(*std::move(device));
    adopt(std::move(work), QString(), true);
    return {};
}

void Document::adopt(Workpiece work, const QString& path, bool neverSaved)
{
    journalTimer_.stop();
    recovered_.reset();
    deviceChanges_ = bindrel::deviceChanges(work, deviceMemory());
    deviceOrigin_ = work.deviceOrigin;
    device_ = std::move(work.device);
    board_ = std::move(work.board);
    history_.emplace(std::move(work.plan));
    path_ = path;
    neverSaved_ = neverSaved;
    snapshot_ = computeSnapshot({device_, board_, history_->plan()});
    Q_EMIT opened();
    Q_EMIT changed();
    Q_EMIT fileChanged();
}

Outcome Document::save() { return saveAs(path_); }

Outcome Document::saveAs(const QString& path)
{
    if (Outcome saved = savePlan(stamped(history_->plan(), *device_, deviceOrigin_), path.toStdString()); !saved)
        return saved;
    // A copy that could not be kept costs a comparison later, nothing more.
    (void)rememberDevice(*device_, deviceMemory());
    clearJournal();
    path_ = QFileInfo(path).absoluteFilePath();
    neverSaved_ = false;
    history_->markSaved();
    Q_EMIT fileChanged();
    return {};
}

bool Document::apply(const Edit& edit)
{
    if (!history_)
        return false;
    if (Outcome done = history_->apply(edit); !done) {
        Q_EMIT refused(QString::fromStdString(done.problem().message));
        return false;
    }
    recompute();
    return true;
}

void Document::undo()
{
    if (history_ && history_->undo())
        recompute();
}

void Document::redo()
{
    if (history_ && history_->redo())
        recompute();
}

void Document::recompute()
{
    snapshot_ = computeSnapshot({device_, board_, history_->plan()});
    journalTimer_.start();
    Q_EMIT changed();
    Q_EMIT fileChanged();
}

QString Document::journalPath() const
{
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + "/journal";
    const QByteArray name = path_.isEmpty() ? QByteArray("unnamed") : QCryptographicHash::hash(path_.toUtf8(), QCryptographicHash::Sha256).toHex();
    return folder + "/" + QString::fromLatin1(name) + ".bindrel";
}

void Document::writeJournal()
{
    if (!history_ || !unsaved())
        return clearJournal();
    const QString path = journalPath();
    QDir().mkpath(QFileInfo(path).absolutePath());
    // A journal that cannot be written must not get in the way of the work itself.
    (void)savePlan(history_->plan(), path.toStdString());
}

void Document::clearJournal()
{
    journalTimer_.stop();
    QFile::remove(journalPath());
}

void Document::findRecovered()
{
    if (!QFileInfo::exists(journalPath()))
        return;
    Expected<Workpiece> journal = loadPlan(journalPath().toStdString(), path_.isEmpty() ? library_ : library_.with(QFileInfo(path_).absolutePath().toStdString(), Origin::BesidePlan));
    if (journal && journal->plan != history_->plan() && journal->plan.device == history_->plan().device && journal->plan.board == history_->plan().board)
        recovered_ = std::move(journal->plan);
}

void Document::takeRecovered()
{
    if (!recovered_)
        return;
    // As one edit, so that it can be undone: the plan on disk is the state before it.
    Plan wanted = *std::move(recovered_);
    recovered_.reset();
    const Plan& now = history_->plan();
    Edit edit{"Bring back unsaved work", {}};
    for (const auto& [what, value] : {std::pair{SetText::What::Name, wanted.name}, {SetText::What::Supply, wanted.supply},
                                      {SetText::What::Range, wanted.range}, {SetText::What::Prefix, wanted.prefix}})
        edit.changes.push_back(SetText{what, value});
    for (const auto& [node, value] : now.clocks)
        if (!wanted.clocks.contains(node))
            edit.changes.push_back(SetClock{node, std::nullopt});
    for (const auto& [node, value] : wanted.clocks)
        edit.changes.push_back(SetClock{node, value});
    for (const std::string& hold : now.holds)
        edit.changes.push_back(SetHold{hold, wanted.holds.contains(hold)});
    for (const std::string& hold : wanted.holds)
        edit.changes.push_back(SetHold{hold, true});
    for (const Need& need : now.needs)
        edit.changes.push_back(RemoveNeed{need.id});
    for (size_t i = 0; i < wanted.needs.size(); ++i)
        edit.changes.push_back(InsertNeed{i, wanted.needs[i]});
    apply(edit);
}

void Document::dropRecovered()
{
    recovered_.reset();
    clearJournal();
}

} // namespace bindrel
