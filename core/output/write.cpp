// SPDX-License-Identifier: GPL-3.0-or-later
// Carrying out a preview: stage everything, then only rename, with a way back until the last rename is done.
#include "core/base/text.h"
#include "core/output/folder_memory.h"
#include "core/source/seal.h"

#include <fmt/format.h>

#include <functional>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

using State = FileChange::State;

class Write {
public:
    Write(const Source& source, const Directory& folder, const Directory& memory) : source_(source), folder_(folder), memory_(memory) {}

    /// REQUIRES: the lock of `memory` is held
    Expected<std::vector<std::string>> run(const OutputPreview& preview)
    {
        if (Outcome opened = open(); !opened)
            return opened.problem();
        if (Outcome staged = stageAll(preview); !staged)
            return giveUp(staged.problem());
        if (Outcome done = commitAll(); !done)
            return giveUp(done.problem());
        for (const Directory* changed : {&folder_, static_cast<const Directory*>(&*base_), static_cast<const Directory*>(&*backup_), &memory_})
            if (Outcome safe = changed->sync(); !safe)
                return giveUp(safe.problem());
        // From here on everything is in place; what is left over is only untidy, and the next write sweeps it up.
        for (const std::string& name : memory_.names())
            if (name.starts_with("stage"))
                (void)memory_.removeTree(name);
        return std::move(notes_);
    }

private:
    struct Row {
        const FileChange* change = nullptr; ///< null: only its memory is brought up to date
        std::string name;
        bool remembered = false; ///< a new text for base/ is staged
    };

    Outcome open()
    {
        int number = 1;
        while (memory_.exists(fmt::format("stage-{}", number)))
            ++number;
        stageName_ = fmt::format("stage-{}", number);
        for (auto [name, into] : {std::pair{std::string("base"), &base_}, {std::string("backup"), &backup_}, {stageName_, &stage_}}) {
            Expected<Directory> made = memory_.childOrMade(name);
            if (!made)
                return made.problem();
            into->emplace(*std::move(made));
        }
        Expected<Directory> stageBase = stage_->childOrMade("base");
        if (!stageBase)
            return stageBase.problem();
        stageBase_.emplace(*std::move(stageBase));
        return {};
    }

    Problem at(const std::string& name, std::string message) const
    {
        Problem problem = problemOf(std::move(message));
        problem.file = (folder_.path() / name).string();
        return problem;
    }

    Outcome stageAll(const OutputPreview& preview)
    {
        if (Outcome owned = stage_->write("owner", source_.plan + "\n"); !owned)
            return owned;
        for (const FileChange& change : preview.files) {
            const Expected<std::optional<std::string>> disk = folder_.read(change.name);
            if (!disk)
                return disk.problem();
            if (disk->value_or(std::string()) != change.before)
                return at(change.name, "has changed while the write was being decided; look at the list again. Nothing was written.");
            Row row{change.touchesDisk() ? &change : nullptr, change.name, false};
            if (row.change && change.state != State::Obsolete) {
                if (Outcome staged = stage_->write(change.name, change.after); !staged)
                    return staged;
                stage_->copyMode(change.name, folder_, change.name);
            }
            const SourceFile* file = source_.find(change.name);
            if (file && file->owner == SourceFile::Owner::Generated) {
                const Expected<std::optional<std::string>> known = base_->read(change.name);
                if (!known)
                    return known.problem();
                if (const std::string text = file->text(); !*known || **known != text) {
                    if (Outcome staged = stageBase_->write(change.name, text); !staged)
                        return staged;
                    row.remembered = true;
                }
            }
            if (row.change || row.remembered)
                rows_.push_back(std::move(row));
        }
        for (const Directory* made : {&*stageBase_, &*stage_})
            if (Outcome safe = made->sync(); !safe)
                return safe;
        return {};
    }

    Outcome commitAll()
    {
        if (Outcome done = stage_->move("owner", memory_, "owner"); !done)
            return done;
        // The memory first: while the old one lies in the stage, both are known to the next look.
        for (const Row& row : rows_)
            if (row.remembered)
                if (Outcome done = remember(row.name); !done)
                    return done;
        for (const Row& row : rows_)
            if (row.change)
                if (Outcome done = row.change->state == State::Obsolete ? removeFile(*row.change) : placeFile(*row.change); !done)
                    return done;
        return {};
    }

    Outcome remember(const std::string& name)
    {
        if (!base_->exists(name)) {
            if (Outcome moved = stageBase_->move(name, *base_, name); !moved)
                return moved;
            back_.push_back([this, name] { (void)base_->move(name, *stageBase_, name); });
            return {};
        }
        if (Outcome done = stageBase_->exchange(name, *base_, name); !done)
            return done;
        back_.push_back([this, name] { (void)stageBase_->exchange(name, *base_, name); });
        return {};
    }

    Outcome placeFile(const FileChange& change)
    {
        const std::string& name = change.name;
        const Expected<bool> fresh = stage_->moveToFree(name, folder_, name);
        if (!fresh)
            return fresh.problem();
        if (*fresh) {
            back_.push_back([this, name] { (void)folder_.move(name, *stage_, name); });
            return {};
        }
        if (change.before.empty() && source_.find(name) && source_.find(name)->owner == SourceFile::Owner::User) {
            notes_.push_back(fmt::format("{} was made by somebody meanwhile and stays as it is.", name));
            return {};
        }
        if (Outcome done = stage_->exchange(name, folder_, name); !done)
            return done;
        back_.push_back([this, name] { (void)stage_->exchange(name, folder_, name); });
        // What stood there to the last moment is in the stage now.
        return putAway(change, name);
    }

    Outcome removeFile(const FileChange& change)
    {
        const std::string& name = change.name;
        const Expected<bool> taken = folder_.moveToFree(name, *stage_, name);
        if (!taken)
            return folder_.exists(name) ? Outcome(taken.problem()) : Outcome();
        const Expected<std::optional<std::string>> text = stage_->read(name);
        if (!text || text->value_or(std::string()) != change.before) {
            if (const Expected<bool> stays = stage_->moveToFree(name, folder_, name); !stays || !*stays)
                return putAway(change, name);
            notes_.push_back(fmt::format("{} was edited in this moment, so it stays although it is no longer generated.", name));
            return {};
        }
        back_.push_back([this, name] { (void)stage_->moveToFree(name, folder_, name); });
        if (base_->exists(name))
            if (Outcome moved = base_->move(name, *stageBase_, name); moved)
                back_.push_back([this, name] { (void)stageBase_->move(name, *base_, name); });
        return putAway(change, name);
    }

    /// What the stage holds under this name was in the folder: to the backups when it is what the preview knew, else beside.
    Outcome putAway(const FileChange& change, const std::string& name)
    {
        const Expected<std::optional<std::string>> text = stage_->read(name);
        if (text && *text && **text == change.before) {
            if (Outcome room = makeRoom(name); !room)
                return room;
            if (Outcome moved = stage_->move(name, *backup_, name); !moved)
                return moved;
            back_.push_back([this, name] { (void)backup_->move(name, *stage_, name); });
            return {};
        }
        for (int n = 1; n < 1000; ++n) {
            const std::string aside = n == 1 ? name + ".yours" : fmt::format("{}.yours-{}", name, n);
            const Expected<bool> done = stage_->moveToFree(name, folder_, aside);
            if (!done)
                return done.problem();
            if (!*done)
                continue;
            back_.push_back([this, name, aside] { (void)folder_.move(aside, *stage_, name); });
            notes_.push_back(fmt::format("{} was saved by somebody in this moment; that text is kept as {}.", name, aside));
            return {};
        }
        return at(name, "was saved by somebody in this moment, and there is no free name beside it.");
    }

    /// The youngest backup has the plain name, the oldest the number kBackups.
    Outcome makeRoom(const std::string& name)
    {
        const auto numbered = [&name](int n) { return n == 1 ? name : fmt::format("{}.{}", name, n); };
        for (int n = kBackups - 1; n >= 1; --n)
            if (backup_->exists(numbered(n)))
                if (Outcome moved = backup_->move(numbered(n), *backup_, numbered(n + 1)); !moved)
                    return moved;
        return {};
    }

    Problem giveUp(Problem problem)
    {
        for (auto step = back_.rbegin(); step != back_.rend(); ++step)
            (*step)();
        (void)memory_.removeTree(stageName_);
        return problem;
    }

    const Source& source_;
    const Directory& folder_;
    const Directory& memory_;
    std::string stageName_;
    std::optional<Directory> base_, backup_, stage_, stageBase_;
    std::vector<Row> rows_;
    std::vector<std::function<void()>> back_; ///< what takes each rename back
    std::vector<std::string> notes_;
};

} // namespace

Expected<std::vector<std::string>> writeOutput(const Source& source, const fs::path& path, const OutputPreview& preview, Ownership ownership)
{
    for (const FileChange& change : preview.files)
        if (change.state == State::Conflict) {
            Problem problem = problemOf(change.note + ". Nothing was written.");
            problem.file = (path / change.name).string();
            return problem;
        }
    const Expected<Directory> folder = Directory::openOrMake(path);
    if (!folder)
        return folder.problem();
    const Expected<Directory> memory = folder->childOrMade(FolderMemory::kName);
    if (!memory)
        return memory.problem();
    const Expected<FolderLock> lock = FolderLock::take(*memory);
    if (!lock)
        return lock.problem();
    const Expected<FolderMemory> known = FolderMemory::of(*folder);
    if (!known)
        return known.problem();
    if (Outcome own = checkOwner(known->owner(), source.plan, *folder, ownership); !own)
        return own.problem();
    return Write(source, *folder, *memory).run(preview);
}

} // namespace bindrel
