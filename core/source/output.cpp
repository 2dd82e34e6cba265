// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/source/output.h"

#include "core/base/files.h"
#include "core/base/text.h"
#include "core/source/keep_regions.h"
#include "core/source/merge.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace fs = std::filesystem;

const char* nameOf(FileChange::State state)
{
    switch (state) {
    case FileChange::State::New:
        return "new";
    case FileChange::State::Changed:
        return "changed";
    case FileChange::State::Merged:
        return "merged with your edits";
    case FileChange::State::Same:
        return "same";
    case FileChange::State::Yours:
        return "yours";
    case FileChange::State::Conflict:
        return "conflict";
    case FileChange::State::Obsolete:
        return "no longer needed";
    case FileChange::State::Left:
        break;
    }
    return "left as edited";
}

namespace {

constexpr const char* kMemory = ".bindrel";

Problem at(const fs::path& path, std::string message)
{
    Problem problem = problemOf(std::move(message));
    problem.file = path.string();
    return problem;
}

/// Nothing that is written may lead out of the folder through a link.
Outcome refuseLinks(const fs::path& folder, const std::vector<std::string>& names)
{
    std::error_code error;
    for (const std::string& name : names) {
        if (name.empty() || fs::path(name).filename() != name || name == "." || name == "..")
            return at(folder / name, "is not the name of a file inside the folder; nothing was written.");
        if (fs::is_symlink(folder / name, error))
            return at(folder / name, "is a link; Bindrel does not write through links. Replace it by a file, or choose another folder.");
    }
    for (const char* part : {"", "base", "backup", "stage"})
        if (fs::is_symlink(folder / kMemory / part, error))
            return at(folder / kMemory / part, "is a link; remove it, Bindrel keeps its memory there.");
    return {};
}

struct Content {
    bool exists = false;
    std::string text;
};

Expected<Content> readIfThere(const fs::path& path)
{
    std::error_code error;
    if (!fs::exists(fs::symlink_status(path, error)))
        return Content{};
    Expected<std::string> text = readFile(path);
    if (!text)
        return text.problem();
    return Content{true, *std::move(text)};
}

/// Finishes what is staged: by the write itself, or by the next look after its process died. Without the list, nothing had been put in place yet.
/// A row of the list is a letter and a name: g generated, m merged with edits (its memory is staged too), u the user's,
/// - to be removed. Doing a row again that was done already changes nothing.
Outcome finishStaged(const fs::path& folder, bool afterDeath)
{
    const fs::path stage = folder / kMemory / "stage";
    std::error_code error;
    if (!fs::exists(stage, error))
        return {};
    Expected<Content> list = readIfThere(stage / "list");
    if (!list)
        return list.problem();
    if (list->exists) {
        fs::create_directories(folder / kMemory / "base", error);
        fs::create_directories(folder / kMemory / "backup", error);
        for (const std::string& row : splitted(list->text, '\n')) {
            if (row.size() < 3)
                continue;
            const std::string name = row.substr(2);
            if (Outcome safe = refuseLinks(folder, {name}); !safe)
                return safe;
            if (row[0] == '-') {
                fs::remove(folder / name, error);
                fs::remove(folder / kMemory / "base" / name, error);
                continue;
            }
            // The memory first: while the staged file is there, this row is still to be done.
            if (row[0] == 'm')
                fs::rename(stage / "base" / name, folder / kMemory / "base" / name, error);
            if (!fs::exists(stage / name, error))
                continue;
            // Someone may have typed into the old file since the write died: what stands there is kept as well.
            if (afterDeath && fs::exists(folder / name, error))
                fs::copy_file(folder / name, folder / kMemory / "backup" / (name + ".at-recovery"), fs::copy_options::overwrite_existing, error);
            if (row[0] == 'g')
                fs::copy_file(stage / name, folder / kMemory / "base" / name, fs::copy_options::overwrite_existing, error);
            fs::rename(stage / name, folder / name, error);
            if (error)
                return at(folder / name, "cannot be put in place: " + error.message() + ". Mend that; the next write finishes this one.");
        }
        fs::remove(stage / "list", error);
    }
    fs::remove_all(stage, error);
    return {};
}

class Preview {
public:
    Preview(const Source& source, const fs::path& folder) : source_(source), folder_(folder) {}

    Expected<std::vector<FileChange>> run()
    {
        std::vector<std::string> names;
        for (const SourceFile& file : source_.files)
            names.push_back(file.name);
        names.push_back(orphansName());
        std::error_code error;
        if (fs::exists(folder_, error) && !fs::is_directory(folder_, error))
            return at(folder_, "is not a folder.");
        if (Outcome safe = refuseLinks(folder_, names); !safe)
            return safe.problem();
        if (Outcome done = finishStaged(folder_, true); !done)
            return done.problem();
        for (const SourceFile& file : source_.files)
            if (Outcome outcome = consider(file); !outcome)
                return outcome.problem();
        if (Outcome outcome = considerObsolete(); !outcome)
            return outcome.problem();
        parkOrphans();
        return std::move(changes_);
    }

private:
    std::string orphansName() const { return source_.prefix + "_orphans.c"; }

    Outcome consider(const SourceFile& file)
    {
        Expected<Content> disk = readIfThere(folder_ / file.name);
        if (!disk)
            return disk.problem();
        FileChange change;
        change.name = file.name;
        change.before = disk->text;
        change.after = file.text();
        if (file.owner == SourceFile::Owner::User) {
            change.state = disk->exists ? FileChange::State::Yours : FileChange::State::New;
            if (disk->exists)
                change.after = disk->text;
            changes_.push_back(std::move(change));
            return {};
        }
        if (!disk->exists) {
            changes_.push_back(std::move(change));
            return {};
        }
        Expected<Content> base = readIfThere(folder_ / kMemory / "base" / file.name);
        if (!base)
            return base.problem();
        settle(change, *base);
        changes_.push_back(std::move(change));
        return {};
    }

    void settle(FileChange& change, const Content& base)
    {
        using State = FileChange::State;
        if (change.after == change.before) {
            change.state = State::Same;
            return;
        }
        if (!base.exists) {
            change.state = State::Conflict;
            change.note = "there is a file of this name that Bindrel did not write; move it away";
            return;
        }
        Expected<std::map<std::string, std::string>> regions = keepRegions(change.before);
        if (!regions) {
            change.state = State::Conflict;
            change.note = fmt::format("line {}: {}", regions.problem().line, regions.problem().message);
            return;
        }
        std::map<std::string, std::string> kept = *regions;
        const std::string fresh = withRegions(change.after, kept);
        for (const auto& [name, text] : kept)
            if (!trimmed(text).empty())
                orphans_[change.name + ": " + name] = text;
        if (withoutRegions(change.before) == withoutRegions(base.text)) {
            change.after = fresh;
            change.state = fresh == change.before ? State::Same : State::Changed;
            return;
        }
        std::map<std::string, std::string> again = *regions;
        const std::optional<std::string> merged = mergeTexts(withRegions(base.text, again), change.before, fresh);
        if (!merged) {
            change.state = State::Conflict;
            change.note = "edited by hand where the new text changes too; take your change back, or move it into a keep region";
            return;
        }
        change.after = *merged;
        change.state = *merged == change.before ? State::Same : State::Merged;
    }

    Outcome considerObsolete()
    {
        std::error_code error;
        std::vector<std::string> remembered;
        for (fs::directory_iterator it(folder_ / kMemory / "base", error), end; !error && it != end; it.increment(error))
            remembered.push_back(it->path().filename().string());
        std::sort(remembered.begin(), remembered.end());
        for (const std::string& name : remembered) {
            if (source_.find(name) || name == orphansName())
                continue;
            Expected<Content> disk = readIfThere(folder_ / name);
            Expected<Content> base = readIfThere(folder_ / kMemory / "base" / name);
            if (!disk || !base || !disk->exists || fs::is_symlink(folder_ / name, error))
                continue;
            FileChange change;
            change.name = name;
            change.before = disk->text;
            if (withoutRegions(disk->text) == withoutRegions(base->text)) {
                change.state = FileChange::State::Obsolete;
                if (const Expected<std::map<std::string, std::string>> regions = keepRegions(disk->text))
                    for (const auto& [region, text] : *regions)
                        if (!trimmed(text).empty())
                            orphans_[name + ": " + region] = text;
            } else {
                change.state = FileChange::State::Left;
                change.after = disk->text;
                change.note = "no longer generated, but you have edited it; remove it when you no longer need it";
            }
            changes_.push_back(std::move(change));
        }
        return {};
    }

    /// Text of keep regions whose home is gone goes to the end of a file of its own, which only ever grows.
    void parkOrphans()
    {
        if (orphans_.empty())
            return;
        FileChange change;
        change.name = orphansName();
        if (Expected<Content> disk = readIfThere(folder_ / change.name); disk && disk->exists)
            change.before = disk->text;
        change.after = change.before;
        for (const auto& [home, text] : orphans_)
            change.after += fmt::format("/* From {}, which is no longer generated. */\n#if 0\n{}#endif\n", home, text);
        change.state = change.before.empty() ? FileChange::State::New : FileChange::State::Changed;
        change.note = fmt::format("keeps the text of {} region(s) that have no home any more", orphans_.size());
        changes_.push_back(std::move(change));
    }

    const Source& source_;
    const fs::path& folder_;
    std::vector<FileChange> changes_;
    std::map<std::string, std::string> orphans_;
};

} // namespace

Expected<std::vector<FileChange>> previewOutput(const Source& source, const fs::path& folder) { return Preview(source, folder).run(); }

Outcome writeOutput(const Source& source, const fs::path& folder, const std::vector<FileChange>& preview)
{
    std::vector<std::string> names;
    for (const FileChange& change : preview) {
        names.push_back(change.name);
        if (change.state == FileChange::State::Conflict)
            return at(folder / change.name, change.note + ". Nothing was written.");
    }
    if (Outcome safe = refuseLinks(folder, names); !safe)
        return safe;
    const fs::path stage = folder / kMemory / "stage";
    std::error_code error;
    for (const fs::path& needed : {folder, folder / kMemory / "base", folder / kMemory / "backup", stage, stage / "base"}) {
        fs::create_directories(needed, error);
        if (error)
            return at(needed, "cannot be made: " + error.message() + ". Choose a folder that you may write to.");
    }
    const auto giveUp = [&](Problem problem) -> Outcome {
        fs::remove_all(stage, error);
        return problem;
    };
    std::string list;
    for (const FileChange& change : preview) {
        Expected<Content> disk = readIfThere(folder / change.name);
        if (!disk)
            return giveUp(disk.problem());
        if (disk->text != change.before)
            return giveUp(at(folder / change.name, "has changed while the write was being decided; look at the list again. Nothing was written."));
        if (!change.touchesDisk())
            continue;
        if (disk->exists)
            if (Outcome kept = writeFileAtomically(folder / kMemory / "backup" / change.name, disk->text); !kept)
                return giveUp(kept.problem());
        if (change.state == FileChange::State::Obsolete) {
            list += "- " + change.name + "\n";
            continue;
        }
        if (Outcome staged = writeFileAtomically(stage / change.name, change.after); !staged)
            return giveUp(staged.problem());
        const SourceFile* file = source.find(change.name);
        const bool own = !file || file->owner == SourceFile::Owner::User;
        // A merged file's memory is the generated text, so that the user's edits stay edits at the next write.
        if (!own && change.state == FileChange::State::Merged) {
            if (Outcome kept = writeFileAtomically(stage / "base" / change.name, file->text()); !kept)
                return giveUp(kept.problem());
            list += "m " + change.name + "\n";
        } else {
            list += (own ? "u " : "g ") + change.name + "\n";
        }
    }
    if (list.empty()) {
        fs::remove_all(stage, error);
        return {};
    }
    if (Outcome listed = writeFileAtomically(stage / "list", list); !listed)
        return giveUp(listed.problem());
    return finishStaged(folder, false);
}

} // namespace bindrel
