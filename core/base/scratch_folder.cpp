// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/scratch_folder.h"

#include "core/base/say.h"

#include <fmt/format.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <ctime>
#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

constexpr const char* kStem = "bindrel-scratch-";
constexpr const char* kAlive = ".alive"; ///< a folder in it that is held while its process lives
constexpr long kFresh = 60;              ///< seconds in which somebody may not have come to hold it yet

/// What dead processes of this user have left.
void sweep(const fs::path& parent)
{
    std::error_code error;
    for (fs::directory_iterator it(parent, fs::directory_options::skip_permission_denied, error), end;
         !error && it != end; it.increment(error)) {
        const fs::path path = it->path();
        if (!path.filename().string().starts_with(kStem))
            continue;
        struct stat info {};
        if (::lstat(path.c_str(), &info) != 0 || !S_ISDIR(info.st_mode) || info.st_uid != ::geteuid() ||
            info.st_mtime + kFresh > ::time(nullptr))
            continue;
        const Descriptor alive(::open((path / kAlive).c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
        if (alive.isOpen() && ::flock(alive.get(), LOCK_EX | LOCK_NB) != 0)
            continue;
        std::error_code ignored;
        fs::remove_all(path, ignored);
    }
}

} // namespace

Expected<ScratchFolder> ScratchFolder::make()
{
    const auto none = [](const std::string& why) {
        return problemOf(
            say("No temporary folder can be created: {}. Make room, or let TMPDIR name another place.", why));
    };
    std::error_code error;
    const fs::path parent = fs::temp_directory_path(error);
    if (error)
        return none(error.message());
    sweep(parent);
    std::string path = (parent / (std::string(kStem) + "XXXXXX")).string();
    if (!mkdtemp(path.data()))
        return none(std::strerror(errno));
    return ScratchFolder(path);
}

ScratchFolder::ScratchFolder(fs::path path) : path_(std::move(path))
{
    const fs::path alive = path_ / kAlive;
    if (::mkdir(alive.c_str(), 0700) == 0)
        held_ = Descriptor(::open(alive.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
    if (held_.isOpen())
        (void)::flock(held_.get(), LOCK_EX | LOCK_NB);
}

ScratchFolder::~ScratchFolder()
{
    std::error_code ignored;
    if (!path_.empty())
        fs::remove_all(path_, ignored);
}

} // namespace bindrel
