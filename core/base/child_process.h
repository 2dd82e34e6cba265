// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <chrono>
#include <filesystem>
#include <functional>
#include <string>
#include <sys/types.h>
#include <vector>

namespace bindrel {

/// Another program that runs in a folder: without input, and with all that it says in a file.
class ChildProcess {
public:
    /// `words`: the program, looked for as a shell does, and its arguments.
    ChildProcess(std::vector<std::string> words, const std::filesystem::path& folder, const std::filesystem::path& log);

    enum class End {
        Success,      ///< it ended with 0
        Failure,      ///< with another code, or by a signal
        NotInstalled, ///< there is no such program
        NotStarted,   ///< see startError()
        Late,         ///< it took longer than `patience`, and was ended with all that it had started
        Stopped,      ///< likewise, since `stopped` said so
    };
    /// To be called once.
    End wait(const std::function<bool()>& stopped, std::chrono::milliseconds patience) const;
    /// NotStarted: why, as an errno.
    int startError() const { return failed_; }

private:
    pid_t child_ = 0;
    std::chrono::steady_clock::time_point started_ = std::chrono::steady_clock::now();
    int failed_ = 0;
};

} // namespace bindrel
