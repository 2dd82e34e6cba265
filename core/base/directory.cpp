// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/directory.h"

#include "core/base/files.h"
#include "core/base/say.h"

#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <dirent.h>
#include <fcntl.h>
#include <fstream>
#include <sstream>
#include <sys/file.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <thread>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

constexpr int kFolder = O_RDONLY | O_DIRECTORY | O_CLOEXEC;
constexpr int kNewFile = O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW;

/// What tells a file from others in its file system; 0 when there is none of this name.
ino_t inodeOf(int folder, const std::string& name)
{
    struct stat info {};
    return ::fstatat(folder, name.c_str(), &info, AT_SYMLINK_NOFOLLOW) == 0 ? info.st_ino : 0;
}

// Some file systems say that a call failed when only its answer was lost. What counts is what is there.

/// Gives a file a second name; 0, or why it could not.
int addName(int from, const std::string& name, int to, const std::string& toName)
{
    const ino_t before = inodeOf(from, name);
    if (::linkat(from, name.c_str(), to, toName.c_str(), 0) == 0)
        return 0;
    const int why = errno;
    return before && inodeOf(to, toName) == before ? 0 : why;
}
/// Whether a name is gone, whoever took it away; errno says why not.
bool dropName(int folder, const std::string& name, int flags = 0)
{
    if (::unlinkat(folder, name.c_str(), flags) == 0 || errno == ENOENT)
        return true;
    const int why = errno;
    const bool gone = !inodeOf(folder, name);
    errno = why;
    return gone;
}

/// Of renameat2: the file system or the kernel does not know what was asked for.
bool lacksFlag(int why)
{
    return why == EINVAL || why == ENOSYS || why == EOPNOTSUPP;
}
/// Of linkat: files have one name there.
bool lacksLinks(int why)
{
    return why == EPERM || why == ENOSYS || why == EOPNOTSUPP || why == EINVAL || why == EXDEV;
}

Problem pathProblem(const fs::path& path, std::string message)
{
    Problem out = problemOf(std::move(message));
    out.file = path.string();
    return out;
}

std::string reason(int number)
{
    return std::strerror(number);
}

std::function<bool(const std::string&)> watcher;

/// Whether a test wants this change to fail.
bool failsOnPurpose(const std::string& name)
{
    if (!watcher || !watcher(name))
        return false;
    errno = ENOSPC;
    return true;
}

/// "process 4711 (bindrel-cli)" of the holder of a lock on a file, from the kernel's table; "another process" when it
/// does not tell.
std::string holderOf(int fd)
{
    struct stat info {};
    std::ifstream table("/proc/locks");
    if (::fstat(fd, &info) != 0 || !table)
        return say("another process");
    const std::string wanted = fmt::format("{:02x}:{:02x}:{}", major(info.st_dev), minor(info.st_dev), info.st_ino);
    for (std::string row; std::getline(table, row);) {
        // "1: FLOCK  ADVISORY  WRITE 4711 08:01:131 0 EOF"
        std::istringstream words(row);
        std::string number, kind, advisory, access, where;
        int pid = 0;
        if (!(words >> number >> kind >> advisory >> access >> pid >> where) || kind != "FLOCK" || wanted != where ||
            pid <= 0)
            continue;
        std::ifstream comm(fmt::format("/proc/{}/comm", pid));
        std::string name;
        std::getline(comm, name);
        return name.empty() ? say("process {}", pid) : say("process {} ({})", pid, name);
    }
    return say("another process");
}

} // namespace

void setDirectoryWatcher_TESTING(std::function<bool(const std::string& name)> next)
{
    watcher = std::move(next);
}

Problem Directory::problem(const std::string& name, const std::string& what) const
{
    return pathProblem(name.empty() ? path_ : path_ / name, what);
}

Outcome Directory::checkName(const std::string& name) const
{
    if (name.empty() || name == "." || name == ".." || name.find('/') != std::string::npos ||
        name.find('\0') != std::string::npos || name.size() > 255)
        return problem(name, say("is not the name of a file inside the folder; nothing was written."));
    return {};
}

Expected<Directory> Directory::open(const fs::path& path)
{
    const std::string named = path.empty() ? "." : path.string();
    Descriptor file(::open(named.c_str(), kFolder));
    if (!file.isOpen())
        return pathProblem(path, errno == ENOTDIR ? std::string(say("is not a folder."))
                                                  : say("cannot be opened: ") + reason(errno) + ".");
    return Directory(std::move(file), path);
}

Expected<Directory> Directory::openOrMake(const fs::path& path)
{
    std::error_code error;
    fs::create_directories(path, error);
    std::error_code unknown;
    if (error && !fs::is_directory(path, unknown))
        return pathProblem(path,
                           say("cannot be made: ") + error.message() + say(". Choose a folder that you may write to."));
    return open(path);
}

Expected<std::optional<Directory>> Directory::child(const std::string& name) const
{
    if (Outcome legal = checkName(name); !legal)
        return legal.problem();
    Descriptor file(::openat(handle(), name.c_str(), kFolder | O_NOFOLLOW));
    if (file.isOpen())
        return std::optional<Directory>(Directory(std::move(file), path_ / name));
    if (errno == ENOENT)
        return std::optional<Directory>();
    if (errno == ELOOP || errno == ENOTDIR)
        return problem(name,
                       say("is a link or no folder, where Bindrel needs a folder and follows no links. Remove it."));
    return problem(name, say("cannot be opened: ") + reason(errno) + ".");
}

Expected<Directory> Directory::childOrMade(const std::string& name) const
{
    if (Outcome legal = checkName(name); !legal)
        return legal.problem();
    if (failsOnPurpose(name) || (::mkdirat(handle(), name.c_str(), 0777) != 0 && errno != EEXIST))
        return problem(name, say("cannot be made: ") + reason(errno) + say(". Choose a folder that you may write to."));
    Expected<std::optional<Directory>> made = child(name);
    if (!made)
        return made.problem();
    if (!*made)
        return problem(name, say("vanished while it was being made."));
    return *std::move(*made);
}

Expected<std::optional<std::string>> Directory::read(const std::string& name) const
{
    if (Outcome legal = checkName(name); !legal)
        return legal.problem();
    // O_NONBLOCK: opening a pipe that nobody writes to must not hang the program.
    Descriptor file(::openat(handle(), name.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK));
    if (!file.isOpen()) {
        if (errno == ENOENT)
            return std::optional<std::string>();
        if (errno == ELOOP)
            return problem(name, say("is a link; Bindrel does not write through links. Replace it by a file, or choose "
                                     "another folder."));
        return problem(name, say("cannot be opened: ") + reason(errno) + ".");
    }
    Expected<std::string> bytes = readAll(file.get(), path_ / name);
    if (!bytes)
        return bytes.problem();
    return std::optional<std::string>(*std::move(bytes));
}

Outcome Directory::fill(Descriptor file, const std::string& name, std::string_view bytes,
                        const std::string* modeOf) const
{
    if (Outcome done = writeAll(file.get(), bytes, path_ / name); !done)
        return done;
    if (struct stat info{};
        modeOf && ::fstatat(handle(), modeOf->c_str(), &info, AT_SYMLINK_NOFOLLOW) == 0 && S_ISREG(info.st_mode))
        (void)::fchmod(file.get(), info.st_mode & 0777);
    if (::fsync(file.get()) != 0 || file.closeNow() != 0)
        return problem(name, say("could not be written to the disk: ") + reason(errno) + ".");
    return {};
}

Outcome Directory::write(const std::string& name, std::string_view bytes) const
{
    if (Outcome legal = checkName(name); !legal)
        return legal;
    Descriptor file(failsOnPurpose(name) ? -1 : ::openat(handle(), name.c_str(), kNewFile, 0666));
    if (!file.isOpen())
        return problem(name,
                       say("cannot be written: ") + reason(errno) + say(". Choose a folder that you may write to."));
    if (Outcome done = fill(std::move(file), name, bytes, nullptr); !done) {
        (void)dropName(handle(), name);
        return done;
    }
    return {};
}

/// A name beside `name` that nothing has.
std::string Directory::freeName(const std::string& name) const
{
    const std::string stem = "." + name.substr(0, 200) + ".saving";
    for (int n = 2;; ++n)
        if (const std::string out = n == 2 ? stem : fmt::format("{}-{}", stem, n); !exists(out))
            return out;
}

Outcome Directory::checkRegular(const std::string& name) const
{
    struct stat info {};
    if (::fstatat(handle(), name.c_str(), &info, AT_SYMLINK_NOFOLLOW) != 0 || S_ISREG(info.st_mode))
        return {};
    return problem(name, S_ISLNK(info.st_mode)
                             ? say("is a link; Bindrel does not write through links. Name the target file instead.")
                             : say("is not a regular file; name another."));
}

Outcome Directory::replace(const std::string& name, std::string_view bytes) const
{
    if (Outcome legal = checkName(name); !legal)
        return legal;
    if (Outcome regular = checkRegular(name); !regular)
        return regular;
    if (failsOnPurpose(name))
        return problem(name,
                       say("cannot be written: ") + reason(errno) + say(". Choose a folder that you may write to."));
    const Expected<std::string> aside = writeAside(name, bytes);
    if (!aside)
        return aside.problem();
    const Outcome moved = move(*aside, *this, name);
    if (!moved)
        (void)dropName(handle(), *aside);
    return moved;
}

/// Makes a file with the bytes beside the one of that name; gives its name.
Expected<std::string> Directory::writeAside(const std::string& name, std::string_view bytes) const
{
    // Without a name until all is on the disk, where the file system can do that: a process that dies leaves nothing
    // behind.
    if (Descriptor unnamed(::openat(handle(), ".", O_WRONLY | O_TMPFILE | O_CLOEXEC, 0666)); unnamed.isOpen()) {
        const Descriptor again(::fcntl(unnamed.get(), F_DUPFD_CLOEXEC, 0));
        if (Outcome done = fill(std::move(unnamed), name, bytes, &name); !done)
            return done.problem();
        const std::string aside = freeName(name);
        struct stat info {};
        if (::linkat(AT_FDCWD, fmt::format("/proc/self/fd/{}", again.get()).c_str(), handle(), aside.c_str(),
                     AT_SYMLINK_FOLLOW) == 0 ||
            (::fstat(again.get(), &info) == 0 && inodeOf(handle(), aside) == info.st_ino))
            return aside;
    }
    const std::string aside = freeName(name);
    Descriptor named(::openat(handle(), aside.c_str(), kNewFile, 0666));
    if (!named.isOpen())
        return problem(name,
                       say("cannot be written: ") + reason(errno) + say(". Choose a folder that you may write to."));
    if (Outcome done = fill(std::move(named), name, bytes, &name); !done) {
        (void)dropName(handle(), aside);
        return done.problem();
    }
    return aside;
}

Outcome Directory::move(const std::string& name, const Directory& to, const std::string& toName) const
{
    for (const std::string& checked : {name, toName})
        if (Outcome legal = checkName(checked); !legal)
            return legal;
    const ino_t before = inodeOf(handle(), name);
    if (failsOnPurpose(toName) || ::renameat(handle(), name.c_str(), to.handle(), toName.c_str()) != 0) {
        const int why = errno;
        // Some file systems say that it failed when only the answer was lost. What counts is what is there.
        if (before && inodeOf(to.handle(), toName) == before && !inodeOf(handle(), name))
            return {};
        return to.problem(toName, say("could not be put in place: ") + reason(why) + ".");
    }
    return {};
}

Expected<bool> Directory::moveToFree(const std::string& name, const Directory& to, const std::string& toName) const
{
    for (const std::string& checked : {name, toName})
        if (Outcome legal = checkName(checked); !legal)
            return legal.problem();
    const ino_t before = inodeOf(handle(), name);
    const bool fails = failsOnPurpose(toName);
    if (!fails && ::renameat2(handle(), name.c_str(), to.handle(), toName.c_str(), RENAME_NOREPLACE) == 0)
        return true;
    int why = errno;
    if (before && inodeOf(to.handle(), toName) == before && !inodeOf(handle(), name))
        return true;
    if (why == EEXIST)
        return false;
    if (!fails && lacksFlag(why)) {
        // File systems without the flag: a second name fails when it is taken, as wanted.
        why = addName(handle(), name, to.handle(), toName);
        if (why == 0) {
            if (dropName(handle(), name))
                return true;
            // It would stand under both names: as it was.
            why = errno;
            (void)dropName(to.handle(), toName);
            return problem(name, say("could not be moved away: ") + reason(why) + ".");
        }
        if (why == EEXIST)
            return false;
        // And those without second names: nobody can say any more that the name is free at the very moment.
        if (lacksLinks(why)) {
            if (inodeOf(to.handle(), toName))
                return false;
            if (Outcome moved = move(name, to, toName); !moved)
                return moved.problem();
            return true;
        }
    }
    return to.problem(toName, say("could not be put in place: ") + reason(why) + ".");
}

Expected<Directory::Exchange> Directory::exchange(const std::string& name, const Directory& with,
                                                  const std::string& withName) const
{
    for (const std::string& checked : {name, withName})
        if (Outcome legal = checkName(checked); !legal)
            return legal.problem();
    const ino_t mine = inodeOf(handle(), name), theirs = inodeOf(with.handle(), withName);
    const bool fails = failsOnPurpose(withName);
    if (!fails && ::renameat2(handle(), name.c_str(), with.handle(), withName.c_str(), RENAME_EXCHANGE) == 0)
        return Exchange::AtOnce;
    const int why = errno;
    if (mine && theirs && inodeOf(handle(), name) == theirs && inodeOf(with.handle(), withName) == mine)
        return Exchange::AtOnce;
    if (fails || !lacksFlag(why))
        return with.problem(withName, say("could not be put in place: ") + reason(why) + ".");
    // File systems without the flag: the old file keeps a second name, or its text is copied, so it is never gone.
    const std::string aside = freeName(name);
    Exchange how = Exchange::ByLink;
    if (const int lacking = addName(with.handle(), withName, handle(), aside); lacking != 0) {
        if (!lacksLinks(lacking))
            return with.problem(withName, say("could not be kept: ") + reason(lacking) + ".");
        how = Exchange::ByCopy;
        const Expected<std::optional<std::string>> old = with.read(withName);
        if (!old)
            return old.problem();
        if (!*old)
            return with.problem(withName, say("disappeared while it was being replaced. Try again."));
        if (Outcome copied = write(aside, **old); !copied)
            return copied.problem();
    }
    if (Outcome moved = move(name, with, withName); !moved) {
        (void)dropName(handle(), aside);
        return moved.problem();
    }
    if (Outcome moved = move(aside, *this, name); !moved) {
        // Back as it was: a failure changes nothing. The new text is staged again with the next try.
        (void)::renameat(handle(), aside.c_str(), with.handle(), withName.c_str());
        return moved.problem();
    }
    return how;
}

void Directory::copyMode(const std::string& name, const Directory& from, const std::string& fromName) const
{
    struct stat info {};
    if (::fstatat(from.handle(), fromName.c_str(), &info, AT_SYMLINK_NOFOLLOW) == 0 && S_ISREG(info.st_mode))
        (void)::fchmodat(handle(), name.c_str(), info.st_mode & 0777, 0);
}

Outcome Directory::remove(const std::string& name) const
{
    if (Outcome legal = checkName(name); !legal)
        return legal;
    if (!dropName(handle(), name))
        return problem(name, say("cannot be removed: ") + reason(errno) + ".");
    return {};
}

Outcome Directory::removeTree(const std::string& name) const
{
    if (Outcome legal = checkName(name); !legal)
        return legal;
    if (dropName(handle(), name))
        return {};
    Expected<std::optional<Directory>> inner = child(name);
    if (!inner)
        return inner.problem();
    if (*inner)
        for (const std::string& entry : (*inner)->names())
            if (Outcome gone = (*inner)->removeTree(entry); !gone)
                return gone;
    if (!dropName(handle(), name, AT_REMOVEDIR))
        return problem(name, say("cannot be removed: ") + reason(errno) + ".");
    return {};
}

bool Directory::removeIfEmpty(const std::string& name) const
{
    return checkName(name).ok() && ::unlinkat(handle(), name.c_str(), AT_REMOVEDIR) == 0;
}

bool Directory::exists(const std::string& name) const
{
    struct stat info {};
    return checkName(name).ok() && ::fstatat(handle(), name.c_str(), &info, AT_SYMLINK_NOFOLLOW) == 0;
}

bool Directory::isFile(const std::string& name) const
{
    struct stat info {};
    return checkName(name).ok() && ::fstatat(handle(), name.c_str(), &info, AT_SYMLINK_NOFOLLOW) == 0 &&
           S_ISREG(info.st_mode);
}

std::vector<std::string> Directory::names() const
{
    std::vector<std::string> out;
    // A handle of its own: reading moves the position of the handle that is read.
    const int again = ::openat(handle(), ".", kFolder);
    DIR* list = again < 0 ? nullptr : ::fdopendir(again);
    if (!list)
        return out;
    while (const dirent* entry = ::readdir(list))
        if (const std::string name = entry->d_name; name != "." && name != "..")
            out.push_back(name);
    ::closedir(list);
    std::sort(out.begin(), out.end());
    return out;
}

Outcome Directory::sync() const
{
    if (failsOnPurpose(path_.filename().string()) || (::fsync(handle()) != 0 && errno != EINVAL))
        return problem({}, say("could not be written to the disk: ") + reason(errno) + ".");
    return {};
}

Expected<FolderLock> FolderLock::take(const Directory& folder, std::chrono::milliseconds patience)
{
    Descriptor file(::openat(folder.handle(), ".", kFolder));
    if (!file.isOpen())
        return pathProblem(folder.path(), say("cannot be opened: ") + reason(errno) + ".");
    const auto end = std::chrono::steady_clock::now() + patience;
    while (::flock(file.get(), LOCK_EX | LOCK_NB) != 0) {
        if (errno != EWOULDBLOCK && errno != EINTR)
            return FolderLock(Descriptor()); // a file system without locks: better to write than never to
        if (std::chrono::steady_clock::now() >= end)
            return pathProblem(folder.path(),
                               say("is being written to by {}. Nothing was written; try again when that is done.",
                                   holderOf(file.get())));
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    return FolderLock(std::move(file));
}

} // namespace bindrel
