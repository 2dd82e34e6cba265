// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"

#include "core/base/directory.h"
#include "core/base/say.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

Problem fileProblem(const fs::path& path, const std::string& message)
{
    Problem problem = problemOf(message);
    problem.file = path.string();
    return problem;
}

} // namespace

Expected<std::string> readFile(const fs::path& path)
{
    // O_NONBLOCK: opening a pipe that nobody writes to must not hang the program.
    Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
    if (!file.isOpen())
        return fileProblem(path, std::string(say("cannot be opened: ")) + std::strerror(errno) + ".");
    return readAll(file.get(), path);
}

Expected<std::string> readAll(int fd, const fs::path& path)
{
    struct stat info {};
    if (::fstat(fd, &info) != 0 || !S_ISREG(info.st_mode))
        return fileProblem(path, say("is not a regular file; name a file."));
    if (static_cast<std::size_t>(info.st_size) > kMaxFileBytes)
        return fileProblem(path, say("is larger than 64 MiB; no file of Bindrel's is, so it was not read."));
    std::string bytes;
    char chunk[65536];
    for (;;) {
        const ssize_t got = ::read(fd, chunk, sizeof chunk);
        if (got < 0 && errno == EINTR)
            continue;
        if (got < 0)
            return fileProblem(path, std::string(say("cannot be read: ")) + std::strerror(errno) + ".");
        if (got == 0)
            return bytes;
        bytes.append(chunk, static_cast<std::size_t>(got));
        if (bytes.size() > kMaxFileBytes)
            return fileProblem(path, say("grew over 64 MiB while it was read."));
    }
}

Outcome writeAll(int fd, std::string_view bytes, const fs::path& path)
{
    for (std::size_t done = 0; done < bytes.size();) {
        const ssize_t put = ::write(fd, bytes.data() + done, bytes.size() - done);
        if (put < 0 && errno == EINTR)
            continue;
        if (put < 0)
            return fileProblem(path, std::string(say("could not be written: ")) + std::strerror(errno) + ".");
        done += static_cast<std::size_t>(put);
    }
    return {};
}

fs::path realPath(const fs::path& path)
{
    std::error_code error;
    const fs::path real = fs::weakly_canonical(path, error);
    return error || real.empty() ? absolutePath(path) : real;
}

fs::path absolutePath(const fs::path& path)
{
    std::error_code error;
    const fs::path absolute = fs::absolute(path, error);
    return error ? path : absolute;
}

Outcome writeFileAtomically(const fs::path& path, std::string_view bytes)
{
    const Expected<bool> done = replaceFile(path, bytes, nullptr);
    return done ? Outcome() : Outcome(done.problem());
}

Expected<bool> replaceFile(const fs::path& path, std::string_view bytes, const std::string* expected)
{
    std::error_code error;
    const std::string name = path.filename().string();
    const auto unwritable = [&](const std::string& why) {
        return fileProblem(path, say("cannot be written: ") + why +
                                     say(". The old file is unchanged; choose a folder that you may write to."));
    };
    if (name.empty() || name == "." || name == "..")
        return unwritable(say("it is no name of a file"));
    const Expected<Directory> folder = Directory::open(path.parent_path());
    if (!folder)
        return unwritable(fs::exists(path.parent_path(), error) ? say("the folder cannot be opened")
                                                                : say("there is no such folder"));
    const Expected<FolderLock> lock = FolderLock::take(*folder);
    if (!lock)
        return lock.problem();
    if (expected) {
        const Expected<std::optional<std::string>> now = folder->read(name);
        if (!now)
            return now.problem();
        if (now->value_or(std::string()) != *expected)
            return false;
    }
    if (const Outcome regular = folder->checkRegular(name); !regular)
        return regular.problem();
    if (const Outcome done = folder->replace(name, bytes); !done)
        return unwritable(done.problem().message.substr(0, done.problem().message.find(". ")));
    (void)folder->sync(); // the new name must survive a power cut too
    return true;
}

} // namespace bindrel
