// SPDX-License-Identifier: GPL-3.0-or-later
// Carrying out a preview: stage everything, then only rename, with a way back until the last rename is done.
#include "core/base/text.h"
#include "core/output/folder_memory.h"
#include "core/output/parked.h"
#include "core/source/keep_regions.h"
#include "core/source/seal.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <set>

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
        if (Outcome done = commitAll(preview); !done)
            return giveUp(done.problem());
        for (const Directory* changed : {&folder_, static_cast<const Directory*>(&*base_), static_cast<const Directory*>(&*backup_), &memory_})
            if (Outcome safe = changed->sync(); !safe)
                return giveUp(safe.problem());
        // From here on everything is in place; what is left over is only untidy, unless it has no copy.
        for (const std::string& name : memory_.names())
            if (name.starts_with("stage"))
                sweep(name);
        if (byCopy_ && !memory_.exists(kTold) && memory_.write(kTold, ""))
            notes_.push_back("Files have one name each on this file system and cannot change places, so the old text is copied first: what somebody saves in the very moment of a write is lost here. Write to another disk if that can happen.");
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
        for (auto [name, into] : {std::pair{std::string("base"), &base_}, {std::string("backup"), &backup_}, {stageName_, &stage_}})
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
        problem.file = (folder_.path() / name).string();
        return problem;
    }

    Outcome stageAll(const OutputPreview& preview)
    {
        if (Outcome owned = stage_->write("owner", source_.plan + "\n"); !owned)
            return owned;
        if (!preview.first.name.empty()) {
            if (Outcome staged = stageFirst_->write(preview.first.name, preview.first.text); !staged)
                return staged;
            stageFirst_->copyMode(preview.first.name, folder_, preview.first.name);
        }
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
        const auto row = std::find_if(rows_.begin(), rows_.end(), [&name](const Row& r) { return r.change && r.name == name; });
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
            if (!text || text->value_or(std::string()) != preview.first.text) {
                Expected<std::string> aside = keepBeside(from, name);
                if (!aside)
                    return aside.problem();
                notes_.push_back(fmt::format("{} was saved by somebody in this moment; that text is kept as {}.", name, *aside));
            }
        }
        return stood && row != rows_.end() ? backUp(*stageFirst_, name) : Outcome();
    }

    Outcome backUp(const Directory& from, const std::string& name)
    {
        if (Outcome room = makeRoom(name); !room)
            return room;
        if (Outcome done = from.move(name, *backup_, name); !done)
            return done;
        back_.push_back([this, &from, name] { return backup_->move(name, from, name); });
        return {};
    }

    /// Places what keeps all texts; what stood there is part of it, and lies in the stage until the end.
    Outcome placeFirst(const std::string& name)
    {
        const Expected<bool> fresh = stageFirst_->moveToFree(name, folder_, name);
        if (!fresh)
            return fresh.problem();
        if (*fresh) {
            back_.push_back([this, name] { return folder_.move(name, *stageFirst_, name); });
            return {};
        }
        return swap(*stageFirst_, name);
    }

    Outcome swap(const Directory& stage, const std::string& name)
    {
        const Expected<Directory::Exchange> done = stage.exchange(name, folder_, name);
        if (!done)
            return done.problem();
        byCopy_ = byCopy_ || *done == Directory::Exchange::ByCopy;
        back_.push_back([this, &stage, name] {
            const Expected<Directory::Exchange> undone = stage.exchange(name, folder_, name);
            return undone ? Outcome() : Outcome(undone.problem());
        });
        return {};
    }

    Outcome remember(const std::string& name)
    {
        if (base_->exists(name)) {
            if (Outcome moved = base_->move(name, *stageWas_, name); !moved)
                return moved;
            back_.push_back([this, name] { return stageWas_->move(name, *base_, name); });
        }
        if (Outcome moved = stageBase_->move(name, *base_, name); !moved)
            return moved;
        back_.push_back([this, name] { return base_->move(name, *stageBase_, name); });
        return {};
    }

    /// `before` is what stands there if nobody has interfered.
    Outcome placeFile(const FileChange& change, const std::string& before)
    {
        const std::string& name = change.name;
        const Expected<bool> fresh = stage_->moveToFree(name, folder_, name);
        if (!fresh)
            return fresh.problem();
        if (*fresh) {
            back_.push_back([this, name] { return folder_.move(name, *stage_, name); });
            return {};
        }
        if (before.empty() && source_.find(name) && source_.find(name)->owner == SourceFile::Owner::User) {
            notes_.push_back(fmt::format("{} was made by somebody meanwhile and stays as it is.", name));
            return {};
        }
        if (Outcome done = swap(*stage_, name); !done)
            return done;
        // What stood there to the last moment is in the stage now.
        return putAway(name, before);
    }

    Outcome removeFile(const std::string& name, const std::string& before, bool backedUp)
    {
        const Expected<bool> taken = folder_.moveToFree(name, *stage_, name);
        if (!taken)
            return folder_.exists(name) ? Outcome(taken.problem()) : Outcome();
        if (!*taken)
            return at(name, "could not be removed: the name is taken in the stage.");
        const Expected<std::optional<std::string>> text = stage_->read(name);
        if (!text || text->value_or(std::string()) != before) {
            if (const Expected<bool> stays = stage_->moveToFree(name, folder_, name); !stays || !*stays)
                return putAway(name, before);
            notes_.push_back(fmt::format("{} was edited in this moment, so it stays although it is no longer generated.", name));
            return {};
        }
        back_.push_back([this, name] { return moved(stage_->moveToFree(name, folder_, name)); });
        if (base_->exists(name)) {
            if (Outcome done = base_->move(name, *stageWas_, name); !done)
                return done;
            back_.push_back([this, name] { return stageWas_->move(name, *base_, name); });
        }
        return backedUp ? putAway(name, before) : Outcome();
    }

    static Outcome moved(const Expected<bool>& done) { return !done ? Outcome(done.problem()) : !*done ? Outcome(problemOf("the name is taken.")) : Outcome(); }

    /// What the stage holds under this name was in the folder: to the backups when it is what the preview knew, else beside.
    Outcome putAway(const std::string& name, const std::string& before)
    {
        const Expected<std::optional<std::string>> text = stage_->read(name);
        if (text && *text && **text == before)
            return backUp(*stage_, name);
        Expected<std::string> aside = keepBeside(*stage_, name);
        if (!aside)
            return aside.problem();
        back_.push_back([this, name, kept = *aside] { return folder_.move(kept, *stage_, name); });
        notes_.push_back(fmt::format("{} was saved by somebody in this moment; that text is kept as {}.", name, *aside));
        return {};
    }

    /// Puts a person's text beside the file that it was meant for; gives its name there.
    Expected<std::string> keepBeside(const Directory& from, const std::string& name)
    {
        for (int n = 1; n < 1000; ++n) {
            const std::string aside = n == 1 ? name + ".yours" : fmt::format("{}.yours-{}", name, n);
            const Expected<bool> done = from.moveToFree(name, folder_, aside);
            if (!done)
                return done.problem();
            if (*done)
                return aside;
        }
        return at(name, "was saved by somebody in this moment, and there is no free name beside it.");
    }

    /// The youngest backup has the plain name, the oldest the number kBackups.
    Outcome makeRoom(const std::string& name)
    {
        const auto numbered = [&name](int n) { return n == 1 ? name : fmt::format("{}.{}", name, n); };
        for (int n = kBackups - 1; n >= 1; --n)
            if (backup_->exists(numbered(n)))
                if (Outcome done = backup_->move(numbered(n), *backup_, numbered(n + 1)); !done)
                    return done;
        return {};
    }

    /// Takes back what was done, the last first, and goes on where one step fails: what can be as it was shall be.
    Problem giveUp(Problem problem)
    {
        bool whole = true;
        for (auto step = back_.rbegin(); step != back_.rend(); ++step)
            whole = (*step)().ok() && whole;
        if (whole)
            (void)memory_.removeTree(stageName_);
        else
            problem.message += " Not all could be taken back; the next write brings every file in order, and nothing of yours is lost.";
        return problem;
    }

    /// Does away with a stage, but for what has no copy: a dead write may have left there what somebody had just saved.
    void sweep(const std::string& stageName)
    {
        const Expected<std::optional<Directory>> stage = memory_.child(stageName);
        if (!stage || !*stage)
            return;
        bool empty = true;
        for (const char* part : {"", "first"}) {
            const Expected<std::optional<Directory>> inner = *part ? (*stage)->child(part) : Expected<std::optional<Directory>>(memory_.child(stageName));
            if (!inner || !*inner)
                continue;
            for (const std::string& name : (*inner)->names())
                if (const Expected<std::optional<std::string>> text = (*inner)->read(name); text && *text)
                    empty = sweepFile(**inner, name, **text) && empty;
        }
        if (empty)
            (void)memory_.removeTree(stageName);
    }

    /// False when the file has to stay where it is.
    bool sweepFile(const Directory& stage, const std::string& staged, const std::string& text)
    {
        // A name that an exchange in several steps has given: ".NAME.saving".
        std::string name = staged;
        if (const std::size_t end = name.rfind(".saving"); name.starts_with('.') && end != std::string::npos)
            name = name.substr(1, end - 1);
        const auto reads = [&name](const Directory& where, const std::string& of) {
            const Expected<std::optional<std::string>> found = where.read(of.empty() ? name : of);
            return found ? found->value_or(std::string()) : std::string();
        };
        std::vector<std::string> copies{reads(folder_, {}), reads(folder_, source_.prefix + "_orphans.c")};
        for (int n = 1; n <= kBackups; ++n)
            copies.push_back(reads(*backup_, n == 1 ? name : fmt::format("{}.{}", name, n)));
        if (std::find(copies.begin(), copies.end(), text) != copies.end() || staged == "owner")
            return true;
        const SourceFile* file = source_.find(name);
        if (file && file->text() == text)
            return true;
        // What a person has put into it: the lines of keep regions, or all of a file that is not as it was generated.
        const std::string mine = withLineFeeds(text);
        const Expected<std::map<std::string, std::string>> regions = keepRegions(mine);
        const bool generated = regions && isUntouched(mine);
        std::string own = generated ? std::string() : mine;
        if (generated)
            for (const auto& [region, kept] : *regions)
                own += kept;
        const std::vector<std::string> seen = {withLineFeeds(copies[0]), withLineFeeds(copies[1])};
        if (standsIn(own, seen))
            return generated || (makeRoom(name) && stage.move(staged, *backup_, name));
        // Nothing that lies in the memory goes among the files by itself: a stranger may have put it there.
        const Expected<Directory> rescued = memory_.childOrMade("rescued");
        for (int n = 1; rescued && n < 1000; ++n) {
            const std::string kept = n == 1 ? name : fmt::format("{}-{}", name, n);
            const Expected<bool> moved = stage.moveToFree(staged, *rescued, kept);
            if (moved && !*moved)
                continue;
            if (moved)
                notes_.push_back(fmt::format("A write that was interrupted had left a text of {} that stands nowhere else; it is kept as {}/rescued/{}. Look whether you want it.", name, FolderMemory::kName, kept));
            return moved.ok();
        }
        return false;
    }

    /// Whether each line that says something stands in one of the texts, as it is or as parked text has it.
    static bool standsIn(std::string_view own, const std::vector<std::string>& texts)
    {
        std::set<std::string, std::less<>> lines;
        for (const std::string& text : texts)
            for (const std::string& line : splitted(text, '\n'))
                lines.insert(unparked(line));
        for (const std::string& line : splitted(own, '\n'))
            if (!trimmed(line).empty() && !lines.contains(line))
                return false;
        return true;
    }

    const Source& source_;
    const Directory& folder_;
    const Directory& memory_;
    std::string stageName_;
    std::optional<Directory> base_, backup_, stage_, stageBase_, stageWas_, stageFirst_;
    std::vector<Row> rows_;
    std::vector<std::function<Outcome()>> back_; ///< what takes each rename back
    std::vector<std::string> notes_;
    bool byCopy_ = false;
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
