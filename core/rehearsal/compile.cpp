// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/compile.h"

#include "core/base/files.h"
#include "core/base/fingerprint.h"

#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <map>
#include <mutex>
#include <spawn.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

namespace bindrel {

namespace fs = std::filesystem;

namespace {

/// A compiler that was started, and where it writes what it has to say.
class Compiler {
public:
    Compiler(std::vector<std::string> words, const fs::path& folder, fs::path log) : log_(std::move(log))
    {
        posix_spawn_file_actions_t actions;
        posix_spawn_file_actions_init(&actions);
        posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
        posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, log_.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
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
        name_ = words.front();
    }
    /// To be called once.
    Outcome wait(const std::function<bool()>& stopped, std::chrono::milliseconds patience) const
    {
        if (failed_ == ENOENT)
            return problemOf(fmt::format("The cross-compiler {} is not installed. Install it to run the machine code; "
                                         "the planned operations can be rehearsed without it.",
                                         name_));
        if (failed_ != 0)
            return problemOf(fmt::format("The compiler {} could not be started: {}.", name_, std::strerror(failed_)));
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
                return problemOf(late ? fmt::format("The compiler {} did not finish within {} s and was stopped. Check "
                                                    "that it works on its own.",
                                                    name_,
                                                    std::chrono::duration_cast<std::chrono::seconds>(patience).count())
                                      : fmt::format("Stopped while {} was running.", name_));
            }
            std::this_thread::sleep_for(std::chrono::milliseconds(2));
        }
        if (WIFEXITED(status) && WEXITSTATUS(status) == 0)
            return {};
        const Expected<std::string> said = readFile(log_);
        return problemOf(name_ + " rejects the generated C: " + (said ? said->substr(0, 2000) : std::string()));
    }

private:
    fs::path log_;
    std::string name_;
    pid_t child_ = 0;
    std::chrono::steady_clock::time_point started_ = std::chrono::steady_clock::now();
    int failed_ = 0;
};

/// What was compiled, by all that it depends on.
class Objects {
public:
    std::optional<std::string> find(const std::string& key)
    {
        const std::lock_guard lock(mutex_);
        const auto known = objects_.find(key);
        return known == objects_.end() ? std::nullopt : std::optional(known->second);
    }
    void keep(const std::string& key, std::string object)
    {
        const std::lock_guard lock(mutex_);
        if (bytes_ > kMost) {
            objects_.clear();
            bytes_ = 0;
        }
        bytes_ += key.size() + object.size();
        objects_.insert_or_assign(key, std::move(object));
    }

private:
    static constexpr std::size_t kMost = 32u << 20;
    std::mutex mutex_;
    std::map<std::string, std::string> objects_;
    std::size_t bytes_ = 0;
};

Outcome compileUnits(const Source& source, const Source::Program& program, const std::string& headers,
                     const fs::path& folder, const std::function<bool()>& stopped, std::chrono::milliseconds patience)
{
    static Objects objects;
    std::vector<std::string> command{program.compiler};
    command.insert(command.end(), program.options.begin(), program.options.end());
    std::string common = headers;
    for (const std::string& word : command)
        common += word + '\n';

    struct Running {
        Compiler compiler;
        std::string key;
        fs::path object;
    };
    std::vector<Running> running;
    Outcome outcome;
    const auto finishOne = [&] {
        const Running one = std::move(running.front());
        running.erase(running.begin());
        if (const Outcome compiled = one.compiler.wait(stopped, patience); !compiled)
            outcome = outcome ? compiled : outcome;
        else if (Expected<std::string> object = readFile(one.object))
            objects.keep(one.key, *std::move(object));
    };
    const std::size_t most = std::max(1u, std::thread::hardware_concurrency());
    for (const std::string& unit : program.units) {
        if (stopped && stopped())
            break;
        std::string key = common + unit + '\n' + source.find(unit)->text();
        const fs::path object = folder / (unit + ".o");
        if (const std::optional<std::string> known = objects.find(key)) {
            if (const Outcome written = writeFileAtomically(object, *known); !written)
                outcome = written;
            continue;
        }
        if (running.size() == most)
            finishOne();
        std::vector<std::string> words = command;
        words.insert(words.end(), {"-c", unit, "-o", unit + ".o"});
        running.push_back({Compiler(std::move(words), folder, folder / (unit + ".txt")), std::move(key), object});
    }
    while (!running.empty())
        finishOne();
    if (outcome && stopped && stopped())
        return problemOf("Stopped while compiling the generated C.");
    return outcome;
}

} // namespace

Outcome compileSource(const Source& source, const fs::path& folder, const std::function<bool()>& stopped,
                      std::chrono::milliseconds patience)
{
    std::string headers;
    for (const SourceFile& file : source.files) {
        const std::string text = file.text();
        std::error_code error;
        fs::create_directories((folder / file.name).parent_path(), error);
        if (const Outcome written = writeFileAtomically(folder / file.name, text); !written)
            return written;
        if (file.name.ends_with(".h"))
            headers += fingerprint({&file.name, &text});
    }
    for (const Source::Program& program : source.programs) {
        if (const Outcome compiled = compileUnits(source, program, headers, folder, stopped, patience); !compiled)
            return compiled;
        std::vector<std::string> words{program.compiler};
        words.insert(words.end(), program.options.begin(), program.options.end());
        words.insert(words.end(), {"-nostdlib", "-T", program.linkerScript, "-o", program.output});
        for (const std::string& unit : program.units)
            words.push_back(unit + ".o");
        words.push_back("-lgcc");
        if (const Outcome linked = Compiler(std::move(words), folder, folder / "linker.txt").wait(stopped, patience);
            !linked)
            return linked;
    }
    return {};
}

} // namespace bindrel
