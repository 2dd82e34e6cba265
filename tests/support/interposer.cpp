// SPDX-License-Identifier: GPL-3.0-or-later
// Stands between a program and the C library (LD_PRELOAD) and counts the calls that change a folder. At one of them the
// process can be killed, the call can fail, or it can be done and said to have failed; and file systems without
// exchanges or without second names can be played.
//   BINDREL_KILL_AT=n   killed before the n-th call        BINDREL_LIE_AT=n   the n-th is done, and answers EIO
//   BINDREL_FAIL_AT=n   the n-th is not done, EIO          BINDREL_COUNT=FILE the number of calls, at the end
//   BINDREL_NO_EXCHANGE renameat2 knows no flags           BINDREL_NO_LINKS   linkat is not permitted
#include <cerrno>
#include <csignal>
#include <cstdarg>
#include <cstdio>
#include <cstdlib>
#include <dlfcn.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

namespace {

long numberOf(const char* name)
{
    const char* text = std::getenv(name);
    return text ? std::atol(text) : -1;
}

long calls = 0;

/// Counts a call; true when it is to fail without being done.
bool strikes(bool& lies)
{
    const long number = calls++;
    if (number == numberOf("BINDREL_KILL_AT"))
        ::kill(::getpid(), SIGKILL);
    lies = number == numberOf("BINDREL_LIE_AT");
    return number == numberOf("BINDREL_FAIL_AT");
}

template <typename Call> int counted(Call call)
{
    bool lies = false;
    if (strikes(lies)) {
        errno = EIO;
        return -1;
    }
    const int done = call();
    if (lies && done >= 0) {
        errno = EIO;
        return -1;
    }
    return done;
}

template <typename Function> Function real(const char* name)
{
    return reinterpret_cast<Function>(::dlsym(RTLD_NEXT, name));
}

int opened(const char* name, int folder, const char* path, int flags, mode_t mode)
{
    using Open = int (*)(int, const char*, int, ...);
    const auto call = [&] { return real<Open>(name)(folder, path, flags, mode); };
    return (flags & (O_CREAT | O_TRUNC)) || (flags & O_TMPFILE) == O_TMPFILE ? counted(call) : call();
}

struct Teller {
    ~Teller()
    {
        if (const char* file = std::getenv("BINDREL_COUNT")) {
            using Open = int (*)(int, const char*, int, ...);
            const int fd = real<Open>("openat")(AT_FDCWD, file, O_WRONLY | O_CREAT | O_TRUNC, 0600);
            dprintf(fd, "%ld\n", calls);
        }
    }
} teller;

} // namespace

extern "C" {

int openat(int folder, const char* path, int flags, ...)
{
    va_list rest;
    va_start(rest, flags);
    const mode_t mode = va_arg(rest, mode_t);
    va_end(rest);
    return opened("openat", folder, path, flags, mode);
}
int openat64(int folder, const char* path, int flags, ...)
{
    va_list rest;
    va_start(rest, flags);
    const mode_t mode = va_arg(rest, mode_t);
    va_end(rest);
    return opened("openat64", folder, path, flags, mode);
}
int mkdirat(int folder, const char* path, mode_t mode)
{
    return counted([&] { return real<int (*)(int, const char*, mode_t)>("mkdirat")(folder, path, mode); });
}
int mkdir(const char* path, mode_t mode)
{
    return counted([&] { return real<int (*)(const char*, mode_t)>("mkdir")(path, mode); });
}
int rename(const char* from, const char* to)
{
    return counted([&] { return real<int (*)(const char*, const char*)>("rename")(from, to); });
}
int renameat(int fromFolder, const char* from, int toFolder, const char* to)
{
    return counted(
        [&] { return real<int (*)(int, const char*, int, const char*)>("renameat")(fromFolder, from, toFolder, to); });
}
int renameat2(int fromFolder, const char* from, int toFolder, const char* to, unsigned flags)
{
    if (flags != 0 && std::getenv("BINDREL_NO_EXCHANGE")) {
        errno = EINVAL;
        return -1;
    }
    return counted([&] {
        return real<int (*)(int, const char*, int, const char*, unsigned)>("renameat2")(fromFolder, from, toFolder, to,
                                                                                        flags);
    });
}
int linkat(int fromFolder, const char* from, int toFolder, const char* to, int flags)
{
    if (std::getenv("BINDREL_NO_LINKS")) {
        errno = EPERM;
        return -1;
    }
    return counted([&] {
        return real<int (*)(int, const char*, int, const char*, int)>("linkat")(fromFolder, from, toFolder, to, flags);
    });
}
int unlinkat(int folder, const char* path, int flags)
{
    return counted([&] { return real<int (*)(int, const char*, int)>("unlinkat")(folder, path, flags); });
}
int unlink(const char* path)
{
    return counted([&] { return real<int (*)(const char*)>("unlink")(path); });
}
int rmdir(const char* path)
{
    return counted([&] { return real<int (*)(const char*)>("rmdir")(path); });
}
}
