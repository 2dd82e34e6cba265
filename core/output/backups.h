// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/expected.h"

#include <filesystem>
#include <string>
#include <vector>

namespace bindrel {

/// Texts that stood in an output folder before its last writes.
struct Backup {
    std::string file; ///< its path below the output folder
    int ago = 1;      ///< 1: before the last write that changed it; 2: before the one before
    std::string text;
};

/// Every backup of a folder, by file and from the newest; none where the folder has no memory. Fails when it cannot be
/// read.
Expected<std::vector<Backup>> backupsIn(const std::filesystem::path& folder);

/// Puts a backup's text back in its place; what stands there becomes the newest backup. `before` is what the person saw
/// there, empty for nothing. Fails, changing nothing, when the file has changed since, or cannot be written.
Outcome restoreBackup(const std::filesystem::path& folder, const Backup& backup, const std::string& before);

} // namespace bindrel
