// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/end_signals.h"

#include "app/frame/main_window.h"

#include <QGuiApplication>
#include <QSessionManager>
#include <QSocketNotifier>

#include <csignal>
#include <fcntl.h>
#include <unistd.h>
#include <utility>

namespace bindrel {

namespace {

int pipe_[2] = {-1, -1}; ///< a handler may do little more than write to it

void tell(int number)
{
    const auto byte = static_cast<unsigned char>(number);
    [[maybe_unused]] const ssize_t put = ::write(pipe_[1], &byte, 1);
}

} // namespace

EndSignals::EndSignals(MainWindow& window) : window_(window)
{
    if (::pipe2(pipe_, O_CLOEXEC | O_NONBLOCK) != 0)
        return;
    auto* notifier = new QSocketNotifier(pipe_[0], QSocketNotifier::Read, this);
    connect(notifier, &QSocketNotifier::activated, this, [this] {
        unsigned char number = 0;
        if (::read(pipe_[0], &number, 1) != 1)
            return;
        keepWork();
        // Whatever dialog is open: nobody is asked any more, and no search is waited for.
        ::signal(number, SIG_DFL);
        ::raise(number);
    });
    handler_.emplace(tell, false);
    // A desktop that logs out may be told to wait, but need not: the work is kept first.
    connect(
        qGuiApp, &QGuiApplication::commitDataRequest, this, [this](QSessionManager&) { keepWork(); },
        Qt::DirectConnection);
}

EndSignals::~EndSignals()
{
    handler_.reset();
    for (int& end : pipe_)
        ::close(std::exchange(end, -1));
}

void EndSignals::keepWork()
{
    window_.view().pending().settle();
    if (window_.document().isOpen())
        window_.document().writeJournal();
}

} // namespace bindrel
