// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/descriptor.h"

#include <filesystem>
#include <string>

namespace bindrel {

/// A folder in the system's place for temporary files that nobody else can look into, and that goes with all in it when its owner goes. Those
/// of processes that were killed go when the next one is made: each is held by a lock while its process lives.
class ScratchFolder {
public:
    ScratchFolder();
    ~ScratchFolder();
    ScratchFolder(const ScratchFolder&) = delete;
    ScratchFolder& operator=(const ScratchFolder&) = delete;

    bool made() const { return !path_.empty(); }
    const std::filesystem::path& path() const { return path_; }
    const std::string& why() const { return why_; } ///< it could not be made

private:
    std::filesystem::path path_;
    Descriptor held_;
    std::string why_;
};

} // namespace bindrel
