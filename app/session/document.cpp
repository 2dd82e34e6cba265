// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session/document.h"

#include "app/session/path_text.h"
#include "core/base/files.h"
#include "core/base/say.h"
#include "core/device/device_cache.h"
#include "core/device/device_memory.h"
#include "core/device/layers.h"
#include "core/plan/board_facts.h"
#include "core/snapshot_change.h"

#include <algorithm>

#include <QFileInfo>

namespace bindrel {

/// Of a plan that was begun without a board and not saved yet.
static constexpr const char* kUnnamed = "new-plan";

Document::Document(Library library, QObject* parent) : QObject(parent), library_(std::move(library))
{
    // Writing the journal at every keystroke would wear the disk for nothing; a second's work is the most that can go.
    journalTimer_.setSingleShot(true);
    journalTimer_.setInterval(1000);
    connect(&journalTimer_, &QTimer::timeout, this, &Document::writeJournal);
    // An editor that saves makes several changes in a row; one look when they are over is enough.
    watchTimer_.setSingleShot(true);
    watchTimer_.setInterval(100);
    connect(&watchTimer_, &QTimer::timeout, this, &Document::lookAtDisk);
    connect(&watcher_, &QFileSystemWatcher::fileChanged, &watchTimer_, qOverload<>(&QTimer::start));
    connect(&watcher_, &QFileSystemWatcher::directoryChanged, &watchTimer_, qOverload<>(&QTimer::start));
}

Outcome Document::open(const QString& path)
{
    Expected<LoadedPlan> work = loadPlan(pathOf(path), library_);
    if (!work)
        return work.problem();
    // By its real name from here on: what is saved takes the place of the file, not of a link to it, and its journal is
    // found however it is opened.
    adopt(*std::move(work), pathText(realPath(pathOf(path))), false);
    findRecovered();
    return {};
}

Outcome Document::openCopy(const QString& path)
{
    Expected<LoadedPlan> work = loadPlan(pathOf(path), library_);
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
    Expected<std::shared_ptr<const Device>> device = library_.device(board->device);
    if (!device)
        return device.problem();
    LoadedPlan work;
    Expected<Plan> plan = planFromBoard(*board);
    if (!plan)
        return plan.problem();
    work.plan = *std::move(plan);
    work.provenance = library_.provenance(board->device, name);
    work.board = std::make_shared<const Board>(*std::move(board));
    work.device = *std::move(device);
    adopt(std::move(work), QString(), true);
    return {};
}

Outcome Document::newForDevice(const std::string& name)
{
    Expected<std::shared_ptr<const Device>> device = library_.device(name);
    if (!device)
        return device.problem();
    LoadedPlan work;
    work.plan.name = kUnnamed;
    work.plan.device = (*device)->name;
    work.provenance = library_.provenance(name, {});
    work.board = std::make_shared<const Board>(bareBoard(**device));
    work.device = *std::move(device);
    adopt(std::move(work), QString(), true);
    return {};
}

Outcome Document::newForDeviceFile(const QString& path)
{
    const std::filesystem::path file = realPath(pathOf(path));
    Expected<std::shared_ptr<const Device>> device = cachedDevice(file);
    if (!device)
        return device.problem();
    LoadedPlan work;
    work.plan.name = kUnnamed;
    work.plan.device = (*device)->name;
    work.provenance.device = Origin::Folder;
    work.provenance.deviceFile = file.string();
    work.board = std::make_shared<const Board>(bareBoard(**device));
    work.device = *std::move(device);
    // From here on its folder is looked into, as if it had been named when the program was started.
    library_ = library_.with(file.parent_path(), Origin::Folder);
    adopt(std::move(work), QString(), true);
    return {};
}

void Document::adopt(LoadedPlan work, const QString& path, bool neverSaved)
{
    clearJournal(); // of what was open: it is saved, or the person has said that it may go
    recovered_.reset();
    recoveredEntry_.reset();
    fileText_ = std::move(work.fileText);
    lastAnnouncedText_ = fileText_;
    deviceChanges_ = bindrel::deviceChanges(work, deviceMemory());
    provenance_ = work.provenance;
    device_ = std::move(work.device);
    board_ = std::move(work.board);
    devices_ = {{device_->name, device_}};
    boards_ = {{board_->name, board_}};
    history_.emplace(std::move(work.plan));
    path_ = path;
    neverSaved_ = neverSaved;
    snapshot_ = computeSnapshot({device_, board_, history_->plan(), provenance_, {}, {}});
    findings_ = snapshot_->findings;
    watch();
    Q_EMIT opened();
    Q_EMIT changed();
    Q_EMIT fileChanged();
}

void Document::watch()
{
    if (const QStringList watched = watcher_.files() + watcher_.directories(); !watched.isEmpty())
        watcher_.removePaths(watched);
    // What the device stands on; shipped files do not change under a running program.
    if (device_ && provenance_.device != Origin::Shipped)
        for (const std::string& file : deviceFilesOnDisk())
            if (const QString name = pathText(std::filesystem::path(file)); QFileInfo::exists(name)) {
                watcher_.addPath(name);
                watcher_.addPath(QFileInfo(name).absolutePath());
            }
    if (path_.isEmpty())
        return;
    // The folder too: a file that is replaced is another one to the system.
    // A name that is no text cannot be watched; saving looks all the same.
    watcher_.addPath(QFileInfo(path_).absolutePath());
    if (QFileInfo::exists(path_))
        watcher_.addPath(path_);
}

std::vector<std::string> Document::deviceFilesOnDisk() const
{
    std::vector<std::string> out;
    if (!device_ || device_->file.empty())
        return out;
    out.push_back(device_->file);
    if (device_->origins)
        for (const std::string& file : device_->origins->values->files())
            if (std::find(out.begin(), out.end(), file) == out.end())
                out.push_back(file);
    return out;
}

void Document::lookAtDeviceFiles()
{
    if (!device_ || provenance_.device == Origin::Shipped || device_->file.empty())
        return;
    for (const std::string& file : deviceFilesOnDisk())
        if (const QString name = pathText(std::filesystem::path(file));
            QFileInfo::exists(name) && !watcher_.files().contains(name))
            watcher_.addPath(name);
    const Expected<std::shared_ptr<const Device>> now = cachedDevice(device_->file);
    if (!now) {
        // Told once for each state of the files; the plan stays on what was read before.
        if (const std::string told = now.problem().text(); told != deviceTrouble_) {
            deviceTrouble_ = told;
            Q_EMIT deviceReloaded(QString::fromStdString(told + say(" The device stays as it was read before.")), true);
        }
        return;
    }
    deviceTrouble_.clear();
    if ((*now)->revision == device_->revision || (*now)->name != device_->name)
        return;
    // Every decision is read anew against what the device is now; what it can no longer take is told.
    const Plan before = stamped(history_->plan(), *device_, provenance_.device);
    Expected<LoadedPlan> work =
        parsePlan(planText(before), path_.toStdString(),
                  nearLibrary().with(std::filesystem::path(device_->file).parent_path(), Origin::Folder));
    if (!work) {
        Q_EMIT deviceReloaded(
            QString::fromStdString(say("The device's file has changed, but the plan does not fit it: ") +
                                   work.problem().message),
            true);
        return;
    }
    if (work->device->revision != (*now)->revision)
        return; // another file of the name comes first
    announceChange();
    device_ = work->device;
    board_ = work->board;
    devices_ = {{device_->name, device_}};
    boards_ = {{board_->name, board_}};
    Plan plan = history_->plan();
    const Edit edit = difference(plan, work->plan, say("Fit the plan to the changed device"));
    if (!edit.changes.empty())
        if (const Outcome done = history_->apply(edit); !done) {
            Q_EMIT refused(QString::fromStdString(done.problem().message));
            return;
        }
    recompute();
    watch();
    const std::size_t lost = work->deviceChange ? work->deviceChange->lost.size() : 0;
    Q_EMIT deviceReloaded(lost == 0 ? QString(say("The device's file has changed; the plan is computed on it anew."))
                                    : QString(say("The device's file has changed, and %1 decisions no longer fit: %2"))
                                          .arg(lost)
                                          .arg(QString::fromStdString(work->deviceChange->lost.front())),
                          lost > 0);
}

void Document::lookAtDisk()
{
    lookAtDeviceFiles();
    if (path_.isEmpty())
        return;
    if (!watcher_.files().contains(path_) && QFileInfo::exists(path_))
        watcher_.addPath(path_);
    if (onDisk() == OnDisk::Same)
        return;
    // Each state of the file is told once.
    const std::string now = textOnDisk();
    if (now == lastAnnouncedText_)
        return;
    lastAnnouncedText_ = now;
    Q_EMIT changedOnDisk();
}

Document::OnDisk Document::onDisk() const
{
    if (path_.isEmpty())
        return OnDisk::Same;
    if (std::error_code error; !std::filesystem::exists(pathOf(path_), error))
        return OnDisk::Gone;
    return textOnDisk() == fileText_ ? OnDisk::Same : OnDisk::Changed;
}

std::string Document::textOnDisk() const
{
    Expected<std::string> text = readFile(pathOf(path_));
    return text ? *std::move(text) : std::string();
}

Outcome Document::save(Overwrite overwrite)
{
    const Plan plan = stamped(history_->plan(), *device_, provenance_.device);
    const std::string text = planText(plan);
    // A file that is gone is written again: nothing of anybody's is lost by that.
    const std::string known = onDisk() == OnDisk::Gone ? std::string() : fileText_;
    Expected<bool> saved = overwrite == Overwrite::Yes ? replaceFile(pathOf(path_), text, nullptr)
                                                       : replaceFile(pathOf(path_), text, &known);
    return stored(std::move(saved), path_, text);
}

Outcome Document::saveAs(const QString& path)
{
    // A plan that nobody has named is called like its file; its C is named after it.
    if (history_->plan().name == kUnnamed) {
        std::string name;
        for (const QChar c : QFileInfo(path).completeBaseName())
            name += c.unicode() < 128 && (c.isLetterOrNumber() || c == '-' || c == '_') ? c.toLatin1() : '-';
        if (name.find_first_not_of('-') != std::string::npos)
            apply(editOf(say("Name the plan ") + name, SetText{SetText::What::Name, name}));
    }
    const std::string text = planText(stamped(history_->plan(), *device_, provenance_.device));
    return stored(replaceFile(pathOf(path), text, nullptr), path, text);
}

Outcome Document::stored(Expected<bool> saved, const QString& path, const std::string& text)
{
    if (!saved)
        return saved.problem();
    if (!*saved) {
        Problem problem = problemOf(say("was changed outside Bindrel since it was read; nothing was saved."));
        problem.file = pathOf(path).string();
        return problem;
    }
    // A copy that could not be kept costs a comparison later, nothing more.
    (void)rememberDevice(*device_, deviceMemory());
    clearJournal();
    path_ = pathText(realPath(pathOf(path)));
    fileText_ = text;
    lastAnnouncedText_ = text;
    neverSaved_ = false;
    history_->markSaved();
    watch();
    Q_EMIT fileChanged();
    return {};
}

Outcome Document::takeTheirs()
{
    announceChange();
    Expected<LoadedPlan> theirs = loadPlan(pathOf(path_), library_);
    if (!theirs)
        return theirs.problem();
    const Edit edit = difference(history_->plan(), theirs->plan, say("Load the plan from disk"));
    if (!edit.changes.empty() && !apply(edit))
        return problemOf(say("the plan on the disk could not be taken over; open it anew."));
    fileText_ = theirs->fileText;
    lastAnnouncedText_ = fileText_;
    neverSaved_ = false;
    history_->markSaved();
    clearJournal();
    Q_EMIT fileChanged();
    return {};
}

Library Document::nearLibrary() const
{
    return path_.isEmpty() ? library_ : library_.with(pathOf(path_).parent_path(), Origin::BesidePlan);
}

Expected<LoadedPlan> Document::workFor(const Plan& plan) const
{
    LoadedPlan work{nullptr,
                    nullptr,
                    plan,
                    plan.device == device_->name && plan.board == board_->name
                        ? provenance_
                        : nearLibrary().provenance(plan.device, plan.board),
                    {},
                    {}};
    if (const auto known = devices_.find(plan.device); known != devices_.end()) {
        work.device = known->second;
    } else {
        Expected<std::shared_ptr<const Device>> device = nearLibrary().device(plan.device);
        if (!device)
            return device.problem();
        work.device = *std::move(device);
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
    if (previewed_.to && previewed_.from == snapshot_ && previewed_.edit.changes == edit.changes)
        return previewed_.to;
    const Expected<Plan> next =
        history_ ? applied(history_->plan(), edit) : Expected<Plan>(problemOf(say("no plan is open.")));
    if (!next)
        return next.problem();
    const Expected<LoadedPlan> work = workFor(*next);
    if (!work)
        return work.problem();
    previewed_ = {edit, snapshot_, computeSnapshot(*work)};
    return previewed_.to;
}

void Document::announceChange()
{
    if (announcing_)
        return;
    announcing_ = true;
    Q_EMIT aboutToChange();
    announcing_ = false;
}

bool Document::apply(const Edit& given)
{
    if (!history_)
        return false;
    const Edit edit = given; // whoever holds it may go with what is applied before it
    announceChange();
    const auto refuse = [this](const Problem& problem) {
        Q_EMIT refused(QString::fromStdString(problem.message));
        return false;
    };
    const Expected<Plan> next = applied(history_->plan(), edit);
    if (!next)
        return refuse(next.problem());
    // What it needs is at hand before anything is changed.
    const Expected<LoadedPlan> work = workFor(*next);
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
    announceChange();
    if (history_ && history_->undo())
        recompute();
}

void Document::redo()
{
    announceChange();
    if (history_ && history_->redo())
        recompute();
}

void Document::recompute()
{
    const Plan& plan = history_->plan();
    if (plan.device != device_->name) {
        device_ = devices_.at(plan.device);
        provenance_ = nearLibrary().provenance(plan.device, plan.board);
    }
    board_ = plan.board.empty() ? std::make_shared<const Board>(bareBoard(*device_)) : boards_.at(plan.board);
    const Previewed seen = std::exchange(previewed_, {});
    const bool isSeen = seen.to && seen.from == snapshot_ && seen.to->filedDevice == device_ &&
                        seen.to->filedBoard == board_ && seen.to->plan == plan;
    snapshot_ = isSeen ? seen.to : computeSnapshot({device_, board_, history_->plan(), provenance_, {}, {}});
    findings_ = snapshot_->findings;
    journalTimer_.start();
    Q_EMIT changed();
    Q_EMIT fileChanged();
}

void Document::writeJournal()
{
    if (!history_ || !unsaved())
        return clearJournal();
    // A journal that cannot be written must not get in the way of the work itself; but somebody should know.
    const bool kept = journal_.write(path_, history_->plan());
    if (!kept && !std::exchange(journalFails_, true))
        Q_EMIT refused(
            QString(say("Unsaved changes are not protected against a crash: %1 is not writable. Save often, or "
                        "make that folder writable."))
                .arg(journal_.folder()));
    journalFails_ = !kept;
}

void Document::clearJournal()
{
    journalTimer_.stop();
    journal_.clear();
}

void Document::findRecovered()
{
    damagedJournal_.clear();
    for (const Journal::Entry& entry : journal_.leftOver(path_)) {
        Expected<LoadedPlan> left = loadPlan(entry.file.toStdString(), nearLibrary());
        if (!left) {
            damagedJournal_ = journal_.setAside(entry);
            continue;
        }
        if (left->plan == history_->plan()) {
            journal_.settle(entry);
            continue;
        }
        recovered_ = std::move(left->plan);
        recoveredEntry_ = entry;
        return;
    }
}

Outcome Document::openNeverSaved(const Journal::Entry& entry)
{
    Expected<LoadedPlan> left = loadPlan(entry.file.toStdString(), library_);
    if (!left) {
        damagedJournal_ = journal_.setAside(entry);
        Problem problem = left.problem();
        problem.message += say(" It is kept as ") + damagedJournal_.toStdString() + ".";
        return problem;
    }
    left->fileText.clear();
    adopt(*std::move(left), QString(), true);
    // The old one goes only when its text is safe again.
    if (journal_.write({}, history_->plan()))
        journal_.settle(entry);
    return {};
}

void Document::takeRecovered()
{
    if (!recovered_)
        return;
    // As one edit, so that it can be undone: the plan on disk is the state before it.
    announceChange();
    const Plan wanted = *std::move(recovered_);
    recovered_.reset();
    if (!apply(difference(history_->plan(), wanted, say("Restore unsaved work"))))
        return;
    if (journal_.write(path_, history_->plan()) && recoveredEntry_)
        journal_.settle(*recoveredEntry_);
    recoveredEntry_.reset();
}

void Document::dropRecovered()
{
    recovered_.reset();
    if (recoveredEntry_)
        journal_.settle(*recoveredEntry_);
    recoveredEntry_.reset();
}

int Document::count(Finding::Severity severity) const
{
    return int(std::count_if(findings_.begin(), findings_.end(),
                             [severity](const Finding& finding) { return finding.severity == severity; }));
}

void Document::addHazards(const std::shared_ptr<const Snapshot>& rehearsed, const std::vector<Finding>& hazards)
{
    if (rehearsed != snapshot_ || (hazards.empty() && findings_.size() == snapshot_->findings.size()))
        return;
    findings_ = snapshot_->findings;
    findings_.insert(findings_.end(), hazards.begin(), hazards.end());
    Q_EMIT findingsChanged();
}

} // namespace bindrel
