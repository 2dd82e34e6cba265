// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/files.h"

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

/// Closes on every way out; release() hands the descriptor on.
class Descriptor {
public:
    explicit Descriptor(int fd) : fd_(fd) {}
    ~Descriptor()
    {
        if (fd_ >= 0)
            ::close(fd_);
    }
    Descriptor(const Descriptor&) = delete;
    Descriptor& operator=(const Descriptor&) = delete;
    int get() const { return fd_; }
    int closeNow()
    {
        const int result = ::close(fd_);
        fd_ = -1;
        return result;
    }

private:
    int fd_;
};

} // namespace

Expected<std::string> readFile(const fs::path& path)
{
    // O_NONBLOCK: opening a pipe that nobody writes to must not hang the program.
    Descriptor file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
    if (file.get() < 0)
        return fileProblem(path, std::string("cannot be opened: ") + std::strerror(errno) + ".");
    struct stat info {};
    if (::fstat(file.get(), &info) != 0 || !S_ISREG(info.st_mode))
        return fileProblem(path, "is not a regular file; name a file.");
    if (static_cast<std::size_t>(info.st_size) > kMaxFileBytes)
        return fileProblem(path, "is larger than 64 MiB; no file of Bindrel's is, so it was not read.");
    std::string bytes;
    char chunk[65536];
    for (;;) {
        const ssize_t got = ::read(file.get(), chunk, sizeof chunk);
        if (got < 0 && errno == EINTR)
            continue;
        if (got < 0)
            return fileProblem(path, std::string("cannot be read: ") + std::strerror(errno) + ".");
        if (got == 0)
            return bytes;
        bytes.append(chunk, static_cast<std::size_t>(got));
        if (bytes.size() > kMaxFileBytes)
            return fileProblem(path, "grew over 64 MiB while it was read.");
    }
}

Outcome writeFileAtomically(const fs::path& path, std::string_view bytes)
{
    std::error_code error;
    fs::path target = path;
    if (fs::is_symlink(path, error))
        if (const fs::path followed = fs::weakly_canonical(path, error); !error)
            target = followed;

    std::string aside = target.string() + ".XXXXXX";
    const int raw = ::mkstemp(aside.data());
    if (raw < 0)
        return fileProblem(path, std::string("cannot be written: ") + std::strerror(errno) +
                                     ". Choose a folder that you may write to.");
    Descriptor file(raw);
    const auto fail = [&](const char* what) {
        const int reason = errno;
        ::unlink(aside.c_str());
        return fileProblem(path, std::string(what) + ": " + std::strerror(reason) + ". The old file is unchanged.");
    };

    // mkstemp makes the file private; a plan is to be readable as any new file, or as the one that it replaces.
    struct stat before {};
    mode_t mode = 0;
    if (::stat(target.c_str(), &before) == 0) {
        mode = before.st_mode & 07777;
    } else {
        mode = ::umask(0);
        ::umask(mode);
        mode = 0666 & ~mode;
    }
    if (::fchmod(file.get(), mode) != 0)
        return fail("its permissions could not be set");

    for (std::size_t done = 0; done < bytes.size();) {
        const ssize_t put = ::write(file.get(), bytes.data() + done, bytes.size() - done);
        if (put < 0 && errno == EINTR)
            continue;
        if (put < 0)
            return fail("could not be written");
        done += static_cast<std::size_t>(put);
    }
    if (::fsync(file.get()) != 0 || file.closeNow() != 0)
        return fail("could not be written to the disk");
    if (::rename(aside.c_str(), target.c_str()) != 0)
        return fail("could not be put in place");

    Descriptor folder(::open(target.parent_path().empty() ? "." : target.parent_path().c_str(), O_RDONLY | O_CLOEXEC));
    if (folder.get() >= 0)
        ::fsync(folder.get()); // the new name must survive a power cut too
    return {};
}

} // namespace bindrel
