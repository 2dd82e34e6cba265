// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/descriptor.h"
#include "core/base/expected.h"

#include <chrono>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

/// Files below a folder that strangers may have prepared: every name is looked up in a directory that is held open, and
/// no link is followed, so that nothing is read or written outside whatever is swapped meanwhile.
namespace bindrel {

/// An open directory. Names are of one component; a name with a slash, "." or ".." is refused.
/// Every failure is a Problem with the path as a person would write it, and leaves what was there.
class Directory {
public:
    /// The folder itself is found once, links in its path followed: it is the user's choice. Fails when it is missing
    /// or no folder.
    static Expected<Directory> open(const std::filesystem::path& path);
    /// The same, made when missing, with its parents.
    static Expected<Directory> openOrMake(const std::filesystem::path& path);

    const std::filesystem::path& path() const { return path_; }
    int handle() const { return file_.get(); }

    /// A folder in it: nothing when missing, a problem when it is a link or no folder.
    Expected<std::optional<Directory>> child(const std::string& name) const;
    Expected<Directory> childOrMade(const std::string& name) const;

    /// The bytes of a file; nothing when missing; a problem when it is a link, no regular file, unreadable or too
    /// large.
    Expected<std::optional<std::string>> read(const std::string& name) const;
    /// Makes a file of this name that holds the bytes, safely on the disk. The name must be free.
    Outcome write(const std::string& name, std::string_view bytes) const;
    /// A problem when the name belongs to a link or to something that is no file; a free name is none.
    Outcome checkRegular(const std::string& name) const;
    /// Gives the name to a file that holds the bytes, safely on the disk, in one step; what had the name before keeps
    /// its permissions and nothing else. Nothing but that name is touched, also where a file has the name that one
    /// would take meanwhile.
    Outcome replace(const std::string& name, std::string_view bytes) const;
    /// Moves a file, over one that may be there.
    Outcome move(const std::string& name, const Directory& to, const std::string& toName) const;
    /// Moves a file to a name that must be free. False when it is taken.
    Expected<bool> moveToFree(const std::string& name, const Directory& to, const std::string& toName) const;
    /// How two files have changed places. What a file system cannot do in one step is done in several, in which either
    /// text has a name at any moment. By copy, what somebody saves between the copy and the step after it is lost.
    enum class Exchange { AtOnce, ByLink, ByCopy };
    /// Two files change places; both must be there.
    Expected<Exchange> exchange(const std::string& name, const Directory& with, const std::string& withName) const;
    /// Gives the file the permissions of another, so that a replaced file keeps its own.
    void copyMode(const std::string& name, const Directory& from, const std::string& fromName) const;
    Outcome remove(const std::string& name) const;     ///< a file that is missing is no failure
    Outcome removeTree(const std::string& name) const; ///< a folder and all in it, without following links
    bool removeIfEmpty(const std::string& name) const; ///< a folder; whether it is gone
    bool exists(const std::string& name) const;        ///< also true for a link that leads nowhere
    bool isFile(const std::string& name) const;        ///< a regular one, no link
    std::vector<std::string> names() const;            ///< sorted; empty when unreadable
    /// What was made and moved here survives a power cut.
    Outcome sync() const;

private:
    Directory(Descriptor file, std::filesystem::path path) : file_(std::move(file)), path_(std::move(path)) {}
    Problem problem(const std::string& name, const std::string& what) const;
    Outcome fill(Descriptor file, const std::string& name, std::string_view bytes, const std::string* modeOf) const;
    std::string freeName(const std::string& name) const;
    Expected<std::string> writeAside(const std::string& name, std::string_view bytes) const;
    Outcome checkName(const std::string& name) const;

    Descriptor file_;
    std::filesystem::path path_;
};

/// Called before each change of a Directory with the name of what changes; true: the change fails as on a full disk.
/// For tests, which make disks fail and people save at any moment with it; null in the program.
void setDirectoryWatcher_TESTING(std::function<bool(const std::string& name)> watcher);

/// Holds a folder against other processes that write: an advisory lock of the kernel, gone with the process however it
/// dies.
class FolderLock {
public:
    /// Waits up to `patience` for another holder. The problem names who holds it, as far as the system tells.
    static Expected<FolderLock> take(const Directory& folder,
                                     std::chrono::milliseconds patience = std::chrono::seconds(2));

private:
    explicit FolderLock(Descriptor file) : file_(std::move(file)) {}
    Descriptor file_;
};

} // namespace bindrel
