// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/child_process.h"

#include <cerrno>
#include <csignal>
#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace bindrel {

ChildProcess::ChildProcess(std::vector<std::string> words, const std::filesystem::path& folder,
                           const std::filesystem::path& log)
{
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, log.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    posix_spawn_file_actions_adddup2(&actions, STDOUT_FILENO, STDERR_FILENO);
    posix_spawn_file_actions_addchdir_np(&actions, folder.c_str());
    std::vector<char*> arguments;
    for (std::string& word : words)
        arguments.push_back(word.data());
    arguments.push_back(nullptr);
    // A group of its own, so that what it starts ends with it.
    posix_spawnattr_t attributes;
    posix_spawnattr_init(&attributes);
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETPGROUP);
    posix_spawnattr_setpgroup(&attributes, 0);
    failed_ = posix_spawnp(&child_, arguments.front(), &actions, &attributes, arguments.data(), environ);
    posix_spawnattr_destroy(&attributes);
    posix_spawn_file_actions_destroy(&actions);
}

ChildProcess::End ChildProcess::wait(const std::function<bool()>& stopped, std::chrono::milliseconds patience) const
{
    if (failed_ != 0)
        return failed_ == ENOENT ? End::NotInstalled : End::NotStarted;
    int status = 0;
    const auto end = started_ + patience;
    for (pid_t ended = 0; ended == 0;) {
        ended = waitpid(child_, &status, WNOHANG);
        if (ended < 0 && errno == EINTR)
            ended = 0;
        if (ended != 0)
            break;
        const bool late = std::chrono::steady_clock::now() > end;
        if (late || (stopped && stopped())) {
            ::kill(-child_, SIGKILL);
            while (waitpid(child_, &status, 0) < 0 && errno == EINTR) {
            }
            return late ? End::Late : End::Stopped;
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
    }
    return WIFEXITED(status) && WEXITSTATUS(status) == 0 ? End::Success : End::Failure;
}

} // namespace bindrel
