// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/directory.h"
#include "core/output/output.h"

#include <optional>
#include <string>
#include <vector>

namespace bindrel {

/// What an output folder remembers in its ".bindrel", read without changing anything.
class FolderMemory {
public:
    static constexpr const char* kName = ".bindrel";

    /// Nothing is remembered of a folder without one.
    static Expected<FolderMemory> of(const Directory& folder);

    /// The plan that the folder belongs to; empty: none yet.
    const std::string& owner() const { return owner_; }
    /// Texts that were generated for a file: the last, and those of writes that were interrupted. Line ends are LF.
    Expected<std::vector<std::string>> generated(const std::string& name) const;
    /// Files that were generated, by their path, sorted.
    std::vector<std::string> names() const;
    /// Names of the stages that interrupted writes have left.
    const std::vector<std::string>& stages() const { return stages_; }

private:
    std::string owner_;
    std::vector<std::string> stages_;
    std::vector<Directory> bases_; ///< base/ first, then those of the stages
};

/// A folder that is written to: nobody else writes there as long as it lives.
struct LockedFolder {
    Directory folder, memory;
    FolderLock lock;
};
/// Opens a folder, or one that is made when missing, and locks its memory; fails when another process holds it.
Expected<LockedFolder> lockFolder(Expected<Directory> folder);

/// A problem unless the folder is nobody's or the plan's own.
Outcome checkOwner(const std::string& owner, const std::string& plan, const Directory& folder, Ownership ownership);

} // namespace bindrel
