// SPDX-License-Identifier: GPL-3.0-or-later
// Carrying out a preview: stage everything, then only rename, with a way back until the last rename is done.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/output/folder_memory.h"
#include "core/output/numbered_names.h"
#include "core/output/project_folder.h"
#include "core/output/stage_sweep.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

using State = FileChange::State;

class Write {
public:
    Write(const Source& source, const Directory& folder, const Directory& memory)
        : source_(source), root_(folder), folder_(folder), memory_(memory)
    {
    }

    /// REQUIRES: the lock of `memory` is held
    Expected<std::vector<std::string>> run(const OutputPreview& preview)
    {
        if (Outcome opened = open(); !opened)
            return opened.problem();
        if (Outcome staged = stageAll(preview); !staged)
            return giveUp(staged.problem());
        if (Outcome done = commitAll(preview); !done)
            return giveUp(done.problem());
        for (const Directory* changed :
             {static_cast<const Directory*>(&*base_), static_cast<const Directory*>(&*backup_), &memory_})
            if (Outcome safe = changed->sync(); !safe)
                return giveUp(safe.problem());
        if (Outcome safe = folder_.sync(); !safe)
            return giveUp(safe.problem());
        // From here on everything is in place; what is left over is only untidy, unless it has no copy.
        for (const Row& row : rows_)
            if (row.change && row.change->state == State::Obsolete)
                folder_.removeEmpty(row.name);
        for (std::string& note : sweepStages(source_, root_, memory_))
            notes_.push_back(std::move(note));
        if (byCopy_ && !memory_.exists(kTold) && memory_.write(kTold, ""))
            notes_.push_back(
                say("This file system can neither exchange two files nor give one a second name, so each old "
                    "file is copied before it is replaced. What another program saves "
                    "between the two is lost. Write to another disk if that can happen."));
        return std::move(notes_);
    }

private:
    static constexpr const char* kTold = "slow-file-system"; ///< there once a person has been told of it

    struct Row {
        const FileChange* change = nullptr; ///< null: only its memory is brought up to date
        std::string name;
        bool remembered = false; ///< a new text for base/ is staged
    };

    Outcome openIn(const Directory& parent, const std::string& name, std::optional<Directory>& into)
    {
        Expected<Directory> made = parent.childOrMade(name);
        if (!made)
            return made.problem();
        into.emplace(*std::move(made));
        return {};
    }

    Outcome open()
    {
        int number = 1;
        while (memory_.exists(fmt::format("stage-{}", number)))
            ++number;
        stageName_ = fmt::format("stage-{}", number);
        for (auto [name, into] :
             {std::pair{std::string("base"), &base_}, {std::string("backup"), &backup_}, {stageName_, &stage_}})
            if (Outcome made = openIn(memory_, name, *into); !made)
                return made;
        for (auto [name, into] : {std::pair{"base", &stageBase_}, {"was", &stageWas_}, {"first", &stageFirst_}})
            if (Outcome made = openIn(*stage_, name, *into); !made)
                return made;
        return {};
    }

    Problem at(const std::string& name, std::string message) const
    {
        Problem problem = problemOf(std::move(message));
        problem.file = (root_.path() / name).string();
        return problem;
    }

    Outcome stageAll(const OutputPreview& preview)
    {
        if (Outcome owned = stage_->write("owner", source_.plan + "\n"); !owned)
            return owned;
        if (!preview.first.name.empty()) {
            if (Outcome staged = stageFirst_->write(preview.first.name, preview.first.text); !staged)
                return staged;
            stageFirst_->copyMode(preview.first.name, root_, preview.first.name);
        }
        for (const FileChange& change : preview.files) {
            const Expected<std::optional<std::string>> disk = folder_.read(change.name);
            if (!disk)
                return disk.problem();
            if (disk->value_or(std::string()) != change.before)
                return at(
                    change.name,
                    "has changed while the write was being decided; look at the list again. Nothing was written.");
            Row row{change.touchesDisk() ? &change : nullptr, change.name, false};
            if (row.change && change.state != State::Obsolete) {
                if (Outcome staged = stage_->write(memoryName(change.name), change.after); !staged)
                    return staged;
                if (const auto spot = folder_.find(change.name); spot && *spot)
                    stage_->copyMode(memoryName(change.name), *(*spot)->folder, (*spot)->name);
            }
            const SourceFile* file = source_.find(change.name);
            if (file && file->owner == SourceFile::Owner::Generated) {
                const Expected<std::optional<std::string>> known = base_->read(memoryName(change.name));
                if (!known)
                    return known.problem();
                if (const std::string text = file->text(); !*known || **known != text) {
                    if (Outcome staged = stageBase_->write(memoryName(change.name), text); !staged)
                        return staged;
                    row.remembered = true;
                }
            }
            if (row.change || row.remembered)
                rows_.push_back(std::move(row));
        }
        for (const Directory* made : {&*stageFirst_, &*stageBase_, &*stage_})
            if (Outcome safe = made->sync(); !safe)
                return safe;
        return {};
    }

    Outcome commitAll(const OutputPreview& preview)
    {
        const std::string& keeper = preview.first.name;
        if (Outcome done = stage_->move("owner", memory_, "owner"); !done)
            return done;
        if (!keeper.empty())
            if (Outcome done = placeFirst(preview.first.name); !done)
                return done;
        // The memory before the files: while the old one lies in the stage, both are known to the next look.
        for (const Row& row : rows_)
            if (row.remembered)
                if (Outcome done = remember(row.name); !done)
                    return done;
        for (const Row& row : rows_)
            if (row.change && row.change->state != State::Obsolete && row.name != keeper)
                if (Outcome done = placeFile(*row.change, row.change->before); !done)
                    return done;
        for (const Row& row : rows_)
            if (row.change && row.change->state == State::Obsolete && row.name != keeper)
                if (Outcome done = removeFile(row.name, row.change->before, true); !done)
                    return done;
        return keeper.empty() ? Outcome() : settleFirst(preview);
    }

    /// What has a home by now needs no keeper any more: the file gets the text that it is to have in the end, or goes.
    Outcome settleFirst(const OutputPreview& preview)
    {
        const std::string& name = preview.first.name;
        const auto row =
            std::find_if(rows_.begin(), rows_.end(), [&name](const Row& r) { return r.change && r.name == name; });
        const bool stood = stageFirst_->exists(name);
        const bool goes = row == rows_.end() ? !stood : row->change->state == State::Obsolete;
        // Without a change of its own it becomes again what it was.
        const Directory& from = row == rows_.end() ? *stageFirst_ : *stage_;
        if (row != rows_.end() && !goes && row->change->after == preview.first.text)
            return stood ? backUp(*stageFirst_, name) : Outcome();
        if (goes) {
            if (Outcome done = removeFile(name, preview.first.text, false); !done)
                return done;
        } else {
            if (Outcome done = swap(from, name); !done)
                return done;
            const Expected<std::optional<std::string>> text = from.read(name);
            if (!text || text->value_or(std::string()) != preview.first.text)
                if (Outcome kept = keepBeside(from, name); !kept)
                    return kept;
        }
        return stood && row != rows_.end() ? backUp(*stageFirst_, name) : Outcome();
    }

    Outcome backUp(const Directory& from, const std::string& name)
    {
        if (Outcome done = addBackup(from, *backup_, name); !done)
            return done;
        back_.push_back([this, &from, name] { return backup_->move(name, from, name); });
        return {};
    }

    /// Places what keeps all texts; what stood there is part of it, and lies in the stage until the end.
    Outcome placeFirst(const std::string& name)
    {
        const Expected<bool> fresh = placeWhereFree(*stageFirst_, name);
        return !fresh ? Outcome(fresh.problem()) : *fresh ? Outcome() : swap(*stageFirst_, name);
    }

    /// False when there is a file of that name.
    Expected<bool> placeWhereFree(const Directory& stage, const std::string& name)
    {
        const Expected<ProjectFolder::Spot> spot = folder_.make(name);
        if (!spot)
            return spot.problem();
        const std::string staged = memoryName(name);
        const Expected<bool> fresh = stage.moveToFree(staged, *spot->folder, spot->name);
        if (fresh && *fresh)
            back_.push_back([&stage, staged, at = *spot] { return at.folder->move(at.name, stage, staged); });
        return fresh;
    }

    Outcome swap(const Directory& stage, const std::string& name)
    {
        const Expected<ProjectFolder::Spot> spot = folder_.make(name);
        if (!spot)
            return spot.problem();
        const std::string staged = memoryName(name);
        const Expected<Directory::Exchange> done = stage.exchange(staged, *spot->folder, spot->name);
        if (!done)
            return done.problem();
        byCopy_ = byCopy_ || *done == Directory::Exchange::ByCopy;
        back_.push_back([&stage, staged, at = *spot] {
            const Expected<Directory::Exchange> undone = stage.exchange(staged, *at.folder, at.name);
            return undone ? Outcome() : Outcome(undone.problem());
        });
        return {};
    }

    /// `path` of a file of the project.
    Outcome remember(const std::string& path)
    {
        const std::string name = memoryName(path);
        if (base_->exists(name))
            if (Outcome gone = forget(name); !gone)
                return gone;
        if (Outcome moved = stageBase_->move(name, *base_, name); !moved)
            return moved;
        back_.push_back([this, name] { return base_->move(name, *stageBase_, name); });
        return {};
    }

    /// Takes a text out of base/, with a way back.
    Outcome forget(const std::string& name)
    {
        if (Outcome moved = base_->move(name, *stageWas_, name); !moved)
            return moved;
        back_.push_back([this, name] { return stageWas_->move(name, *base_, name); });
        return {};
    }

    /// `before` is what stands there if nobody has interfered.
    Outcome placeFile(const FileChange& change, const std::string& before)
    {
        const std::string& name = change.name;
        const Expected<bool> fresh = placeWhereFree(*stage_, name);
        if (!fresh)
            return fresh.problem();
        if (*fresh)
            return {};
        if (before.empty() && source_.find(name) && source_.find(name)->owner == SourceFile::Owner::User) {
            notes_.push_back(say("{} was made by somebody meanwhile and stays as it is.", name));
            return {};
        }
        if (Outcome done = swap(*stage_, name); !done)
            return done;
        // What stood there to the last moment is in the stage now.
        return putAway(name, before);
    }

    Outcome removeFile(const std::string& name, const std::string& before, bool backedUp)
    {
        const Expected<std::optional<ProjectFolder::Spot>> found = folder_.find(name);
        if (!found || !*found)
            return found ? Outcome() : Outcome(found.problem());
        const ProjectFolder::Spot spot = **found;
        const std::string staged = memoryName(name);
        const Expected<bool> taken = spot.folder->moveToFree(spot.name, *stage_, staged);
        if (!taken)
            return folder_.exists(name) ? Outcome(taken.problem()) : Outcome();
        if (!*taken)
            return at(name, "could not be removed: its name is taken in the stage. Try again.");
        const Expected<std::optional<std::string>> text = stage_->read(staged);
        if (!text || text->value_or(std::string()) != before) {
            if (const Expected<bool> stays = stage_->moveToFree(staged, *spot.folder, spot.name); !stays || !*stays)
                return putAway(name, before);
            notes_.push_back(
                say("{} was edited in this moment, so it stays although it is no longer generated.", name));
            return {};
        }
        back_.push_back([this, staged, spot] { return moved(stage_->moveToFree(staged, *spot.folder, spot.name)); });
        if (base_->exists(staged))
            if (Outcome done = forget(staged); !done)
                return done;
        return backedUp ? putAway(name, before) : Outcome();
    }

    static Outcome moved(const Expected<bool>& done)
    {
        return !done ? Outcome(done.problem()) : !*done ? Outcome(problemOf(say("the name is taken."))) : Outcome();
    }

    /// What the stage holds under this name was in the folder: to the backups when it is what the preview knew, else
    /// beside.
    Outcome putAway(const std::string& name, const std::string& before)
    {
        const Expected<std::optional<std::string>> text = stage_->read(memoryName(name));
        if (text && *text && **text == before)
            return backUp(*stage_, memoryName(name));
        return keepBeside(*stage_, name);
    }

    /// Puts a person's text beside the file that it was meant for.
    Outcome keepBeside(const Directory& from, const std::string& name)
    {
        const Expected<ProjectFolder::Spot> spot = folder_.make(name);
        if (!spot)
            return spot.problem();
        const std::string staged = memoryName(name);
        const Expected<std::string> aside = moveToFreeNumber(from, staged, *spot->folder, spot->name + ".yours");
        if (!aside)
            return aside.problem();
        back_.push_back([&from, staged, at = *spot, kept = *aside] { return at.folder->move(kept, from, staged); });
        notes_.push_back(say("{} was saved by another program in this moment; that text is kept as {}.", name, *aside));
        return {};
    }

    /// Takes back what was done, the last first, and goes on where one step fails: what can be as it was shall be.
    Problem giveUp(Problem problem)
    {
        bool whole = true;
        for (auto step = back_.rbegin(); step != back_.rend(); ++step)
            whole = (*step)().ok() && whole;
        folder_.removeEmptyMade();
        if (whole)
            (void)memory_.removeTree(stageName_);
        else
            problem.message +=
                say(" Some changes could not be undone; the next write completes them. No text of yours is lost.");
        return problem;
    }

    const Source& source_;
    const Directory& root_;
    ProjectFolder folder_;
    const Directory& memory_;
    std::string stageName_;
    std::optional<Directory> base_, backup_, stage_, stageBase_, stageWas_, stageFirst_;
    std::vector<Row> rows_;
    std::vector<std::function<Outcome()>> back_; ///< what takes each rename back
    std::vector<std::string> notes_;
    bool byCopy_ = false;
};

} // namespace

Expected<std::vector<std::string>> writeOutput(const Source& source, const fs::path& path, const OutputPreview& preview,
                                               Ownership ownership)
{
    for (const FileChange& change : preview.files)
        if (change.state == State::Conflict) {
            Problem problem = problemOf(change.note + say(". Nothing was written."));
            problem.file = (path / change.name).string();
            return problem;
        }
    const Expected<LockedFolder> locked = lockFolder(Directory::openOrMake(path));
    if (!locked)
        return locked.problem();
    const Expected<FolderMemory> known = FolderMemory::of(locked->folder);
    if (!known)
        return known.problem();
    if (Outcome own = checkOwner(known->owner(), source.plan, locked->folder, ownership); !own)
        return own.problem();
    return Write(source, locked->folder, locked->memory).run(preview);
}

} // namespace bindrel
