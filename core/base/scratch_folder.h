// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/descriptor.h"
#include "core/base/expected.h"

#include <filesystem>
#include <utility>

namespace bindrel {

/// A folder in the system's place for temporary files that nobody else can look into, and that goes with all in it when
/// its owner goes. Those of processes that were killed go when the next one is made: each is held by a lock while its
/// process lives.
class ScratchFolder {
public:
    /// The problem says why there is none, and what to do.
    static Expected<ScratchFolder> make();
    ~ScratchFolder();
    ScratchFolder(ScratchFolder&& other) noexcept : path_(std::exchange(other.path_, {})), held_(std::move(other.held_))
    {
    }
    ScratchFolder& operator=(ScratchFolder&&) = delete;

    const std::filesystem::path& path() const { return path_; }

private:
    explicit ScratchFolder(std::filesystem::path path);

    std::filesystem::path path_;
    Descriptor held_;
};

} // namespace bindrel
