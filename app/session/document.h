// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/journal.h"
#include "core/plan/history.h"
#include "core/snapshot.h"

#include <QFileSystemWatcher>
#include <QObject>
#include <QString>
#include <QTimer>

#include <map>
#include <optional>

namespace bindrel {

/// The open plan: its history, its file, and the snapshot that every view shows. Only the document applies edits, and
/// it announces each change once. What is selected or zoomed is not here: see ViewState.
class Document : public QObject {
    Q_OBJECT
public:
    explicit Document(Library library, QObject* parent = nullptr);

    bool isOpen() const { return snapshot_ != nullptr; }
    /// REQUIRES: isOpen()
    const Snapshot& snapshot() const { return *snapshot_; }
    std::shared_ptr<const Snapshot> sharedSnapshot() const { return snapshot_; }
    const Library& library() const { return library_; }
    /// The snapshot's findings, and the hazards that a rehearsal of it has shown since.
    const std::vector<Finding>& findings() const { return findings_; }
    int count(Finding::Severity severity) const;
    /// What a rehearsal found; nothing happens when another snapshot is open by now.
    void addHazards(const std::shared_ptr<const Snapshot>& rehearsed, const std::vector<Finding>& hazards);

    /// Replaces the open plan; on failure it stays as it is.
    Outcome open(const QString& path);
    /// Opens a plan as a new one without a file of its own, so that saving does not touch the original.
    Outcome openCopy(const QString& path);
    Outcome newFromBoard(const std::string& board);
    /// A plan for a chip without a board yet.
    Outcome newForDevice(const std::string& device);
    /// The same for a device file, or a maker's file, anywhere on the disk.
    Outcome newForDeviceFile(const QString& path);
    /// How the plan's file stands to what was read from it or written to it last.
    enum class OnDisk { Same, Changed, Gone };
    OnDisk onDisk() const;
    /// The text that the file holds now; empty when it cannot be read.
    std::string textOnDisk() const;
    enum class Overwrite { No, Yes };
    /// Fails when somebody else has changed the file, unless it may be overwritten.
    Outcome save(Overwrite overwrite = Overwrite::No);
    /// To a path that the person has chosen, and has agreed to replace.
    Outcome saveAs(const QString& path);
    /// What the file holds now becomes the open plan, as one step that can be undone.
    Outcome takeTheirs();
    QString path() const { return path_; } ///< empty for a plan that was never saved
    bool unsaved() const { return history_ && (history_->unsaved() || neverSaved_); }

    /// Applies an edit as one undo step; it may bring another device or board. False, with refused(), when it cannot be
    /// applied.
    bool apply(const Edit& edit);
    /// The snapshot that an edit would lead to; a problem when it cannot be applied.
    Expected<std::shared_ptr<const Snapshot>> preview(const Edit& edit) const;
    void undo();
    void redo();
    bool canUndo() const { return history_ && history_->canUndo(); }
    bool canRedo() const { return history_ && history_->canRedo(); }
    QString undoTitle() const { return history_ ? QString::fromStdString(history_->undoTitle()) : QString(); }
    QString redoTitle() const { return history_ ? QString::fromStdString(history_->redoTitle()) : QString(); }
    std::vector<std::string> undoTitles() const { return history_ ? history_->titles() : std::vector<std::string>(); }

    /// What a device file that has changed since the plan was saved makes different; empty when it has not.
    const std::vector<std::string>& deviceChanges() const { return deviceChanges_; }

    /// Unsaved work of a session that ended without saving, found by open(). It stays where it is until it is taken or
    /// dropped.
    std::optional<Plan> recovered() const { return recovered_; }
    QString recoveredWhen() const { return recoveredEntry_ ? recoveredEntry_->when : QString(); }
    void takeRecovered();
    void dropRecovered();
    /// Plans of earlier sessions that were never saved.
    std::vector<Journal::Entry> neverSaved() const { return journal_.leftOver({}); }
    /// Opens one of them as a plan without a file.
    Outcome openNeverSaved(const Journal::Entry& entry);
    void dropNeverSaved(const Journal::Entry& entry) { journal_.settle(entry); }
    /// A damaged journal that was met and set aside: its new name.
    const QString& damagedJournal() const { return damagedJournal_; }
    /// Writes the journal at once, where there is unsaved work: for whoever is about to end the program.
    void writeJournal();
    /// Forgets the journal: the person has saved or has said that the changes may go.
    void clearJournal();

Q_SIGNALS:
    void aboutToChange(); ///< an edit, an undo or a redo comes: the last moment for what is typed but not entered; may
                          ///< apply edits itself
    void changed();       ///< the snapshot is another one
    void findingsChanged();                                    ///< hazards have come to its findings
    void opened();                                             ///< another plan altogether; comes before changed()
    void fileChanged();                                        ///< path or saved state is another
    void deviceReloaded(const QString& message, bool trouble); ///< a file of the device was changed: the plan is
                                                               ///< computed on it anew, or it cannot be read
    void changedOnDisk();                                      ///< somebody else has changed or removed the plan's file
    void told(const QString& message);                         ///< something was done, and there is more to say of it
    void refused(const QString& message);                      ///< something could not be done; nothing was changed

private:
    void announceChange();
    void adopt(LoadedPlan work, const QString& path, bool neverSaved);
    void recompute();
    /// The plan with the device and board that it names, from what is at hand or the library.
    Expected<LoadedPlan> workFor(const Plan& plan) const;
    /// The library with what lies beside the plan.
    Library nearLibrary() const;
    bool journalFails_ = false; ///< and that has been said
    void findRecovered();
    void watch();
    void lookAtDisk();
    void lookAtDeviceFiles();
    std::vector<std::string> deviceFilesOnDisk() const;
    Outcome stored(Expected<bool> saved, const QString& path, const std::string& text);

    Library library_;
    QString path_;
    bool neverSaved_ = false;
    std::shared_ptr<const Device> device_;
    std::string deviceTrouble_; ///< why its files cannot be read any more, as it was told
    std::shared_ptr<const Board> board_;
    /// Those that the plan has been on, so that undo never depends on a file.
    std::map<std::string, std::shared_ptr<const Device>> devices_;
    std::map<std::string, std::shared_ptr<const Board>> boards_;
    std::optional<History> history_;
    bool announcing_ = false; ///< what aboutToChange() brings about is announced with it
    /// The change that was previewed last, and where it led from: taking it does not compute it again.
    struct Previewed {
        Edit edit;
        std::shared_ptr<const Snapshot> from, to;
    };
    mutable Previewed previewed_;
    std::shared_ptr<const Snapshot> snapshot_;
    std::vector<Finding> findings_;
    std::optional<Plan> recovered_;
    std::optional<Journal::Entry> recoveredEntry_;
    Journal journal_;
    QString damagedJournal_;
    QFileSystemWatcher watcher_;
    QTimer watchTimer_;
    std::string fileText_;          ///< of the plan's file as it was read or written last
    std::string lastAnnouncedText_; ///< the last text of somebody else's that was announced
    std::vector<std::string> deviceChanges_;
    Provenance provenance_;
    QTimer journalTimer_;
};

} // namespace bindrel
