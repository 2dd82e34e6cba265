// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/folder_memory.h"

#include "core/base/say.h"
#include "core/base/text.h"
#include "core/output/project_folder.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

Expected<FolderMemory> FolderMemory::of(const Directory& folder)
{
    FolderMemory out;
    Expected<std::optional<Directory>> memory = folder.child(kName);
    if (!memory)
        return memory.problem();
    if (!*memory)
        return out;
    Expected<std::optional<std::string>> owner = (*memory)->read("owner");
    if (!owner)
        return owner.problem();
    out.owner_ = std::string(trimmed(owner->value_or(std::string())));
    const auto addBase = [&out](const Directory& parent) -> Outcome {
        // "was" holds what a write under way has taken from base/.
        for (const char* name : {"base", "was"}) {
            Expected<std::optional<Directory>> base = parent.child(name);
            if (!base)
                return base.problem();
            if (*base)
                out.bases_.push_back(*std::move(*base));
        }
        return {};
    };
    if (Outcome done = addBase(**memory); !done)
        return done.problem();
    for (const std::string& name : (*memory)->names()) {
        if (!name.starts_with("stage"))
            continue;
        Expected<std::optional<Directory>> stage = (*memory)->child(name);
        if (!stage)
            return stage.problem();
        out.stages_.push_back(name);
        if (*stage)
            if (Outcome done = addBase(**stage); !done)
                return done.problem();
    }
    for (const char* name : {"backup"})
        if (Expected<std::optional<Directory>> other = (*memory)->child(name); !other)
            return other.problem();
    return out;
}

Expected<std::vector<std::string>> FolderMemory::generated(const std::string& name) const
{
    std::vector<std::string> out;
    for (const Directory& base : bases_) {
        Expected<std::optional<std::string>> text = base.read(memoryName(name));
        if (!text)
            return text.problem();
        if (*text)
            out.push_back(withLineFeeds(**text));
    }
    return out;
}

std::vector<std::string> FolderMemory::names() const
{
    std::vector<std::string> out;
    for (const Directory& base : bases_)
        for (const std::string& name : base.names())
            // Nothing that is generated begins with a dot: this one was put there.
            if (const std::string path = pathOfMemory(name); !path.starts_with('.') && path.find("/.") == path.npos)
                out.push_back(path);
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

Expected<LockedFolder> lockFolder(Expected<Directory> folder)
{
    if (!folder)
        return folder.problem();
    Expected<Directory> memory = folder->childOrMade(FolderMemory::kName);
    if (!memory)
        return memory.problem();
    Expected<FolderLock> lock = FolderLock::take(*memory);
    if (!lock)
        return lock.problem();
    return LockedFolder{*std::move(folder), *std::move(memory), *std::move(lock)};
}

std::string folderOwner(const std::filesystem::path& folder)
{
    const Expected<Directory> open = Directory::open(folder);
    const Expected<FolderMemory> memory = open ? FolderMemory::of(*open) : Expected<FolderMemory>(open.problem());
    return memory ? memory->owner() : std::string();
}

Outcome checkOwner(const std::string& owner, const std::string& plan, const Directory& folder, Ownership ownership)
{
    if (owner.empty() || owner == plan || ownership == Ownership::TakeOver)
        return {};
    Problem problem = problemOf(say("belongs to the plan \"{}\"; \"{}\" would take the place of its files. "
                                    "Choose another folder, or take this one over.",
                                    printable(owner), printable(plan)));
    problem.file = folder.path().string();
    return problem;
}

} // namespace bindrel
