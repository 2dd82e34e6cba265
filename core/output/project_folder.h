// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/directory.h"

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace bindrel {

/// An output folder with the folders below it, where files are named by their path: "inc/sluice_board.h". No link is
/// followed on the way. A path must be of parts that Directory takes.
class ProjectFolder {
public:
    /// REQUIRES: `root` outlives it
    explicit ProjectFolder(const Directory& root) : root_(root) {}

    const Directory& root() const { return root_; }

    /// Where a file lies, or would.
    struct Spot {
        const Directory* folder;
        std::string name; ///< in that folder
    };
    /// Nothing when a folder on the way is missing; a problem when one is a link or no folder.
    Expected<std::optional<Spot>> find(const std::string& path) const;
    /// The same with the folders on the way made.
    Expected<Spot> make(const std::string& path);

    /// The bytes of a file; nothing when it, or a folder on the way, is missing.
    Expected<std::optional<std::string>> read(const std::string& path) const;
    bool exists(const std::string& path) const;

    /// Every folder that was found or made, safely on the disk.
    Outcome sync() const;
    /// Removes the folders below the root that are empty, of those that this object has made or `path` lies in.
    void removeEmpty(const std::string& path);
    void removeEmptyMade();

private:
    Expected<const Directory*> folder(const std::string& path, bool made) const;

    const Directory& root_;
    mutable std::map<std::string, Directory, std::less<>> open_; ///< by path below the root
    mutable std::vector<std::string> made_;
};

/// The name under which a folder's memory keeps a file: without folders, so that none of its own is met.
std::string memoryName(std::string_view path);
/// The path that a name in a memory stands for.
std::string pathOfMemory(std::string_view name);

} // namespace bindrel
