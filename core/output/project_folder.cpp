// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/project_folder.h"

#include <algorithm>

namespace bindrel {

namespace {

/// In no name that is generated, and legal in every file system.
constexpr char kFolderMark = '@';

/// "inc" of "inc/sluice.h"; empty for a file in the root.
std::string parentOf(std::string_view path)
{
    const std::size_t slash = path.rfind('/');
    return std::string(slash == std::string_view::npos ? std::string_view() : path.substr(0, slash));
}

std::string leafOf(std::string_view path)
{
    return std::string(path.substr(path.rfind('/') + 1));
}

} // namespace

Expected<const Directory*> ProjectFolder::folder(const std::string& path, bool made) const
{
    if (path.empty())
        return &root_;
    if (const auto known = open_.find(path); known != open_.end())
        return &known->second;
    const Expected<const Directory*> parent = folder(parentOf(path), made);
    if (!parent || !*parent)
        return parent;
    Expected<std::optional<Directory>> child = (*parent)->child(leafOf(path));
    if (!child)
        return child.problem();
    if (!*child && made) {
        Expected<Directory> fresh = (*parent)->childOrMade(leafOf(path));
        if (!fresh)
            return fresh.problem();
        made_.push_back(path);
        *child = *std::move(fresh);
    }
    if (!*child)
        return static_cast<const Directory*>(nullptr);
    return &open_.emplace(path, *std::move(*child)).first->second;
}

Expected<std::optional<ProjectFolder::Spot>> ProjectFolder::find(const std::string& path) const
{
    const Expected<const Directory*> in = folder(parentOf(path), false);
    if (!in)
        return in.problem();
    return *in ? std::optional(Spot{*in, leafOf(path)}) : std::nullopt;
}

Expected<ProjectFolder::Spot> ProjectFolder::make(const std::string& path)
{
    const Expected<const Directory*> in = folder(parentOf(path), true);
    if (!in)
        return in.problem();
    return Spot{*in, leafOf(path)};
}

Expected<std::optional<std::string>> ProjectFolder::read(const std::string& path) const
{
    const Expected<std::optional<Spot>> spot = find(path);
    if (!spot)
        return spot.problem();
    return *spot ? (*spot)->folder->read((*spot)->name) : std::optional<std::string>();
}

bool ProjectFolder::exists(const std::string& path) const
{
    const Expected<std::optional<Spot>> spot = find(path);
    return spot && *spot && (*spot)->folder->exists((*spot)->name);
}

Outcome ProjectFolder::sync() const
{
    for (const auto& [path, directory] : open_)
        if (Outcome safe = directory.sync(); !safe)
            return safe;
    return root_.sync();
}

void ProjectFolder::removeEmpty(const std::string& path)
{
    for (std::string at = parentOf(path); !at.empty(); at = parentOf(at)) {
        const Expected<const Directory*> parent = folder(parentOf(at), false);
        if (!parent || !*parent || !(*parent)->removeIfEmpty(leafOf(at)))
            return;
        open_.erase(at);
    }
}

void ProjectFolder::removeEmptyMade()
{
    // The deepest first.
    std::sort(made_.begin(), made_.end(),
              [](const std::string& a, const std::string& b) { return a.size() > b.size(); });
    for (const std::string& path : made_)
        removeEmpty(path + "/.");
    made_.clear();
}

std::string memoryName(std::string_view path)
{
    std::string out(path);
    std::replace(out.begin(), out.end(), '/', kFolderMark);
    return out;
}

std::string pathOfMemory(std::string_view name)
{
    std::string out(name);
    std::replace(out.begin(), out.end(), kFolderMark, '/');
    return out;
}

} // namespace bindrel
