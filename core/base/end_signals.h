// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <csignal>

namespace bindrel {

/// While it lives, what asks the program to end (SIGTERM, SIGHUP, SIGINT, SIGQUIT) calls a handler instead. A signal
/// that is ignored, as SIGHUP under nohup, stays so. What was there before comes back with the end. One at a time in a
/// process.
class EndSignalHandler {
public:
    /// `handler` may do what a signal handler may (signal-safety(7)), which is little. With `once` a second signal of
    /// the same sort ends the program at once.
    explicit EndSignalHandler(void (*handler)(int), bool once);
    ~EndSignalHandler();
    EndSignalHandler(const EndSignalHandler&) = delete;
    EndSignalHandler& operator=(const EndSignalHandler&) = delete;

private:
    static constexpr std::array kSignals{SIGTERM, SIGHUP, SIGINT, SIGQUIT};
    std::array<struct sigaction, kSignals.size()> before_{};
};

} // namespace bindrel
