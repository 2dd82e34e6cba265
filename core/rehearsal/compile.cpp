// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/compile.h"

#include "core/base/files.h"

#include <fmt/format.h>

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fstream>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

namespace bindrel {

Outcome compileSource(const Source& source, const std::filesystem::path& folder)
{
    for (const SourceFile& file : source.files) {
        std::ofstream out(folder / file.name, std::ios::binary);
        out << file.text();
        if (!out.flush())
            return problemOf(fmt::format("{} could not be written to {}.", file.name, folder.string()));
    }
    const std::filesystem::path log = folder / "compiler.txt";
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, log.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    posix_spawn_file_actions_adddup2(&actions, STDOUT_FILENO, STDERR_FILENO);
    posix_spawn_file_actions_addchdir_np(&actions, folder.c_str());
    // Every word of the command has gone through the shell's own escape.
    std::string command = source.buildCommand;
    char shell[] = "sh", option[] = "-c";
    char* const arguments[] = {shell, option, command.data(), nullptr};
    pid_t child = 0;
    const int failed = posix_spawn(&child, "/bin/sh", &actions, nullptr, arguments, environ);
    posix_spawn_file_actions_destroy(&actions);
    if (failed != 0)
        return problemOf(fmt::format("The compiler could not be started: {}.", std::strerror(failed)));
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    if (WIFEXITED(status) && WEXITSTATUS(status) == 0)
        return {};
    const Expected<std::string> said = readFile(log);
    std::string text = said ? *said : std::string();
    if (text.size() > 2000)
        text.resize(2000);
    if (WIFEXITED(status) && WEXITSTATUS(status) == 127)
        return problemOf("The cross-compiler is not installed: " + text);
    return problemOf("The written C does not compile: " + text);
}

} // namespace bindrel
