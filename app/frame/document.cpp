// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/document.h"

#include "core/base/files.h"
#include "core/device/device_memory.h"
#include "core/plan/board_facts.h"
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

Outcome Document::newForDevice(const std::string& name)
{
    Expected<Device> device = library_.device(name);
    if (!device)
        return device.problem();
    Workpiece work;
    work.plan.name = "new-plan";
    work.plan.device = device->name;
    work.board = std::make_shared<const Board>(bareBoard(*device));
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
    devices_ = {{device_->name, device_}};
    boards_ = {{board_->name, board_}};
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

Library Document::nearLibrary() const
{
    return path_.isEmpty() ? library_ : library_.with(QFileInfo(path_).absolutePath().toStdString(), Origin::BesidePlan);
}

Expected<Workpiece> Document::workFor(const Plan& plan) const
{
    Workpiece work{nullptr, nullptr, plan, deviceOrigin_, {}};
    if (const auto known = devices_.find(plan.device); known != devices_.end()) {
        work.device = known->second;
    } else {
        Expected<Device> device = nearLibrary().device(plan.device);
        if (!device)
            return device.problem();
        work.device = std::make_shared<const Device>(*std::move(device));
    }
    if (plan.board.empty()) {
        work.board = std::make_shared<const Board>(bareBoard(*work.device));
    } else if (const auto known = boards_.find(plan.board); known != boards_.end()) {
        work.board = known->second;
    } else {
        Expected<Board> board = nearLibrary().board(plan.board);
        if (!board)
            return board.problem();
        work.board = std::make_shared<const Board>(*std::move(board));
    }
    return work;
}

Expected<std::shared_ptr<const Snapshot>> Document::preview(const Edit& edit) const
{
    const Expected<Plan> next = history_ ? applied(history_->plan(), edit) : Expected<Plan>(problemOf("no plan is open."));
    if (!next)
        return next.problem();
    const Expected<Workpiece> work = workFor(*next);
    if (!work)
        return work.problem();
    return computeSnapshot(*work);
}

bool Document::apply(const Edit& edit)
{
    if (!history_)
        return false;
    const auto refuse = [this](const Problem& problem) {
        Q_EMIT refused(QString::fromStdString(problem.message));
        return false;
    };
    const Expected<Plan> next = applied(history_->plan(), edit);
    if (!next)
        return refuse(next.problem());
    // What it needs is at hand before anything is changed.
    const Expected<Workpiece> work = workFor(*next);
    if (!work)
        return refuse(work.problem());
    devices_[work->device->name] = work->device;
    boards_[work->board->name] = work->board;
    if (Outcome done = history_->apply(edit); !done)
        return refuse(done.problem());
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
    const Plan& plan = history_->plan();
    if (plan.device != device_->name) {
        device_ = devices_.at(plan.device);
        const auto found = nearLibrary().deviceFile(plan.device);
        deviceOrigin_ = found ? found->origin : Origin::Shipped;
    }
    board_ = plan.board.empty() ? std::make_shared<const Board>(bareBoard(*device_)) : boards_.at(plan.board);
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
    Expected<Workpiece> journal = loadPlan(journalPath().toStdString(), nearLibrary());
    if (journal && journal->plan != history_->plan())
        recovered_ = std::move(journal->plan);
}

void Document::takeRecovered()
{
    if (!recovered_)
        return;
    // As one edit, so that it can be undone: the plan on disk is the state before it.
    const Plan wanted = *std::move(recovered_);
    recovered_.reset();
    apply(difference(history_->plan(), wanted, "Bring back unsaved work"));
}

void Document::dropRecovered()
{
    recovered_.reset();
    clearJournal();
}

} // namespace bindrel
