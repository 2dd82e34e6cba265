// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/backups.h"

#include "core/output/folder_memory.h"
#include "core/output/numbered_names.h"
#include "core/output/project_folder.h"

#include <algorithm>
#include <charconv>
#include <optional>
#include <tuple>

namespace bindrel {

namespace {

/// "sluice.c" and 3 of "sluice.c.3", the third newest; the newest has no number.
std::pair<std::string, int> numbered(const std::string& name)
{
    const std::size_t dot = name.rfind('.');
    int number = 1;
    const char* const end = name.data() + name.size();
    if (dot != std::string::npos && dot + 1 < name.size())
        if (const auto [last, error] = std::from_chars(name.data() + dot + 1, end, number);
            error == std::errc() && last == end && number >= 2 && number <= kBackups)
            return {name.substr(0, dot), number};
    return {name, 1};
}

Expected<std::optional<Directory>> memoryOf(const Directory& folder)
{
    return folder.child(FolderMemory::kName);
}

} // namespace

Expected<std::vector<Backup>> backupsIn(const std::filesystem::path& folder)
{
    std::vector<Backup> out;
    std::error_code error;
    if (!std::filesystem::exists(folder, error))
        return out;
    const Expected<Directory> open = Directory::open(folder);
    if (!open)
        return open.problem();
    const Expected<std::optional<Directory>> memory = memoryOf(*open);
    if (!memory)
        return memory.problem();
    const Expected<std::optional<Directory>> backups =
        *memory ? (*memory)->child("backup") : Expected<std::optional<Directory>>(std::optional<Directory>());
    if (!backups)
        return backups.problem();
    if (!*backups)
        return out;
    for (const std::string& name : (*backups)->names()) {
        if (!(*backups)->isFile(name))
            continue;
        Expected<std::optional<std::string>> text = (*backups)->read(name);
        if (!text)
            return text.problem();
        const auto [file, ago] = numbered(name);
        if (*text)
            out.push_back({pathOfMemory(file), ago, *std::move(*text)});
    }
    std::sort(out.begin(), out.end(),
              [](const Backup& a, const Backup& b) { return std::tie(a.file, a.ago) < std::tie(b.file, b.ago); });
    return out;
}

Outcome restoreBackup(const std::filesystem::path& path, const Backup& backup, const std::string& before)
{
    const auto at = [&path, &backup](std::string message) {
        Problem problem = problemOf(std::move(message));
        problem.file = (path / backup.file).string();
        return problem;
    };
    const Expected<LockedFolder> locked = lockFolder(Directory::open(path));
    if (!locked)
        return locked.problem();
    ProjectFolder project(locked->folder);
    const Expected<std::optional<std::string>> now = project.read(backup.file);
    if (!now)
        return now.problem();
    if (now->value_or(std::string()) != before)
        return at("has changed meanwhile; look at it again. Nothing was restored.");
    if (*now && **now == backup.text)
        return {};
    const Expected<ProjectFolder::Spot> spot = project.make(backup.file);
    if (!spot)
        return spot.problem();
    const Expected<Directory> backups = locked->memory.childOrMade("backup");
    if (!backups)
        return backups.problem();
    // Under a name of its own first: whatever fails, both texts are there.
    const std::string staged = "." + memoryName(backup.file) + ".restored";
    if (backups->exists(staged))
        // Of a restore that died: it may be the only copy of what stood in the folder.
        if (Outcome kept = addBackup(*backups, *backups, memoryName(backup.file), staged); !kept)
            return kept;
    if (Outcome written = backups->write(staged, backup.text); !written)
        return written;
    if (!*now) {
        const Expected<bool> placed = backups->moveToFree(staged, *spot->folder, spot->name);
        if (placed && *placed)
            return project.sync();
        (void)backups->remove(staged);
        return placed ? Outcome(at("was made by somebody meanwhile. Nothing was restored."))
                      : Outcome(placed.problem());
    }
    backups->copyMode(staged, *spot->folder, spot->name);
    if (const Expected<Directory::Exchange> done = backups->exchange(staged, *spot->folder, spot->name); !done) {
        (void)backups->remove(staged);
        return done.problem();
    }
    if (Outcome kept = addBackup(*backups, *backups, memoryName(backup.file), staged); !kept)
        return kept;
    return project.sync();
}

} // namespace bindrel
