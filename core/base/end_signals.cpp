// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/end_signals.h"

namespace bindrel {

EndSignalHandler::EndSignalHandler(void (*handler)(int), bool once)
{
    for (std::size_t i = 0; i < kSignals.size(); ++i) {
        ::sigaction(kSignals[i], nullptr, &before_[i]);
        if (before_[i].sa_handler == SIG_IGN)
            continue;
        struct sigaction action {};
        action.sa_handler = handler;
        action.sa_flags = once ? SA_RESETHAND : SA_RESTART;
        ::sigaction(kSignals[i], &action, nullptr);
    }
}

EndSignalHandler::~EndSignalHandler()
{
    for (std::size_t i = 0; i < kSignals.size(); ++i)
        ::sigaction(kSignals[i], &before_[i], nullptr);
}

} // namespace bindrel
