// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/end_signals.h"

#include <QObject>

#include <optional>

namespace bindrel {

class MainWindow;

/// The system wants the program to end (SIGTERM, SIGHUP, SIGINT, SIGQUIT, or the session logs out): what is typed is
/// taken, the journal is written, and the program ends without a question. One at a time in a process.
class EndSignals : public QObject {
    Q_OBJECT
public:
    explicit EndSignals(MainWindow& window);
    ~EndSignals() override;

private:
    void keepWork();

    MainWindow& window_;
    std::optional<EndSignalHandler> handler_;
};

} // namespace bindrel
