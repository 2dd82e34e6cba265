// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rehearsal/compile.h"

#include "core/base/files.h"
#include "core/base/fingerprint.h"

#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fstream>
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
        failed_ = posix_spawnp(&child_, arguments.front(), &actions, nullptr, arguments.data(), environ);
        posix_spawn_file_actions_destroy(&actions);
        name_ = words.front();
    }
    /// To be called once.
    Outcome wait() const
    {
        if (failed_ == ENOENT)
            return problemOf(fmt::format("The cross-compiler {} is not installed. Install it to run the machine code; the planned operations are rehearsed without it.", name_));
        if (failed_ != 0)
            return problemOf(fmt::format("The compiler {} could not be started: {}.", name_, std::strerror(failed_)));
        int status = 0;
        while (waitpid(child_, &status, 0) < 0 && errno == EINTR) {
        }
        if (WIFEXITED(status) && WEXITSTATUS(status) == 0)
            return {};
        const Expected<std::string> said = readFile(log_);
        return problemOf(name_ + " refuses the written C: " + (said ? said->substr(0, 2000) : std::string()));
    }

private:
    fs::path log_;
    std::string name_;
    pid_t child_ = 0;
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

Outcome compileUnits(const Source& source, const Source::Program& program, const std::string& headers, const fs::path& folder)
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
        if (const Outcome compiled = one.compiler.wait(); !compiled)
            outcome = outcome ? compiled : outcome;
        else if (Expected<std::string> object = readFile(one.object))
            objects.keep(one.key, *std::move(object));
    };
    const std::size_t most = std::max(1u, std::thread::hardware_concurrency());
    for (const std::string& unit : program.units) {
        std::string key = common + unit + '\n' + source.find(unit)->text();
        const fs::path object = folder / (unit + ".o");
        if (const std::optional<std::string> known = objects.find(key)) {
            std::ofstream out(object, std::ios::binary);
            out << *known;
            if (!out.flush())
                outcome = problemOf(fmt::format("{} could not be written to {}.", object.filename().string(), folder.string()));
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
    return outcome;
}

} // namespace

Outcome compileSource(const Source& source, const fs::path& folder)
{
    std::string headers;
    for (const SourceFile& file : source.files) {
        const std::string text = file.text();
        std::ofstream out(folder / file.name, std::ios::binary);
        out << text;
        if (!out.flush())
            return problemOf(fmt::format("{} could not be written to {}.", file.name, folder.string()));
        if (file.name.ends_with(".h"))
            headers += fingerprint({&file.name, &text});
    }
    for (const Source::Program& program : source.programs) {
        if (const Outcome compiled = compileUnits(source, program, headers, folder); !compiled)
            return compiled;
        std::vector<std::string> words{program.compiler};
        words.insert(words.end(), program.options.begin(), program.options.end());
        words.insert(words.end(), {"-nostdlib", "-T", program.linkerScript, "-o", program.output});
        for (const std::string& unit : program.units)
            words.push_back(unit + ".o");
        words.push_back("-lgcc");
        if (const Outcome linked = Compiler(std::move(words), folder, folder / "linker.txt").wait(); !linked)
            return linked;
    }
    return {};
}

} // namespace bindrel
